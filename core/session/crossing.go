package session

import (
	"cmp"
	"slices"

	"ruvel/core/audio"
)

// Crossing is a stretch of a track in which one clip takes over from another: from the
// frame at which the later one begins to the end of the earlier one.
type Crossing struct {
	Out  string       `json:"out" doc:"The clip that goes, by its id"`
	In   string       `json:"in" doc:"The clip that comes"`
	From audio.Frames `json:"from"`
	To   audio.Frames `json:"to"`
	Law  Law          `json:"law" enum:"equal-gain,equal-power"`
}

// Fade is the course of the gain on both sides: the clip that comes has it as its fade
// in, the one that goes as its fade out. Over N frames the gains at frame i are s(i/N) and
// s((N-i)/N), with s(t) = t, which sum to 1, or s(t) = sin(pi t/2), whose squares do.
func (c Crossing) Fade() Fade {
	shape := Linear
	if c.Law == CrossPower {
		shape = EqualPower
	}
	return Fade{Length: c.To - c.From, Shape: shape}
}

// Overlap is a place at which a clip begins in another of its track that ends in it,
// whether they cross there or are laid over each other.
type Overlap struct {
	Out, In  string
	From, To audio.Frames
}

// Overlaps lists them by their beginnings. Of several clips that could go there, the one
// that ends last counts. A clip that lies wholly inside another, with the same end perhaps,
// overlaps with it in no such place: both are heard.
func (t Track) Overlaps() (out []Overlap) {
	var open []string // clips that begin before the one that is looked at and have not ended
	for _, id := range t.ClipsInOrder() {
		c := t.Clips[id]
		open = slices.DeleteFunc(open, func(o string) bool { return t.Clips[o].End() <= c.Start })
		goes := ""
		for _, o := range open {
			a := t.Clips[o]
			if a.Start < c.Start && a.End() < c.End() && (goes == "" || a.End() > t.Clips[goes].End()) {
				goes = o
			}
		}
		if goes != "" {
			out = append(out, Overlap{Out: goes, In: id, From: c.Start, To: t.Clips[goes].End()})
		}
		open = append(open, id)
	}
	return out
}

// Crossings lists the stretches of a track in which a clip takes over from another, by
// their beginnings. Each clip goes in at most one of them and comes in at most one.
func (t Track) Crossings() (out []Crossing) {
	if !t.crosses() {
		return nil // as most do not, and every plan asks
	}
	gone := map[string]bool{}
	for _, o := range t.Overlaps() {
		if law := t.Clips[o.In].Crossing; law != LaidOver && !gone[o.Out] {
			gone[o.Out] = true
			out = append(out, Crossing{o.Out, o.In, o.From, o.To, law})
		}
	}
	return out
}

func (t Track) crosses() bool {
	for _, c := range t.Clips {
		if c.Crossing != LaidOver {
			return true
		}
	}
	return false
}

// Crowded is how many frames of a track have more than two clips, and where that begins first.
func (t Track) Crowded() (frames, first audio.Frames) {
	type edge struct {
		at audio.Frames
		by int
	}
	edges := make([]edge, 0, 2*len(t.Clips))
	for _, c := range t.Clips {
		edges = append(edges, edge{c.Start, 1}, edge{c.End(), -1})
	}
	slices.SortFunc(edges, func(a, b edge) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.by, b.by)) })
	depth := 0
	for i, e := range edges {
		if i > 0 && depth > 2 {
			if frames == 0 {
				first = edges[i-1].at
			}
			frames += e.at - edges[i-1].at
		}
		depth += e.by
	}
	return frames, first
}
