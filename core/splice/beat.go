package splice

import (
	"math"

	"ruvel/core/audio"
)

// The tempi that are looked for, in beats a minute (common practice).
const (
	slowest = 55
	fastest = 190
)

// sure is how much of the onsets' power must come again after a beat for there to be one.
const sure = 0.25

// Beat finds how long a beat of a piece of music is, in frames, from the autocorrelation of
// its onsets: how the power rises from hop to hop. Found is false for what has no
// regular beat, such as speech, swell or silence.
func Beat(p audio.PCM) (period float64, found bool) {
	on := onsets(p)
	whole := correlation(on, 0)
	if whole == 0 {
		return 0, false
	}
	first, last := 60*audio.Rate/(fastest*hop), 60*audio.Rate/(slowest*hop)
	if len(on) < 4*last {
		return 0, false
	}
	best, lag := 0.0, 0
	for k := first; k <= last; k++ {
		// What is regular comes again after two and after four beats, too.
		v := (correlation(on, k) + highest(on, 2*k, 1) + highest(on, 4*k, 2)) / 3
		if v > best*1.05 {
			best, lag = v, k
		}
	}
	if best < sure*whole {
		return 0, false
	}
	// Four beats later the same is four times as exact.
	fine, most := 4*lag, 0.0
	for k := 4*lag - 4; k <= 4*lag+4; k++ {
		if v := correlation(on, k); v > most {
			fine, most = k, v
		}
	}
	return (float64(fine) + peak(correlation(on, fine-1), most, correlation(on, fine+1))) * hop / 4, true
}

// highest is the highest correlation around a lag, which is known to half a hop a beat.
func highest(v []float64, lag, reach int) (most float64) {
	for k := lag - reach; k <= lag+reach; k++ {
		most = max(most, correlation(v, k))
	}
	return most
}

// onsets is by how much the level rises, from hop to hop, spread over its neighbours, so
// that a beat which falls between two hops is still one, and with its mean taken off.
func onsets(p audio.PCM) []float64 {
	l := levels(p)
	out := make([]float64, len(l))
	mean := 0.0
	spread := [5]float64{1, 2, 3, 2, 1}
	for i := 1; i < len(l); i++ {
		rise := math.Max(0, math.Sqrt(l[i])-math.Sqrt(l[i-1])) / 9
		for k, share := range spread {
			if at := i + k - 2; at >= 0 && at < len(out) {
				out[at] += rise * share
			}
		}
		mean += rise * 9 / float64(len(l))
	}
	for i := range out {
		out[i] -= mean
	}
	return out
}

func correlation(v []float64, lag int) (sum float64) {
	for i := lag; i < len(v); i++ {
		sum += v[i] * v[i-lag]
	}
	if n := len(v) - lag; n > 0 {
		return sum / float64(n)
	}
	return 0
}

// peak is where a parabola through three neighbours has its top, from the middle one.
func peak(a, b, c float64) float64 {
	if d := a - 2*b + c; d < 0 {
		return math.Max(-0.5, math.Min(0.5, (a-c)/(2*d)))
	}
	return 0
}

// Loop finds after how many frames a piece of music can begin again. It is a whole number
// of beats if there is a beat, of bars of four if there are that many, moved by up to 10 ms
// to where what would come next is most like the beginning. The loop leaves cross frames of the piece for
// the crossing. Without a beat it is all that the piece has.
func Loop(p audio.PCM, cross audio.Frames) (length audio.Frames, onBeat bool) {
	most := p.Length() - cross
	period, found := Beat(p)
	if !found || float64(most) < 2*period {
		return most, false
	}
	reach := audio.Frames(2 * hop)
	beats := math.Floor(float64(most-reach) / period)
	if beats >= 4 {
		beats -= math.Mod(beats, 4)
	}
	middle := audio.Frames(math.Round(beats * period))
	best, like := middle, math.Inf(-1)
	for at := max(1, middle-reach); at <= min(most, middle+reach); at++ {
		if v := likeness(p, at, cross); v > like {
			best, like = at, v
		}
	}
	return best, true
}

// likeness is the correlation of the beginning of a sound with what stands at a place.
func likeness(p audio.PCM, at, n audio.Frames) float64 {
	var both, a, b float64
	for _, channel := range p {
		for i := range n {
			x, y := float64(channel[i]), float64(channel[at+i])
			both, a, b = both+x*y, a+x*x, b+y*y
		}
	}
	if a == 0 || b == 0 {
		return 0
	}
	return both / math.Sqrt(a*b)
}
