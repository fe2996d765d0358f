package review

import (
	"fmt"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/loudness"
)

// deadAir finds where nothing is heard for long.
func (r *reader) deadAir() (out []Finding) {
	floor := r.Mix.Loudness.Integrated - r.Limits.Quiet
	if r.Mix.Loudness.Integrated <= loudness.Floor {
		return nil
	}
	sum := r.Mix.Sum
	first := slices.IndexFunc(sum, func(p float64) bool { return loudness.Of(p) > floor })
	if first < 0 {
		return nil
	}
	frames := func(hops int) audio.Frames { return audio.Frames(hops) * loudness.Hop }
	limit := func(seconds float64) audio.Frames { return audio.Seconds(seconds) }
	say := func(from, to audio.Frames, where string, most float64) Finding {
		n := to - from
		f := Finding{From: from, To: to, Weight: Should, By: n.Seconds() - most}
		if n > 5*audio.Second && where == "inside" {
			f.Weight = Must
		}
		at := map[string]string{"inside": "at " + moment(from), "before": "before the show starts", "after": "after the show has ended"}[where]
		f.Text = fmt.Sprintf("For %s %s nothing comes within %s LU of the show's loudness; %s s are the limit.", long(n), at, plain(r.Limits.Quiet), plain(most))
		f.Key = where
		return f
	}
	if n := frames(first); n > limit(r.Limits.DeadBefore) {
		f := say(0, n, "before", r.Limits.DeadBefore)
		f.Fix = &Fix{"Trim the start", fmt.Sprintf("The first %s go on all tracks.", long(n-breath)), closing(0, n-breath)}
		out = append(out, f)
	}
	last := first
	for k := first + 1; k < len(sum); k++ {
		if loudness.Of(sum[k]) <= floor {
			continue
		}
		if from, to := frames(last+1), frames(k); to-from > limit(r.Limits.DeadInside) {
			f := say(from, to, "inside", r.Limits.DeadInside)
			f.Fix = &Fix{"Close the gap", fmt.Sprintf("Of the %s a second is left, on all tracks.", long(to-from)), closing(from+audio.Second/2, to-audio.Second/2)}
			out = append(out, f)
		}
		last = k
	}
	if from, end := frames(last+1), r.Document.Length(); end-from > limit(r.Limits.DeadAfter) {
		f := say(from, end, "after", r.Limits.DeadAfter)
		f.Fix = &Fix{"Trim the end", "A second is left after the last sound.", closing(from+audio.Second, end)}
		out = append(out, f)
	}
	return out
}

// breath is left before the first sound.
const breath = audio.Second / 10

// closing takes a stretch out of all tracks.
func closing(from, to audio.Frames) edit.Op {
	return edit.RemoveRanges{Ranges: []edit.Range{{From: from, To: to}}, Close: edit.CloseAll}
}
