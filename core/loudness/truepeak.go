package loudness

import (
	"math"

	"ruvel/core/audio"
)

// Oversampling for the true peak: ITU-R BS.1770-4, annex 2, asks for at least four
// times. The filter is our own: a sinc under a Kaiser window, taps a phase.
const (
	phases = 4
	taps   = 16
	beta   = 5.0
	middle = taps/2 - 2 // the first of the four taps in the middle, which have most of the weight
)

// kernel holds the filter's phases 1 to 3, oldest sample first; phase 0 is the samples themselves.
type kernel struct {
	coefficients [phases - 1][taps]float32
	reach        float32             // the largest sum of absolute coefficients of a phase
	rest         [phases - 1]float32 // that sum of those of a phase that are not in its middle, and a little for rounding
}

var interpolator = newKernel()

func newKernel() *kernel {
	k := &kernel{}
	for p := range k.coefficients {
		var sum, reach float64
		var h [taps]float64
		for i := range h {
			t := float64(i) - taps/2 + float64(p+1)/phases
			h[i] = sinc(t) * kaiser(t/(taps/2))
			sum += h[i]
		}
		for i := range h {
			k.coefficients[p][taps-1-i] = float32(h[i] / sum)
			reach += math.Abs(h[i] / sum)
		}
		k.reach = max(k.reach, float32(reach))
		inner := 0.0
		for _, v := range k.coefficients[p][middle : middle+4] {
			inner += math.Abs(float64(v))
		}
		k.rest[p] = float32(reach - inner + 1e-4)
	}
	return k
}

func sinc(t float64) float64 {
	if t == 0 {
		return 1
	}
	return math.Sin(math.Pi*t) / (math.Pi * t)
}

func kaiser(x float64) float64 {
	if x < -1 || x > 1 {
		return 0
	}
	return bessel(beta*math.Sqrt(1-x*x)) / bessel(beta)
}

// bessel is the modified Bessel function of the first kind and order zero, by its series.
func bessel(x float64) float64 {
	sum, term := 1.0, 1.0
	for k := 1.0; term > 1e-17*sum; k++ {
		term *= x * x / (4 * k * k)
		sum += term
	}
	return sum
}

// TruePeak follows the true peak of one channel. The zero value is ready.
type TruePeak struct {
	history [taps]float32
	buffer  []float32
	peak    float32
	sample  float32 // the largest sample itself
	before  float32 // the largest sample of the stretch before
}

// stretch is how many frames are looked at before the filter is run on them: where
// the largest sample times the filter's reach is below the peak so far, no point
// between the samples can exceed it, and the filter is skipped. This is exact.
const stretch = 64

// Write takes the next samples and returns the largest true peak so far.
func (t *TruePeak) Write(samples []float32) float32 {
	t.buffer = append(append(t.buffer[:0], t.history[:]...), samples...)
	x := t.buffer
	for at := taps; at < len(x); at += stretch {
		end := min(at+stretch, len(x))
		own := audio.PeakOf(x[at:end])
		top := max(own, t.before) // the filter reaches no further back than the stretch before
		t.before, t.sample = own, max(t.sample, own)
		if end-at < taps {
			t.before = top // a short one does not cover that reach alone
		}
		if top*interpolator.reach <= t.peak {
			continue
		}
		t.peak = max(t.peak, own)
		for i := at; i < end; i++ {
			t.between((*[taps]float32)(x[i-taps+1:i+1]), top)
		}
	}
	copy(t.history[:], x[len(x)-taps:])
	return t.peak
}

// Reset forgets the peak but not the samples that lead into the next ones.
func (t *TruePeak) Reset() { t.peak = 0 }

// ResetTo forgets the peak, and looks from now on only for those above a level: Write returns it, or a higher one.
func (t *TruePeak) ResetTo(level float32) { t.peak = level }

// Over tells of the true peaks of a whole channel, stretch by stretch of so many frames, at
// least as many as the filter has taps: of each in which it comes over a floor, unless skip says
// that nobody asks. A peak counts where the filter has found it, up to half its length later.
func Over(channel []float32, every int, floor float32, skip func(stretch int) bool, tell func(stretch int, peak float32)) {
	var before float32 // the largest sample of the stretch before, to which the filter reaches back
	var t TruePeak
	for at, k := 0, 0; at < len(channel); at, k = at+every, k+1 {
		end := min(at+every, len(channel))
		own := audio.PeakOf(channel[at:end])
		top := max(own, before)
		before = own
		if top*interpolator.reach <= floor || skip(k) {
			continue
		}
		t.peak = max(floor, own)
		for i := at; i < end; i++ {
			if i >= taps-1 {
				t.between((*[taps]float32)(channel[i-taps+1:i+1]), top)
			} else { // before the channel there is silence
				var window [taps]float32
				copy(window[taps-1-i:], channel[:i+1])
				t.between(&window, top)
			}
		}
		if t.peak > floor {
			tell(k, t.peak)
		}
	}
}

// between runs the three phases between two samples in the middle of a window, none of whose samples is above top. Where
// what the middle of the filter gives and the most that its rest can add are below the peak so far, the rest is skipped.
// This is exact, too.
func (t *TruePeak) between(window *[taps]float32, top float32) {
	for p := range interpolator.coefficients {
		h := &interpolator.coefficients[p]
		inner := h[middle]*window[middle] + h[middle+1]*window[middle+1] + h[middle+2]*window[middle+2] + h[middle+3]*window[middle+3]
		if inner < 0 {
			inner = -inner
		}
		if inner+interpolator.rest[p]*top <= t.peak {
			continue
		}
		var a, b, c, d float32
		for i := 0; i < taps; i += 4 {
			a += h[i] * window[i]
			b += h[i+1] * window[i+1]
			c += h[i+2] * window[i+2]
			d += h[i+3] * window[i+3]
		}
		v := (a + b) + (c + d)
		if v < 0 {
			v = -v
		}
		if v > t.peak {
			t.peak = v
		}
	}
}
