// Package fit brings a piece of music to a wanted length without stretching its sound: it
// finds the beats and bars of the piece, and which of them sound alike, and leaves out or
// plays again what lies between two that do. The beginning and the ending stay its own.
// Times are frames of the piece at 48 kHz, levels dB, tempi beats a minute.
//
// Onsets are found by spectral flux after S. Dixon, "Onset detection revisited", DAFx
// (2006); the tempo by the autocorrelation of the onsets weighed by how likely a tempo is,
// and the beats by dynamic programming, both after D. P. W. Ellis, "Beat tracking by dynamic
// programming", J. New Music Research 36(1) (2007); the bars by where chords change, after
// M. Goto, "An audio-based real-time beat tracking system for music with or without
// drum-sounds", J. New Music Research 30(2) (2001); what sounds alike by the self-similarity
// of chroma and timbre from beat to beat, after J. Foote, "Visualizing music and audio using
// self-similarity", ACM Multimedia (1999). Thresholds are our own, tried on the house
// collection.
package fit

import (
	"fmt"
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/problem"
)

// Longest is how long a piece may be that is looked at, and how long it can be made.
const Longest = 10 * 60 * audio.Second

// Piece is what has been found in a piece of music.
type Piece struct {
	Length audio.Frames
	Tempo  float64        // beats a minute; 0: no beat was found
	Beats  []audio.Frames // where they are, to the end
	Bar    int            // beats in a bar: 3 or 4
	First  int            // the number of the first beat that begins a bar
	Ending audio.Frames   // from here on the last sound dies away

	sounds []sound // of each beat, up to the next
	jump   float64 // the largest difference between neighbouring bars
	usual  float64 // and what is usual
}

// Octaves are the tempi that the ear might as well beat to: half of it and twice.
func (p Piece) Octaves() (half, twice float64) { return p.Tempo / 2, p.Tempo * 2 }

// Listen finds the beats of a piece and what each sounds like. It keeps nothing of pcm.
func Listen(pcm audio.PCM) Piece {
	p := Piece{Length: pcm.Length()}
	x := fold(pcm, 0, p.Length)
	p.Ending = ending(x)
	on, bass := onsets(x)
	period, found := tempo(on)
	if !found {
		return p
	}
	p.Tempo = 60 * onsetRate / period
	p.place(x, onTheBeat(on, bass, track(on, period)))
	p.measureBars()
	return p
}

// place takes a row of beats, in hops, for those of the piece, and finds its bars.
func (p *Piece) place(x []float32, beats []int) {
	p.Beats = nil
	for _, at := range beats {
		p.Beats = append(p.Beats, min(p.Length, max(0, audio.Frames(at*onsetHop)+onsetLag)))
	}
	p.Beats = slices.Compact(p.Beats)
	p.sounds = heard(x, p.Beats, p.Length)
	p.Bar, p.First = bars(p.sounds)
}

// fold is the mean of all channels in a stretch.
func fold(pcm audio.PCM, from, to audio.Frames) []float32 {
	out := make([]float32, to-from)
	for _, channel := range pcm {
		for i, v := range channel[from:to] {
			out[i] += v / float32(len(pcm))
		}
	}
	return out
}

// What the last sound has fallen by when the piece counts as dying away (own value).
const faded = 14

// ending is where the last sound has died away so far that it can be faded sooner.
func ending(x []float32) audio.Frames {
	const step = audio.Rate / 20
	most, at := 0.0, 0
	levels := make([]float64, len(x)/step)
	for k := range levels {
		for _, v := range x[k*step : (k+1)*step] {
			levels[k] += float64(v) * float64(v)
		}
		most = math.Max(most, levels[k])
	}
	for k, v := range levels {
		if v > most*math.Pow(10, -faded/10.0) {
			at = k + 1
		}
	}
	return audio.Frames(at * step)
}

// Section is a part of a piece that is played.
type Section struct {
	From audio.Frames `json:"from" minimum:"0" doc:"Where it begins in the sound, the crossing from the part before included"`
	To   audio.Frames `json:"to" minimum:"1" doc:"Where it ends in the sound"`
	Same bool         `json:"same,omitempty" doc:"At its beginning the sound is so like what it follows that the gains of the crossing add up to one; otherwise their squares do"`
}

// Cross is how long one part reaches into the next: a crossing that ends on the beat.
const Cross = audio.Second / 40

// Fitted is a way to play a piece in about the wanted length.
type Fitted struct {
	Parts   []Section    `json:"parts" nullable:"false"`
	Length  audio.Frames `json:"length" doc:"How long it is"`
	FadeOut audio.Frames `json:"fadeOut" doc:"How long the last sound is faded; 0: it dies away by itself"`
	Unlike  float64      `json:"unlike" doc:"How much the worst of its joins differs from the piece itself: 0 not at all, 1 as much as a bar from its neighbour usually does"`
}

// From how unlike what it comes from a join can be noticed a little, and from when on plainly (common practice).
const (
	noticed = 0.35
	plain   = 0.75
)

// Hidden says how well the joins are hidden.
func (f Fitted) Hidden() string {
	switch {
	case len(f.Parts) == 1:
		return "needs no join: its last sound is faded sooner"
	case f.Unlike < noticed:
		return "joins where the music repeats itself"
	case f.Unlike < plain:
		return "joins where it sounds alike"
	}
	return "joins that can be noticed: listen to them"
}

// Off says how far it is from a length that was asked for.
func (f Fitted) Off(wanted audio.Frames) string {
	by, word := f.Length-wanted, "longer"
	if by < 0 {
		by, word = -by, "shorter"
	}
	if by <= audio.Second/20 {
		return "As asked"
	}
	return fmt.Sprintf("By %.2f s %s than asked, as its bars allow no nearer", by.Seconds(), word)
}

// Fit finds the best ways to bring a piece, whose sound is pcm, to a length: the best first and
// at most two, which share no join. An error, always a problem.Problem, says why there is none: no-beat,
// no-join, too-short or too-long.
func (p Piece) Fit(pcm audio.PCM, wanted audio.Frames) ([]Fitted, error) {
	switch {
	case p.Length > Longest:
		return nil, problem.New("too-long", "clip", "A piece of up to %v can be fitted; this one is longer.", Longest)
	case p.Tempo == 0 || len(p.Beats) < 4*p.Bar:
		return nil, problem.New("no-beat", "clip", "No steady beat was found in this piece, so no join would be sure to fit. Fill the length with it again and again, or let it end with a fade.")
	case wanted > Longest:
		return nil, problem.New("too-long", "length", "A piece can be brought to up to %v. Fill more than that with it again and again.", Longest)
	case wanted < p.shortest():
		return nil, problem.New("too-short", "length", "With its own beginning and its own ending this piece is at least %v long.", p.shortest())
	}
	if p.Length >= wanted-near && p.Length-p.slack() <= wanted { // it needs no join
		return []Fitted{p.finish(Fitted{Parts: []Section{{From: 0, To: p.Length}}}, wanted)}, nil
	}
	var out []Fitted
	joins := p.joins()
	for range 2 {
		found, used, ok := p.search(joins, wanted)
		if !ok {
			break
		}
		out = append(out, p.exact(pcm, found, used, wanted))
		joins = p.without(joins, used)
	}
	if len(out) == 0 {
		return nil, problem.New("no-join", "length", "No two places in this piece are so alike that it could go from one to the other for this length. Fill the length with it again and again, let it end with a fade, or ask for another length.")
	}
	return out, nil
}

// near is how far from the wanted length is met all the same.
const near = audio.Second / 20

// slack is how much of the ending can be left out.
func (p Piece) slack() audio.Frames { return max(0, p.Length-p.Ending) }

// finish brings a way to play the piece to the wanted length, as far as its ending allows.
func (p Piece) finish(f Fitted, wanted audio.Frames) Fitted {
	f.Length = 0
	for i, part := range f.Parts {
		f.Length += part.To - part.From
		if i > 0 {
			f.Length -= Cross
		}
	}
	if over := f.Length - wanted; over > 0 {
		cut := min(over, p.slack())
		last := &f.Parts[len(f.Parts)-1]
		last.To -= cut
		f.Length -= cut
		f.FadeOut = min(max(cut, audio.Second), 3*audio.Second, (last.To-last.From)/2)
	}
	return f
}
