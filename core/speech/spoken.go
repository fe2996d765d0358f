package speech

import (
	"cmp"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Spoken gives the stretches of session time in which somebody can be heard to speak on
// the voice tracks, between two moments, in order and apart from each other.
func Spoken(doc session.Document, of Source, from, to audio.Frames) ([]session.Span, error) {
	var all []session.Span
	audible := doc.Audible()
	for i, t := range doc.Tracks {
		if t.Part != session.Voice || !audible[i] {
			continue
		}
		for _, c := range t.Clips {
			if c.Silent || c.Start >= to || c.End() <= from {
				continue
			}
			phrases, err := of.Phrases(c.Sound)
			if err != nil {
				return nil, err
			}
			for _, p := range phrases {
				s := session.Span{
					From: max(from, c.Start, p.From-c.Offset+c.Start),
					To:   min(to, c.End(), p.To-c.Offset+c.Start),
				}
				if s.From < s.To {
					all = append(all, s)
				}
			}
		}
	}
	slices.SortFunc(all, func(a, b session.Span) int { return cmp.Compare(a.From, b.From) })
	out := all[:0]
	for _, s := range all {
		if n := len(out); n > 0 && s.From <= out[n-1].To {
			out[n-1].To = max(out[n-1].To, s.To)
			continue
		}
		out = append(out, s)
	}
	return out, nil
}
