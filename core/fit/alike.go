package fit

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"ruvel/core/audio"
)

// What a beat sounds like is seen in windows of 171 ms, every 43 ms, in bands between 55 Hz
// and 12 kHz; its notes up to 2 kHz.
const (
	soundWindow = 8192
	soundHop    = 2048
	bands       = 24
	lowest      = 55.0
	highest     = 12000.0
	noteTop     = 2000.0
	floor       = 50.0 // dB under the loudest band that are looked at
)

// sound is what one beat sounds like.
type sound struct {
	notes [12]float64    // chroma, of length 1
	bands [bands]float64 // dB, from the floor up
	power float64
}

// unlike is how differently two beats sound: 0 not at all, about 1 a different chord on the same
// instruments.
func (a sound) unlike(b sound) float64 {
	same := 0.0
	for i, v := range a.notes {
		same += v * b.notes[i]
	}
	colour := 0.0
	for i, v := range a.bands {
		colour += (v - b.bands[i]) * (v - b.bands[i])
	}
	return 2*(1-same) + math.Sqrt(colour/bands)/12
}

// heard is what each beat sounds like, up to the next.
func heard(x []float32, beats []audio.Frames, length audio.Frames) []sound {
	fft, shape := fourier.NewFFT(soundWindow), hann(soundWindow)
	in, spectrum := make([]float64, soundWindow), make([]complex128, soundWindow/2+1)
	band := bandsOf(len(spectrum), audio.Rate/float64(soundWindow), lowest, highest, bands)
	note := make([]int, len(spectrum))
	for b := range note {
		hertz := float64(b) * audio.Rate / soundWindow
		note[b] = -1
		if hertz >= lowest && hertz < noteTop {
			note[b] = int(math.Round(12*math.Log2(hertz/440))+1200) % 12
		}
	}
	out := make([]sound, len(beats))
	loudest := 0.0
	for k := range out {
		from, to := int(beats[k]), int(length)
		if k+1 < len(beats) {
			to = int(beats[k+1])
		}
		s := &out[k]
		for _, v := range x[from:to] {
			s.power += float64(v) * float64(v) / float64(max(1, to-from))
		}
		windows := 0
		for at := from; at+soundWindow/2 <= to || at == from; at += soundHop {
			for i, w := range shape {
				in[i] = 0
				if at+i < len(x) {
					in[i] = w * float64(x[at+i])
				}
			}
			fft.Coefficients(spectrum, in)
			for b, v := range spectrum {
				power := real(v)*real(v) + imag(v)*imag(v)
				if note[b] >= 0 {
					s.notes[note[b]] += math.Sqrt(power)
				}
				if band[b] >= 0 {
					s.bands[band[b]] += power
				}
			}
			windows++
		}
		for i := range s.bands {
			s.bands[i] /= float64(windows)
			loudest = math.Max(loudest, s.bands[i])
		}
	}
	for k := range out {
		out[k].settle(loudest)
	}
	return out
}

// settle brings the notes to length 1 and the bands to dB.
func (a *sound) settle(loudest float64) {
	// Partials and noise are in all notes: what counts is what stands out.
	least := slices.Min(a.notes[:])
	sum := 0.0
	for i := range a.notes {
		a.notes[i] -= least
		sum += a.notes[i] * a.notes[i]
	}
	for i := range a.notes {
		if sum > 0 {
			a.notes[i] /= math.Sqrt(sum)
		}
	}
	for i, v := range a.bands {
		a.bands[i] = math.Max(0, floor+10*math.Log10(math.Max(1e-30, v/math.Max(1e-30, loudest))))
	}
}

// bars finds how many beats a bar has, and the first that begins one: where what is heard
// changes most from a beat to the next.
func bars(sounds []sound) (bar, first int) {
	change := make([]float64, len(sounds))
	for k := 1; k < len(sounds); k++ {
		change[k] = sounds[k-1].unlike(sounds[k])
	}
	best := math.Inf(-1)
	for _, n := range []int{4, 3} {
		for phase := range n {
			on, off, ons, offs := 0.0, 0.0, 0, 0
			for k := 1; k < len(change); k++ {
				if k%n == phase {
					on, ons = on+change[k], ons+1
				} else {
					off, offs = off+change[k], offs+1
				}
			}
			if ons == 0 || offs == 0 {
				continue
			}
			// That it is three must be clearer: most music is in four (common practice).
			v := on/float64(ons) - off/float64(offs)
			if n == 3 {
				v *= 0.9
			}
			if v > best {
				best, bar, first = v, n, phase
			}
		}
	}
	return bar, first
}

// barFrom is what the beats of a bar sound like together, from a beat on.
func (p Piece) barFrom(k int) (s sound) {
	n := 0
	for i := max(0, k); i < min(len(p.sounds), k+p.Bar); i++ {
		for b, v := range p.sounds[i].bands {
			s.bands[b] += v
		}
		for b, v := range p.sounds[i].notes {
			s.notes[b] += v
		}
		s.power += p.sounds[i].power
		n++
	}
	if n == 0 {
		return s
	}
	length := 0.0
	for b := range s.bands {
		s.bands[b] /= float64(n)
	}
	for _, v := range s.notes {
		length += v * v
	}
	for b := range s.notes {
		if length > 0 {
			s.notes[b] /= math.Sqrt(length)
		}
	}
	s.power /= float64(n)
	return s
}

// measureBars learns how much neighbouring bars differ in this piece.
func (p *Piece) measureBars() {
	var all []float64
	for k := p.First; k+2*p.Bar <= p.last(); k += p.Bar {
		all = append(all, p.barFrom(k).unlike(p.barFrom(k+p.Bar)))
	}
	if len(all) > 0 {
		slices.Sort(all)
		p.jump, p.usual = all[len(all)-1], all[len(all)/2]
	}
}

// last is the number of the first beat that lies in the ending.
func (p Piece) last() int {
	i, _ := slices.BinarySearch(p.Beats, p.Ending)
	return i
}
