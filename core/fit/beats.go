package fit

import (
	"math"
	"slices"

	"gonum.org/v1/gonum/dsp/fourier"

	"ruvel/core/audio"
)

// Onsets are looked for in windows of 21 ms, every 5 ms.
const (
	onsetWindow = 1024
	onsetHop    = audio.Rate / 200
	onsetRate   = 200.0 // a second
	// onsetLag is how long after a window's beginning, and the silence before the piece, that
	// begins which makes it rise most: where the slope of the window is steepest. Tried on clicks.
	onsetLag = 3*onsetWindow/4 - onsetWindow
)

// hann is the shape of a window.
func hann(n int) []float64 {
	w := make([]float64, n)
	for i := range w {
		w[i] = 0.5 - 0.5*math.Cos(2*math.Pi*float64(i)/float64(n))
	}
	return w
}

// onsetBands is in how many bands, as wide as the ear's (common practice), rises are looked for.
const onsetBands = 28

// The lowest bands, up to 250 Hz, count more: beats are where the bass is, and not where the
// shaker is (own values). The bass itself is below 110 Hz.
const (
	bassBands = 5
	lowBands  = 9
	lowWeight = 2.5
)

// onsets is how much the spectrum rises from window to window, in units of its own spread, and
// how much its bass does.
func onsets(x []float32) (all, bass []float64) {
	x = append(make([]float32, onsetWindow), x...) // what begins at once is an onset, too
	n := max(0, (len(x)-onsetWindow)/onsetHop+1)
	all, bass = make([]float64, n), make([]float64, n)
	fft, shape := fourier.NewFFT(onsetWindow), hann(onsetWindow)
	in, spectrum := make([]float64, onsetWindow), make([]complex128, onsetWindow/2+1)
	band := bandsOf(len(spectrum), audio.Rate/float64(onsetWindow), 40, 12000, onsetBands)
	var before, now [onsetBands]float64
	for k := range all {
		for i, w := range shape {
			in[i] = w * float64(x[k*onsetHop+i])
		}
		fft.Coefficients(spectrum, in)
		now = [onsetBands]float64{}
		for b, v := range spectrum {
			if band[b] >= 0 {
				now[band[b]] += real(v)*real(v) + imag(v)*imag(v)
			}
		}
		for b, v := range now {
			now[b] = math.Log1p(100 * math.Sqrt(v))
			if k > 0 {
				rise := math.Max(0, now[b]-before[b])
				if b < lowBands {
					rise *= lowWeight
				}
				if b < bassBands {
					bass[k] += rise
				}
				all[k] += rise
			}
		}
		before = now
	}
	return normal(lessTrend(all)), bass
}

// bandsOf is in which band each bin of a spectrum lies; -1: in none. Bands are spaced by octaves.
func bandsOf(bins int, hertz, from, to float64, n int) []int {
	out := make([]int, bins)
	for b := range out {
		out[b] = -1
		if f := float64(b) * hertz; f >= from && f < to {
			out[b] = int(float64(n) * math.Log(f/from) / math.Log(to/from))
		}
	}
	return out
}

// lessTrend takes off what is usual within half a second around.
func lessTrend(v []float64) []float64 {
	const reach = 50
	sums := make([]float64, len(v)+1)
	for i, x := range v {
		sums[i+1] = sums[i] + x
	}
	out := make([]float64, len(v))
	for i, x := range v {
		from, to := max(0, i-reach), min(len(v), i+reach)
		out[i] = math.Max(0, x-(sums[to]-sums[from])/float64(to-from))
	}
	return out
}

// normal brings values to a spread of 1.
func normal(v []float64) []float64 {
	sum := 0.0
	for _, x := range v {
		sum += x * x
	}
	if sum == 0 {
		return v
	}
	g := 1 / math.Sqrt(sum/float64(len(v)))
	for i := range v {
		v[i] *= g
	}
	return v
}

// The tempi that are looked for, the one that is likeliest (both common practice), and by how
// many octaves others are less so (Ellis 2007).
const (
	slowest = 48.0
	fastest = 200.0
	likely  = 110.0
	spread  = 0.9
)

// regular is how much of the onsets' power must come again after four or after eight beats.
const regular = 0.2

// tempo finds the period of the beat, in hops.
func tempo(on []float64) (period float64, found bool) {
	first, last := int(60*onsetRate/fastest), int(60*onsetRate/slowest)
	if len(on) < 8*last {
		return 0, false
	}
	again := correlations(smooth(on), 8*last+8)
	if again[0] == 0 {
		return 0, false
	}
	// How much comes again after one to eight beats, each of which is known to a few hops.
	after := func(p float64) (sum, later float64) {
		for m := 1.0; m <= 8; m++ {
			v := 0.0
			for off := -2.0; off <= 2; off++ {
				v = math.Max(v, between(again, m*p+off)/again[0])
			}
			sum += v / 8
			if m == 4 || m == 8 {
				later = math.Max(later, v)
			}
		}
		return sum, later
	}
	best, steady := 0.0, 0.0
	for p := float64(first); p <= float64(last); p *= 1.0025 {
		octaves := math.Log2(60 * onsetRate / p / likely)
		sum, later := after(p)
		if v := sum * math.Exp(-octaves*octaves/(2*spread*spread)); v > best {
			best, steady, period = v, later, p
		}
	}
	if steady < regular {
		return 0, false
	}
	// What comes again eight times later tells the period eight times as exactly.
	rough, most := period, 0.0
	for fine := rough * 0.99; fine <= rough*1.01; fine += 0.01 {
		sum := 0.0
		for m := 1.0; m <= 8; m++ {
			sum += between(again, m*fine)
		}
		if sum > most {
			period, most = fine, sum
		}
	}
	return period, true
}

// smooth spreads onsets over their neighbours, so that those which fall between two hops meet.
func smooth(v []float64) []float64 {
	out := make([]float64, len(v))
	shape := [7]float64{1, 2, 3, 4, 3, 2, 1}
	for i := range v {
		for k, share := range shape {
			if at := i + k - 3; at >= 0 && at < len(v) {
				out[i] += v[at] * share / 16
			}
		}
	}
	mean := 0.0
	for _, x := range out {
		mean += x / float64(len(out))
	}
	for i := range out {
		out[i] -= mean
	}
	return out
}

// correlations are those of a row with itself, for all lags below most.
func correlations(v []float64, most int) []float64 {
	out := make([]float64, min(most, len(v)))
	for lag := range out {
		for i := lag; i < len(v); i++ {
			out[lag] += v[i] * v[i-lag]
		}
		out[lag] /= float64(len(v) - lag)
	}
	return out
}

// between is a value between two places of a row.
func between(v []float64, at float64) float64 {
	i := int(at)
	if i < 0 || i+1 >= len(v) {
		return 0
	}
	x := at - float64(i)
	return v[i]*(1-x) + v[i+1]*x
}

// tight is how much a beat that comes early or late costs against what an onset is worth (Ellis 2007).
const tight = 400

// track finds the row of beats, about a period apart, that meets the most onsets. Beats go on
// through what has none, to the end.
func track(on []float64, period float64) []int {
	on = smooth(on)
	n := len(on)
	score, from := make([]float64, n), make([]int, n)
	near, far := int(period/1.5), int(period*1.5)
	cost := make([]float64, far+1)
	for d := near; d <= far; d++ {
		off := math.Log(float64(d) / period)
		cost[d] = tight * off * off
	}
	for i := range n {
		score[i], from[i] = on[i], -1
		if i < near {
			continue
		}
		best := math.Inf(-1)
		for d := near; d <= min(far, i); d++ {
			if v := score[i-d] - cost[d]; v > best {
				best, from[i] = v, i-d
			}
		}
		if from[i] >= 0 && best > 0 {
			score[i] += best
		} else {
			from[i] = -1
		}
	}
	end := max(0, n-int(period))
	for i := end; i < n; i++ {
		if score[i] > score[end] {
			end = i
		}
	}
	var beats []int
	for i := end; i >= 0; i = from[i] {
		beats = append(beats, i)
	}
	slices.Reverse(beats)
	// Before the first onset and after the last, beats go on as they would.
	for len(beats) > 0 && float64(beats[0]) > period*1.2 {
		beats = slices.Insert(beats, 0, beats[0]-int(math.Round(period)))
	}
	for len(beats) > 0 && beats[len(beats)-1]+int(period) < n {
		beats = append(beats, beats[len(beats)-1]+int(math.Round(period)))
	}
	return beats
}

// offBeat is how much more bass there must be between a row of beats than on it for the row to
// be taken for off-beats (own value).
const offBeat = 1.5

// onTheBeat gives the row of beats itself, or, if it is one of off-beats, the row between it, each
// at the onset that is nearest there.
func onTheBeat(on, bass []float64, beats []int) []int {
	var between []int
	for i := 0; i+1 < len(beats); i++ {
		gap := beats[i+1] - beats[i]
		between = append(between, highestAround(on, beats[i]+gap/2, 3))
	}
	if len(between) == 0 {
		return beats
	}
	if first := beats[0] - (beats[1]-beats[0])/2; first >= 0 {
		between = slices.Insert(between, 0, first)
	}
	sum := func(row []int) (sum float64) {
		for _, at := range row {
			for i := max(0, at-2); i <= min(len(bass)-1, at+2); i++ {
				sum += bass[i]
			}
		}
		return sum / float64(len(row))
	}
	if sum(between) > offBeat*sum(beats) {
		return between
	}
	return beats
}

// highestAround is where a row is highest within a reach of a place.
func highestAround(v []float64, at, reach int) int {
	best := min(max(0, at), len(v)-1)
	for i := max(0, at-reach); i <= min(len(v)-1, at+reach); i++ {
		if v[i] > v[best] {
			best = i
		}
	}
	return best
}
