package review

import (
	"reflect"

	"ruvel/core/duck"
	"ruvel/core/edit"
)

// Together is one edit that does what the fixes of some findings do, and how many of them it takes in: those whose
// edits are of the type of the first one and can be done at once.
func Together(found []Finding) (op edit.Op, taken int) {
	var ops []edit.Op
	for _, f := range found {
		if f.Fix != nil && !f.Aside && (len(ops) == 0 || reflect.TypeOf(f.Fix.Op) == reflect.TypeOf(ops[0])) {
			ops = append(ops, f.Fix.Op)
		}
	}
	if len(ops) == 0 {
		return nil, 0
	}
	if op, can := joined(ops); can {
		return op, len(ops)
	}
	return ops[0], 1
}

// joined puts edits of one type together. What several change in one place is changed once: the first one says how.
func joined(ops []edit.Op) (edit.Op, bool) {
	switch a := ops[0].(type) {
	case edit.SetTracks:
		a.Tracks = merged(ops, func(o edit.SetTracks) []edit.TrackChange { return o.Tracks }, func(c edit.TrackChange) string { return c.Track })
		deepened(a.Tracks, ops)
		return a, true
	case edit.SetClips:
		a.Clips = merged(ops, func(o edit.SetClips) []edit.ClipChange { return o.Clips }, func(c edit.ClipChange) string { return c.Clip })
		return a, true
	case edit.SetFades:
		a.Fades = fadesOf(ops)
		return a, true
	case edit.SetSides:
		a.Sides = merged(ops, func(o edit.SetSides) []edit.SideOf { return o.Sides }, func(s edit.SideOf) string { return s.Sound })
		return a, true
	case edit.SetCrossings:
		a.Crossings = merged(ops, func(o edit.SetCrossings) []edit.CrossingChange { return o.Crossings }, func(c edit.CrossingChange) string { return c.Clip })
		return a, true
	case edit.MovePoints:
		a.Moves = merged(ops, func(o edit.MovePoints) []edit.PointMove { return o.Moves }, func(m edit.PointMove) edit.PointAt { return edit.PointAt{Line: m.Line, At: m.From} })
		return a, true
	case edit.LayerClips:
		a.Clips = merged(ops, func(o edit.LayerClips) []string { return o.Clips }, func(id string) string { return id })
		return a, true
	case edit.RemoveRanges:
		a.Ranges = nil
		for _, o := range ops {
			a.Ranges = append(a.Ranges, o.(edit.RemoveRanges).Ranges...)
		}
		return a, true
	case edit.TrimClips:
		a.Trims = merged(ops, func(o edit.TrimClips) []edit.Trim { return o.Trims }, func(t edit.Trim) string { return t.Clip + t.Edge })
		return a, true
	}
	return nil, false
}

// deepened has each track make way as far as any of the edits would have it.
func deepened(tracks []edit.TrackChange, ops []edit.Op) {
	for i, c := range tracks {
		if c.Way == nil {
			continue
		}
		way := *c.Way
		for _, o := range ops {
			for _, other := range o.(edit.SetTracks).Tracks {
				if other.Track == c.Track && other.Way != nil {
					way = duck.Deeper(way, *other.Way)
				}
			}
		}
		tracks[i].Way = &way
	}
}

// merged are the changes of all edits, without those of a place that an earlier one changes.
func merged[O edit.Op, T any, K comparable](ops []edit.Op, of func(O) []T, key func(T) K) (out []T) {
	seen := map[K]bool{}
	for _, o := range ops {
		changes := of(o.(O))
		for _, c := range changes {
			if !seen[key(c)] {
				out = append(out, c)
			}
		}
		for _, c := range changes {
			seen[key(c)] = true
		}
	}
	return out
}

// fadesOf puts fades at both ends of a clip together.
func fadesOf(ops []edit.Op) (out []edit.ClipFades) {
	at := map[string]int{}
	for _, o := range ops {
		for _, f := range o.(edit.SetFades).Fades {
			i, there := at[f.Clip]
			if !there {
				at[f.Clip] = len(out)
				out = append(out, f)
				continue
			}
			if out[i].In == nil {
				out[i].In = f.In
			}
			if out[i].Out == nil {
				out[i].Out = f.Out
			}
		}
	}
	return out
}
