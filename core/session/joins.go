package session

import (
	"cmp"
	"slices"
	"sort"

	"ruvel/core/audio"
)

// nextTo is how far apart two clips may lie and still be heard as joined.
const nextTo = audio.Second / 10

// Joins gives the stretches of session time around the places at which one clip ends and
// another begins on the same track, on tracks that can be heard: so much before and after
// each, in order, those that overlap made one.
func (d Document) Joins(around audio.Frames) []Span {
	var all []Span
	audible := d.Audible()
	for i, t := range d.Tracks {
		if !audible[i] {
			continue
		}
		var end audio.Frames // of what has begun before
		for n, id := range t.ClipsInOrder() {
			c := t.Clips[id]
			if n > 0 && c.Start <= end+nextTo {
				from, to := min(c.Start, end), min(max(c.Start, end), c.End())
				all = append(all, Span{From: max(0, from-around), To: to + around})
			}
			end = max(end, c.End())
		}
	}
	out := Joined(all)
	length := d.Length()
	for i := range out {
		out[i].To = min(out[i].To, length)
	}
	return out
}

// SpansIn are those of some spans, in order and apart, that reach into the time from one frame to another. They are not copied.
func SpansIn(spans []Span, from, to audio.Frames) []Span {
	first := sort.Search(len(spans), func(i int) bool { return spans[i].To > from })
	last := sort.Search(len(spans), func(i int) bool { return spans[i].From >= to })
	return spans[first:max(first, last)]
}

// Joined are spans in order, those that overlap or touch made one. What is given stays as it is.
func Joined(spans []Span) []Span {
	all := slices.Clone(spans)
	slices.SortFunc(all, func(a, b Span) int { return cmp.Compare(a.From, b.From) })
	out := all[:0]
	for _, s := range all {
		if n := len(out); n > 0 && s.From <= out[n-1].To {
			out[n-1].To = max(out[n-1].To, s.To)
			continue
		}
		out = append(out, s)
	}
	return out
}
