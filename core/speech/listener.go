package speech

import (
	"math"

	"ruvel/core/audio"
)

// What is looked at: every 10 ms the spectrum of 21 ms around it, at 24 kHz, and the harmonicity of 43 ms, at 4 kHz.
const (
	step   = audio.Rate / 100
	half   = audio.Rate / 2
	window = 512
	stride = half / 100
	bands  = 16

	slow     = 6 // of so many frames at 24 kHz there is one at 4 kHz
	slowRate = half / slow
	slowStep = slowRate / 100
	slowSpan = 172            // 43 ms, three periods of a voice of 70 Hz
	shortLag = slowRate / 400 // of the highest voice
	longLag  = slowRate / 70  // of the lowest
)

// edges are those of the bands, in Hz: a third of an octave and more each. Nothing under them counts,
// so that a constant offset and most of the hum of mains are not heard at all.
var edges = [bands + 1]float64{110, 190, 280, 390, 520, 680, 880, 1130, 1450, 1850, 2350, 3000, 3800, 4800, 6100, 7700, 10500}

// Listener listens to a recording as it is written. Make one with NewListener; it is for one goroutine.
type Listener struct {
	written  audio.Frames
	halved   halver
	slowed   mean
	heard    []float32 // at 24 kHz, as much as is still needed
	slower   []float32 // and at 4 kHz
	spectrum *spectrum
	shape    [window]float32
	firstBin [bands + 1]int
	looks    []look
}

// look is what is known of 10 ms of a recording.
type look struct {
	bands  [bands]float32 // power of each band, relative to full scale
	level  float32        // dB, of all bands together
	voiced float32        // harmonicity: 0 is noise, 1 a voice
	lag    float32        // of its period, in steps of the slower sound; 0 if it has none
}

// NewListener makes a listener for one or two channels, which are heard together.
func NewListener() *Listener {
	l := &Listener{spectrum: newSpectrum()}
	for i := range l.shape {
		l.shape[i] = float32(0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/window))
	}
	for b, hertz := range edges {
		l.firstBin[b] = int(math.Round(hertz * window / half))
	}
	// The first look is around the middle of the first step.
	l.heard = make([]float32, (window-stride)/2, 2*window+half/10)
	l.slower = make([]float32, (slowSpan-slowStep)/2, 2*slowSpan+slowRate/10)
	return l
}

// Write takes the next frames, in one or two channels.
func (l *Listener) Write(pcm audio.PCM) {
	l.written += pcm.Length()
	for at := audio.Frames(0); at < pcm.Length(); at += audio.Rate / 10 {
		l.hear(pcm.Slice(at, min(at+audio.Rate/10, pcm.Length())))
	}
}

func (l *Listener) hear(pcm audio.PCM) {
	cancel := len(pcm) == 2 && cancels(pcm[0], pcm[1])
	for i, v := range pcm[0] {
		switch {
		case cancel:
			v = (v - pcm[1][i]) / 2
		case len(pcm) == 2:
			v = (v + pcm[1][i]) / 2
		}
		if v-v != 0 { // no number
			v = 0
		}
		if w, there := l.halved.add(v); there {
			l.heard = append(l.heard, w)
			if u, there := l.slowed.add(w); there {
				l.slower = append(l.slower, u)
			}
		}
	}
	l.look()
}

// cancels says whether two sides are so much each other's opposite that little is left of their sum.
func cancels(left, right []float32) bool {
	var sum, difference float64
	for i, v := range left {
		w := right[i]
		sum += float64(v+w) * float64(v+w)
		difference += float64(v-w) * float64(v-w)
	}
	return sum < difference/16
}

// look looks at all pairs of steps whose surroundings have been heard.
func (l *Listener) look() {
	at, slowAt := 0, 0
	for at+stride+window <= len(l.heard) && slowAt+slowStep+slowSpan <= len(l.slower) {
		first, second := l.spectra(l.heard[at:at+window], l.heard[at+stride:at+stride+window])
		first.listen(l.slower[slowAt : slowAt+slowSpan])
		second.listen(l.slower[slowAt+slowStep : slowAt+slowStep+slowSpan])
		l.looks = append(l.looks, first, second)
		at, slowAt = at+2*stride, slowAt+2*slowStep
	}
	l.heard = l.heard[:copy(l.heard, l.heard[at:])]
	l.slower = l.slower[:copy(l.slower, l.slower[slowAt:])]
}

// spectra measures the bands of two windows with one transformation.
func (l *Listener) spectra(a, b []float32) (first, second look) {
	l.spectrum.load(a, b, &l.shape)
	l.spectrum.transform()
	// Both halves of the spectrum, over the power of the window: the mean square of a band.
	const scale = 2 / (window * window * 0.375)
	for band := range bands {
		p, q := l.spectrum.powers(l.firstBin[band], l.firstBin[band+1])
		first.bands[band], second.bands[band] = p*scale, q*scale
	}
	return first, second
}

// listen completes a look with what follows from its bands and from the stretch around it.
func (l *look) listen(slower []float32) {
	var all float64
	for _, p := range l.bands {
		all += float64(p)
	}
	l.level = float32(10 * math.Log10(all+1e-12))
	if l.level > deaf {
		l.voiced, l.lag = harmonicity((*[slowSpan]float32)(slower))
	}
}

// deaf is the level, in dB, under which nobody is looked for.
const deaf = -85

// harmonicity is the highest normalised correlation of a stretch with itself a period of a voice later, and that period.
func harmonicity(slower *[slowSpan]float32) (best, at float32) {
	var mean float32
	for _, v := range slower {
		mean += v / slowSpan
	}
	var part [slowSpan]float32
	var energy [slowSpan + 1]float32 // of the samples before each
	for i, v := range slower {
		part[i] = v - mean
		energy[i+1] = energy[i] + part[i]*part[i]
	}
	var before, last float32
	for lag := shortLag - 1; lag <= longLag+1; lag++ {
		n := slowSpan - lag
		norm := energy[n] * (energy[slowSpan] - energy[lag])
		r := product(part[:n], part[lag:]) / float32(math.Sqrt(float64(norm)+1e-18))
		if last > before && last >= r && lag > shortLag { // a peak, not the slope down from no lag at all
			if last > best { // its top by a parabola through three points
				best, at = last, float32(lag-1)+0.5*(before-r)/(before-2*last+r-1e-9)
			}
		}
		before, last = last, r
	}
	return best, at
}

// product is the sum of the products of two rows of one length.
func product(a, b []float32) float32 {
	b = b[:len(a)]
	var s0, s1, s2, s3 float32
	i := 0
	for ; i+3 < len(a); i += 4 {
		x, y := a[i:i+4:i+4], b[i:i+4:i+4]
		s0, s1, s2, s3 = s0+x[0]*y[0], s1+x[1]*y[1], s2+x[2]*y[2], s3+x[3]*y[3]
	}
	for ; i < len(a); i++ {
		s0 += a[i] * b[i]
	}
	return s0 + s1 + s2 + s3
}

// rest looks at what is left at the end, as if silence followed.
func (l *Listener) rest() {
	want := int((l.written + step - 1) / step)
	silence := audio.NewPCM(1, 2*step)
	for len(l.looks) < want {
		l.hear(silence)
	}
	l.looks = l.looks[:want]
}

// halver takes every second frame of what has been made narrow enough for that: a half-band
// filter of 15 taps, by the window method (Hamming).
type halver struct {
	past [16]float32
	n    int
}

// halfBand are the taps at 1, 3, 5 and 7 frames from the middle; that in the middle is a half, the others 0.
var halfBand = func() (taps [4]float32) {
	sum := 0.5
	for i := range taps {
		k := float64(2*i + 1)
		v := math.Sin(math.Pi*k/2) / (math.Pi * k) * (0.54 + 0.46*math.Cos(math.Pi*k/8))
		taps[i] = float32(v)
		sum += 2 * v
	}
	for i := range taps {
		taps[i] /= float32(sum)
	}
	return taps
}()

func (h *halver) add(v float32) (out float32, there bool) {
	p := &h.past
	p[h.n&15] = v
	h.n++
	if h.n&1 == 1 {
		return 0, false
	}
	m := h.n + 16 - 8 // the middle of the last fifteen
	out = p[m&15] / 2
	for i, tap := range halfBand {
		out += tap * (p[(m-2*i-1)&15] + p[(m+2*i+1)&15])
	}
	return out, true
}

// mean is that of so many samples, which is low pass enough to hear whether there is a voice.
type mean struct {
	sum float32
	n   int
}

func (b *mean) add(v float32) (out float32, there bool) {
	b.sum += v
	if b.n++; b.n < slow {
		return 0, false
	}
	out = b.sum / slow
	*b = mean{}
	return out, true
}
