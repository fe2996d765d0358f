package fit

import (
	"math"
	"slices"

	"ruvel/core/audio"
)

// join is a way from the end of one beat to the beginning of another: instead of beat out,
// beat in is heard.
type join struct {
	out, in int
	unlike  float64
}

// How a join must be (own values, tried on the house collection; the step is what the ear
// hardly notices in music).
const (
	step     = 1.0  // dB that the bars on its sides may differ from those they take the place of
	good     = 1.0  // of what is usual between neighbouring bars
	choice   = 12   // joins that are looked at from one beat
	joinCost = 0.15 // what any join costs: fewer are better
	slip     = 0.6  // and one that does not keep its place in the bar
)

// shortest is the piece without anything between its own beginning and its own ending: two bars of each.
func (p Piece) shortest() audio.Frames {
	if len(p.Beats) < 4*p.Bar || p.Bar == 0 {
		return 0
	}
	return p.Beats[p.opening()] + p.Length - p.Beats[p.closing()] - p.slack()
}

// opening is the first beat before which there may be a join, closing the last after which there may be one.
func (p Piece) opening() int { return min(len(p.Beats)-1, p.First+2*p.Bar) }
func (p Piece) closing() int { return max(0, min(p.last(), len(p.Beats)-1)-p.Bar) }

// joins are all that are good enough, by the beat that they leave before.
func (p Piece) joins() [][]join {
	all := make([][]join, len(p.Beats))
	bars := make([]sound, len(p.Beats)) // from each beat on
	for k := range bars {
		bars[k] = p.barFrom(k)
	}
	for out := p.opening(); out <= p.closing()+p.Bar && out < len(p.Beats); out++ {
		for in := p.First + p.Bar; in <= p.closing(); in++ {
			if in == out || abs(in-out) < p.Bar {
				continue
			}
			if j, ok := p.weigh(bars, out, in); ok {
				all[out] = append(all[out], j)
			}
		}
		slices.SortFunc(all[out], func(a, b join) int { return compare(a.unlike, b.unlike) })
		all[out] = all[out][:min(len(all[out]), choice)]
	}
	return all
}

func abs(n int) int { return max(n, -n) }

func compare(a, b float64) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// weigh says how much a join differs from the piece itself: from what would have come, and
// from what came before the place that it goes to.
func (p Piece) weigh(bars []sound, out, in int) (join, bool) {
	before, after := out-p.Bar, in
	if before < 0 || in-p.Bar < 0 {
		return join{}, false
	}
	natural := max(apart(bars[before].power, bars[out].power), apart(bars[in-p.Bar].power, bars[in].power))
	if apart(bars[before].power, bars[after].power) > natural+step {
		return join{}, false
	}
	if bars[before].unlike(bars[after]) > p.jump {
		return join{}, false
	}
	sum, weights := 0.0, 0.0
	for o := -p.Bar; o < p.Bar; o++ {
		if out+o < 0 || in+o < 0 || out+o >= len(p.sounds) || in+o >= len(p.sounds) {
			continue
		}
		w := 1 / (1 + math.Abs(float64(o)+0.5)) // the nearest beats are compared most
		sum, weights = sum+w*p.sounds[out+o].unlike(p.sounds[in+o]), weights+w
	}
	j := join{out: out, in: in, unlike: sum / weights / math.Max(1e-9, p.usual)}
	if (in-out)%p.Bar != 0 {
		j.unlike += slip
	}
	return j, j.unlike <= good
}

// apart is how many dB lie between two powers.
func apart(a, b float64) float64 {
	const silence = 1e-12
	return math.Abs(10 * math.Log10((a+silence)/(b+silence)))
}

// without are the joins that differ from those that have been used.
func (p Piece) without(all [][]join, used []join) [][]join {
	out := make([][]join, len(all))
	for k := range all {
		for _, j := range all[k] {
			if !slices.ContainsFunc(used, func(u join) bool { return abs(u.out-j.out) < p.Bar && abs(u.in-j.in) < p.Bar }) {
				out[k] = append(out[k], j)
			}
		}
	}
	return out
}

// reached is the best way to have played some beats and be at one of the piece.
type reached struct {
	cost float64
	from *reached
	via  *join
	beat int
}

// search finds the best row of joins for a length, by dynamic programming over the beats that
// have been played and the beat that is next.
func (p Piece) search(all [][]join, wanted audio.Frames) (Fitted, []join, bool) {
	n := len(p.Beats)
	period := float64(p.Beats[n-1]-p.Beats[0]) / float64(n-1)
	most := int(float64(wanted+p.slack())/period) + 2*p.Bar
	stay := 2 * p.Bar // beats that are played at least between two joins
	rows := make([][]*reached, most+stay+2)
	for i := range rows {
		rows[i] = make([]*reached, n)
	}
	offer := func(played, beat int, r reached) {
		if beat >= n || played >= len(rows) {
			return
		}
		if old := rows[played][beat]; old == nil || r.cost < old.cost {
			r.beat = beat
			rows[played][beat] = &r
		}
	}
	offer(0, 0, reached{})
	best, bestCost := Fitted{}, math.Inf(1)
	var used []join
	for played := 0; played < most; played++ {
		for beat, r := range rows[played] {
			if r == nil {
				continue
			}
			if beat == n-1 && r.cost < bestCost+1 {
				f, joins := p.unroll(r, wanted)
				miss := math.Abs((f.Length - wanted).Seconds())
				if cost := r.cost + math.Max(0, miss-near.Seconds())*missCost; cost < bestCost && len(joins) > 0 && miss < mostMiss(period) {
					best, bestCost, used = f, cost, joins
				}
				continue
			}
			offer(played+1, beat+1, reached{cost: r.cost, from: r.from, via: r.via})
			for i, j := range all[beat] {
				next := reached{cost: r.cost + joinCost + j.unlike*j.unlike, from: r, via: &all[beat][i]}
				// What has been gone to is played for a while.
				offer(played+min(stay, n-1-j.in), j.in+min(stay, n-1-j.in), next)
			}
		}
	}
	if len(used) == 0 {
		return Fitted{}, nil, false
	}
	return best, used, true
}

// missCost is what a second beside the wanted length costs, and mostMiss the most that may be missed: two bars of four, in seconds.
const missCost = 2

func mostMiss(period float64) float64 { return 8 * period / audio.Rate }

// unroll is what has been played on a way to the end.
func (p Piece) unroll(r *reached, wanted audio.Frames) (Fitted, []join) {
	var joins []join
	worst := 0.0
	for ; r != nil && r.via != nil; r = r.from {
		joins = append(joins, *r.via)
		worst = math.Max(worst, r.via.unlike)
	}
	slices.Reverse(joins)
	f := Fitted{Unlike: worst}
	from := audio.Frames(0)
	for _, j := range joins {
		f.Parts = append(f.Parts, Section{From: from, To: p.Beats[j.out]})
		from = p.Beats[j.in] - Cross
	}
	f.Parts = append(f.Parts, Section{From: from, To: p.Length})
	return p.finish(f, wanted), joins
}

// How joins are found to the sample: by likeness of what is heard around the beat, within what
// a beat may be wrong by.
const (
	reach = audio.Second / 80
	alike = audio.Second / 10
	early = audio.Second / 100 // a join lies before its beat, so that the beat is heard whole
	same  = 0.5
)

// exact puts joins where both sounds meet best.
func (p Piece) exact(pcm audio.PCM, f Fitted, joins []join, wanted audio.Frames) Fitted {
	f.FadeOut = 0
	f.Parts = slices.Clone(f.Parts)
	f.Parts[len(f.Parts)-1].To = p.Length
	for i, j := range joins {
		off, like := meet(pcm, p.Beats[j.out], p.Beats[j.in])
		f.Parts[i].To = p.Beats[j.out] - early
		f.Parts[i+1].From = p.Beats[j.in] + off - early - Cross
		f.Parts[i+1].Same = like > same
	}
	return p.finish(f, wanted)
}

// meet is by how many frames a place is moved to sound most like another, and how alike they are then.
func meet(pcm audio.PCM, at, other audio.Frames) (off audio.Frames, like float64) {
	like = math.Inf(-1)
	half := audio.Frames(alike / 2)
	if at < half || at+half > pcm.Length() || other < half+reach || other+half+reach > pcm.Length() {
		return 0, 0
	}
	a, b := fold(pcm, at-half, at+half), fold(pcm, other-half-reach, other+half+reach)
	for k := range 2*reach + 1 {
		d := audio.Frames((k + 1) / 2) // 0, 1, -1, 2, -2, …
		if k%2 == 0 {
			d = -d
		}
		if v := likeness(a, b[reach+d:]); v > like {
			off, like = d, v
		}
	}
	return off, like
}

// likeness is the correlation of two sounds: 1 the same, 0 nothing in common.
func likeness(a, b []float32) float64 {
	b = b[:len(a)]
	var both, x, y float64
	for i, v := range a {
		w := b[i]
		both += float64(v * w)
		x += float64(v * v)
		y += float64(w * w)
	}
	if x == 0 || y == 0 {
		return 0
	}
	return both / math.Sqrt(x*y)
}
