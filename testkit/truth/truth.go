// Package truth makes recordings of which is known where somebody speaks: sentences with known pauses, in rooms and beside
// noises of all kinds. The truth is where the sentences were laid, and comes from nothing that looks for speech.
package truth

import (
	"math"
	"math/rand/v2"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Take is a recording with what is known of it.
type Take struct {
	PCM    audio.PCM      // in mono
	Spoken []session.Span // where the sentences lie, in order
	random *rand.Rand
	level  float64 // dBFS of the RMS of the sentences, of the first voice
}

// Laid lays sentences at a level, in dBFS of their RMS, with pauses between two lengths, in seconds.
func Laid(seed uint64, level, shortest, longest float64, sentences []audio.PCM) *Take {
	k := &Take{random: rand.New(rand.NewPCG(seed, 7)), level: level}
	at := audio.Seconds(k.between(0.8, 2))
	for _, s := range sentences {
		k.Spoken = append(k.Spoken, session.Span{From: at, To: at + s.Length()})
		at += s.Length() + audio.Seconds(shortest*math.Pow(longest/shortest, k.random.Float64()))
	}
	k.PCM = audio.NewPCM(1, at)
	for i, s := range sentences {
		k.add(k.Spoken[i].From, s[0], level-RMS(s[0]))
	}
	return k
}

// Empty is a recording of so many seconds in which nobody speaks; what is added is as loud as beside a voice of a level.
func Empty(seed uint64, level, seconds float64) *Take {
	return &Take{PCM: audio.NewPCM(1, audio.Seconds(seconds)), random: rand.New(rand.NewPCG(seed, 8)), level: level}
}

// between is a random number between two.
func (k *Take) between(low, high float64) float64 { return low + (high-low)*k.random.Float64() }

// add adds samples from a frame on, louder by so many dB.
func (k *Take) add(at audio.Frames, samples []float32, gain float64) {
	factor := float32(math.Pow(10, gain/20))
	to := k.PCM[0][min(at, k.PCM.Length()):]
	for i, v := range samples[:min(len(samples), len(to))] {
		to[i] += factor * v
	}
}

// RMS is that of samples, in dBFS.
func RMS(samples []float32) float64 {
	var sum float64
	for _, v := range samples {
		sum += float64(v) * float64(v)
	}
	return 10 * math.Log10(sum/float64(max(1, len(samples)))+1e-20)
}

// pauses does something in every pause of some seconds and more, in a long one every few seconds: with how often it is wanted, 0 to 1.
func (k *Take) pauses(seconds, often float64, do func(from, to audio.Frames)) *Take {
	from := audio.Frames(0)
	for i := 0; i <= len(k.Spoken); i++ {
		to := k.PCM.Length()
		if i < len(k.Spoken) {
			to = k.Spoken[i].From
		}
		for part := 5 * audio.Second; to-from > 2*part; from += part {
			if k.random.Float64() < often {
				do(from, from+part)
			}
		}
		if (to-from).Seconds() >= seconds && k.random.Float64() < often {
			do(from, to)
		}
		if i < len(k.Spoken) {
			from = k.Spoken[i].To
		}
	}
	return k
}

// within gives a place in a pause for something of a length, some way from either end of it.
func (k *Take) within(from, to audio.Frames, length, margin float64) (at audio.Frames, there bool) {
	low, high := from.Seconds()+margin, to.Seconds()-margin-length
	if low > high {
		return 0, false
	}
	return audio.Seconds(k.between(low, high)), true
}

// Apart is what was judged of stretches that were found.
type Apart struct {
	Right      float64 // share of all the time
	Missed     float64 // of the time of speech
	False      float64 // of that of the pauses
	Undetected int     // sentences of which less than a fifth was found
	Spurious   int     // stretches that touch no sentence
	Late       int     // sentences that were found by 50 ms too late and more
	Onsets     []float64
	Ends       []float64 // seconds by which each was found too late
}

// Judge judges stretches against the truth, millisecond by millisecond.
func (k *Take) Judge(found []session.Span) (o Apart) {
	n := int(k.PCM.Length() / 48)
	said, got := marks(k.Spoken, n), marks(found, n)
	var spoken, missed, falsely float64
	for i := range said {
		switch {
		case said[i]:
			spoken++
			if !got[i] {
				missed++
			}
		case got[i]:
			falsely++
		}
	}
	o.Right = 1 - (missed+falsely)/float64(max(1, n))
	o.Missed, o.False = missed/max(1, spoken), falsely/max(1, float64(n)-spoken)
	for _, s := range k.Spoken {
		o.edges(s, got)
	}
	for _, f := range found {
		touches := false
		for _, s := range k.Spoken {
			touches = touches || f.From < s.To && f.To > s.From
		}
		if !touches {
			o.Spurious++
		}
	}
	return o
}

// edges judges one sentence.
func (o *Apart) edges(s session.Span, got []bool) {
	from, to := int(s.From/48), min(int(s.To/48), len(got))
	first, last, n := -1, -1, 0
	for i := from; i < to; i++ {
		if got[i] {
			if n++; first < 0 {
				first = i
			}
			last = i
		}
	}
	if 5*n < to-from {
		o.Undetected++
		return
	}
	for first == from && from > 0 && got[first-1] && from-first < 150 {
		first, from = first-1, from-1
	}
	for last+1 < len(got) && got[last+1] && last-to < 150 {
		last++
	}
	onset := float64(first)/1000 - s.From.Seconds()
	if o.Onsets = append(o.Onsets, onset); onset > 0.05 {
		o.Late++
	}
	o.Ends = append(o.Ends, float64(last+1)/1000-s.To.Seconds())
}

func marks(spans []session.Span, n int) []bool {
	out := make([]bool, n)
	for _, s := range spans {
		for i := s.From / 48; i < min(s.To/48, audio.Frames(n)); i++ {
			out[i] = true
		}
	}
	return out
}

// InTurn are the sentences of two in turn, of the second louder by so many dB than those of the first.
func InTurn(one, other []audio.PCM, louder float64) (out []audio.PCM) {
	for i, s := range one {
		out = append(out, s)
		o := other[i%len(other)]
		gain := float32(math.Pow(10, (RMS(s[0])+louder-RMS(o[0]))/20))
		scaled := audio.NewPCM(1, o.Length())
		for k, v := range o[0] {
			scaled[0][k] = gain * v
		}
		out = append(out, scaled)
	}
	return out
}
