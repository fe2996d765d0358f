package review

import (
	"reflect"

	"ruvel/core/edit"
)

// Together is one edit that does what the fixes of some findings do, and how many of them it takes in: those whose
// edits are of the type of the first one and can be done at once.
func Together(found []Finding) (op edit.Op, taken int) {
	for _, f := range found {
		if f.Fix == nil || f.Aside {
			continue
		}
		if op == nil {
			op, taken = f.Fix.Op, 1
			continue
		}
		if both, can := joined(op, f.Fix.Op); can {
			op, taken = both, taken+1
		}
	}
	return op, taken
}

// joined puts two edits together. What both change in one place is changed once: the first one says how.
func joined(a, b edit.Op) (edit.Op, bool) {
	if reflect.TypeOf(a) != reflect.TypeOf(b) {
		return a, false
	}
	switch a := a.(type) {
	case edit.SetTracks:
		a.Tracks = merged(a.Tracks, b.(edit.SetTracks).Tracks, func(c edit.TrackChange) string { return c.Track })
		return a, true
	case edit.SetClips:
		a.Clips = merged(a.Clips, b.(edit.SetClips).Clips, func(c edit.ClipChange) string { return c.Clip })
		return a, true
	case edit.SetFades:
		a.Fades = fadesOf(a.Fades, b.(edit.SetFades).Fades)
		return a, true
	case edit.SetSides:
		a.Sides = merged(a.Sides, b.(edit.SetSides).Sides, func(s edit.SideOf) string { return s.Sound })
		return a, true
	case edit.SetCrossings:
		a.Crossings = merged(a.Crossings, b.(edit.SetCrossings).Crossings, func(c edit.CrossingChange) string { return c.Clip })
		return a, true
	case edit.MovePoints:
		a.Moves = merged(a.Moves, b.(edit.MovePoints).Moves, func(m edit.PointMove) edit.PointAt { return edit.PointAt{Line: m.Line, At: m.From} })
		return a, true
	case edit.LayerClips:
		a.Clips = merged(a.Clips, b.(edit.LayerClips).Clips, func(id string) string { return id })
		return a, true
	case edit.RemoveRanges:
		a.Ranges = append(append([]edit.Range{}, a.Ranges...), b.(edit.RemoveRanges).Ranges...)
		return a, true
	case edit.TrimClips:
		a.Trims = merged(a.Trims, b.(edit.TrimClips).Trims, func(t edit.Trim) string { return t.Clip + t.Edge })
		return a, true
	}
	return a, false
}

func merged[T any, K comparable](a, b []T, key func(T) K) []T {
	out := append([]T{}, a...)
	seen := map[K]bool{}
	for _, v := range a {
		seen[key(v)] = true
	}
	for _, v := range b {
		if !seen[key(v)] {
			out = append(out, v)
		}
	}
	return out
}

// fadesOf puts fades at both ends of a clip together.
func fadesOf(a, b []edit.ClipFades) []edit.ClipFades {
	out := append([]edit.ClipFades{}, a...)
	at := map[string]int{}
	for i, f := range out {
		at[f.Clip] = i
	}
	for _, f := range b {
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
	return out
}
