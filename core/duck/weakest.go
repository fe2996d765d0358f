package duck

import (
	"math"

	"ruvel/core/audio"
	"ruvel/core/lead"
	"ruvel/core/session"
)

// Moments are mean K-weighted squares per 100 ms around a stretch of speech, Reach before it and after it: of the voices, of all that makes
// no way, and of each of the tracks that make way, before they do; and whether somebody speaks. All rows are of one length.
type Moments struct {
	Speech, Still []float64
	Under         [][]float64
	Spoken        []bool
}

// Reach is how many moments around a stretch of speech matter to it: it lies in looks of three seconds, around moments up to half as far away.
const Reach = lead.Window

// margin is by how many LU more than what counts as a miss a lead is kept in every three seconds: what is planned is known per
// 100 ms of each recording, and what is heard differs from that by as much.
const margin = 0.5

// Deepen makes the drops under a stretch, which lies from one moment to another, deeper than its mean needs where a soft sentence in it
// would miss: until in no three seconds that it lies in speech leads by so much less than wanted that it counts as a miss (lead.Swing), or
// those that could still go down have reached their most. A stretch beside it that needs less does not matter: it is looked
// at as if it went down by the same, and what it needs more it does itself. So next to one that goes down further a stretch can go deeper than it
// needs: what it does depends on nobody's drops but its own. drops are those of the tracks under it, in their order.
func (m Moments) Deepen(drops []audio.DB, ways []session.Way, from, to int) {
	const half = lead.Window / 2
	n := len(m.Spoken) + 1
	all, sums := make([]float64, n*(3+len(m.Under))), make([][]float64, 3+len(m.Under))
	for k := range sums {
		sums[k] = all[k*n : (k+1)*n]
	}
	m.sum(nil, sums[0])
	m.sum(m.Speech, sums[1])
	m.sum(m.Still, sums[2])
	for k, row := range m.Under {
		m.sum(row, sums[3+k])
	}
	count, sums := sums[0], sums[1:]
	wanted, gains := make([]Under, len(ways)), make([]float64, len(ways))
	for k, w := range ways {
		w.Lead -= lead.Swing - margin
		wanted[k].Way, gains[k] = w, square(-drops[k])
	}
	for i := max(0, from-half+1); i < min(len(m.Spoken), to+half); i++ {
		if !m.Spoken[i] {
			continue
		}
		begin, end := max(0, i-half), min(len(m.Spoken), i+half)
		moments := count[end] - count[begin]
		over := func(k int) float64 { return (sums[k][end] - sums[k][begin]) / moments }
		speech, rest := over(0), over(1)
		if speech < lead.Unheard {
			continue
		}
		for k := range wanted {
			wanted[k].Power = over(2 + k)
			rest += wanted[k].Power * gains[k]
		}
		if !short(speech, rest, wanted, drops) {
			continue
		}
		for k, d := range Drops(speech, over(1), wanted) {
			if d > drops[k] {
				drops[k], gains[k] = d, square(-d)
			}
		}
	}
}

// sum gives what lies before each moment of a row where somebody speaks; of no row how many moments that are.
func (m Moments) sum(row, to []float64) {
	for i, said := range m.Spoken {
		to[i+1] = to[i]
		switch {
		case said && row == nil:
			to[i+1]++
		case said:
			to[i+1] += row[i]
		}
	}
}

// short says whether speech leads by less than one of the tracks wants that can be heard and still go down.
func short(speech, rest float64, under []Under, drops []audio.DB) bool {
	for k, u := range under {
		if u.Way.By == session.ByLead && drops[k] < u.Way.Most && u.Power >= Inaudible && rest > speech*math.Pow(10, -u.Way.Lead/10) {
			return true
		}
	}
	return false
}
