package speech

import "math"

// How a room is learnt.
const (
	around   = 500  // steps to either side from which the floor is taken: 5 s
	every    = 50   // steps from one learning to the next
	quantile = 0.12 // of the levels of a band lie under its floor, in any ten seconds of speech and more
	lowest   = 65   // dB under the voice, no floor is lower: a recording that was gated has a room all the same
)

// scatter is by how much the mean power of a noise lies over that quantile of its powers in 21 ms,
// as a factor, for each band: a band of more bins scatters less. From the chi-square distribution
// with two degrees of freedom for each bin that is independent, by the approximation of Wilson and Hilferty (1931).
func scatter(bins int) float64 {
	const normal = -1.175 // of which 12 % of a normal distribution lie below
	k := 2 * math.Max(1, float64(bins)/1.5)
	v := 2 / (9 * k)
	return 1 / math.Pow(1-v+normal*math.Sqrt(v), 3)
}

// room is the mean power of what is always there, band by band, at every learning.
type room [][bands]float64

// learn learns the room of a recording.
func (l *Listener) learn() room {
	var factors [bands]float64
	for b := range factors {
		factors[b] = scatter(l.firstBin[b+1] - l.firstBin[b])
	}
	loud := math.Pow(10, float64(l.loudest()-lowest)/10) / bands
	out := make(room, len(l.looks)/every+1)
	var levels [bands]levels
	from, to := 0, 0 // of which the levels are known
	for k := range out {
		begin, end := max(0, k*every-around), min(len(l.looks), k*every+around)
		// At the ends, as long a stretch as elsewhere.
		begin, end = max(0, min(begin, len(l.looks)-2*around)), min(len(l.looks), max(end, 2*around))
		for ; to < end; to++ {
			for b, p := range l.looks[to].bands {
				levels[b].add(p, 1)
			}
		}
		for ; from < begin; from++ {
			for b, p := range l.looks[from].bands {
				levels[b].add(p, -1)
			}
		}
		for b := range bands {
			out[k][b] = math.Max(loud, levels[b].quantile(quantile)*factors[b])
		}
	}
	return out
}

// levels counts powers by what is about their logarithm: the exponent and the first three bits
// after it, which are steps of less than half a dB. What is under 2^-40 counts as that.
type levels struct {
	count [8 * 48]int32
	n     int32
}

const levelBits = 20 // of a float32 that are left away

func (l *levels) add(power float32, times int32) {
	const lowest = (127 - 40) << 3
	l.count[min(max(int(math.Float32bits(power)>>levelBits)-lowest, 0), len(l.count)-1)] += times
	l.n += times
}

// quantile is the power under which a share of them lies.
func (l *levels) quantile(share float64) float64 {
	const lowest = (127 - 40) << 3
	left := int32(share * float64(l.n))
	for i, n := range l.count {
		if left -= n; left < 0 {
			// The middle of the step.
			return float64(math.Float32frombits(uint32(i+lowest)<<levelBits | 1<<(levelBits-1)))
		}
	}
	return 0
}

// loudest is the level, in dB, that a hundredth of a recording reaches.
func (l *Listener) loudest() float32 {
	var all levels
	for _, v := range l.looks {
		all.add(float32(math.Pow(10, float64(v.level)/10)), 1)
	}
	return float32(10 * math.Log10(all.quantile(0.99)+1e-12))
}

// at is the room at a step.
func (r room) at(i int) (out [bands]float64) {
	k := min(i/every, len(r)-1)
	next := min(k+1, len(r)-1)
	t := float64(i%every) / every
	for b := range out {
		out[b] = r[k][b]*(1-t) + r[next][b]*t
	}
	return out
}

// divergences are by how much each step stands out of the room, in dB: the mean over the bands of
// how their highest power in three steps stands to the room's.
func (l *Listener) divergences(r room) []float32 {
	out := make([]float32, len(l.looks))
	for i := range l.looks {
		under := r.at(i)
		var sum float64
		for b := range bands {
			high := l.looks[i].bands[b]
			if i > 0 {
				high = max(high, l.looks[i-1].bands[b])
			}
			if i+1 < len(l.looks) {
				high = max(high, l.looks[i+1].bands[b])
			}
			sum += float64(high) / under[b]
		}
		out[i] = float32(10 * math.Log10(sum/bands))
	}
	return out
}
