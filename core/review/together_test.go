package review_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/review"
	"ruvel/core/session"
)

func mendedBy(op edit.Op) review.Finding { return review.Finding{Fix: &review.Fix{Op: op}} }

func TestFixesOfOneTypeAreOneEditInWhichThePlaceOfEachIsChangedOnce(t *testing.T) {
	fader, other, gain := audio.DB(-3), audio.DB(-9), audio.DB(2)
	track := func(id string, level *audio.DB) edit.Op {
		return edit.SetTracks{Tracks: []edit.TrackChange{{Track: id, Fader: level}}}
	}
	in, out := &edit.NewFade{Length: 480, Shape: session.Linear}, &edit.NewFade{Length: 960, Shape: session.Smooth}
	insert := edit.InsertClip{Sound: "s", Track: "t1"}
	for name, c := range map[string]struct {
		found []review.Finding
		want  edit.Op
		taken int
	}{
		"nothing can be mended": {[]review.Finding{{Kind: "loop"}}, nil, 0},
		"tracks": {
			[]review.Finding{mendedBy(track("t1", &fader)), {Kind: "loop"}, mendedBy(track("t2", &fader)), mendedBy(track("t1", &other))},
			edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Fader: &fader}, {Track: "t2", Fader: &fader}}},
			3,
		},
		"another type is left for later": {
			[]review.Finding{mendedBy(track("t1", &fader)), mendedBy(edit.SetClips{Clips: []edit.ClipChange{{Clip: "c1", Gain: &gain}}})},
			track("t1", &fader), 1,
		},
		"what is set aside is left alone": {
			[]review.Finding{{Aside: true, Fix: &review.Fix{Op: track("t1", &other)}}, mendedBy(track("t1", &fader))}, track("t1", &fader), 1,
		},
		"both ends of a clip": {
			[]review.Finding{mendedBy(edit.SetFades{Fades: []edit.ClipFades{{Clip: "c1", In: in}}}), mendedBy(edit.SetFades{Fades: []edit.ClipFades{{Clip: "c1", In: out, Out: out}, {Clip: "c2", In: in}}})},
			edit.SetFades{Fades: []edit.ClipFades{{Clip: "c1", In: in, Out: out}, {Clip: "c2", In: in}}},
			2,
		},
		"ranges": {
			[]review.Finding{mendedBy(edit.RemoveRanges{Ranges: []session.Span{{From: 1, To: 2}}}), mendedBy(edit.RemoveRanges{Ranges: []session.Span{{From: 5, To: 7}}})},
			edit.RemoveRanges{Ranges: []session.Span{{From: 1, To: 2}, {From: 5, To: 7}}},
			2,
		},
		"both edges of a clip": {
			[]review.Finding{mendedBy(edit.TrimClips{Trims: []edit.Trim{{Clip: "c1", Edge: "end", At: 9}}}), mendedBy(edit.TrimClips{Trims: []edit.Trim{{Clip: "c1", Edge: "start", At: 2}, {Clip: "c1", Edge: "end", At: 7}}})},
			edit.TrimClips{Trims: []edit.Trim{{Clip: "c1", Edge: "end", At: 9}, {Clip: "c1", Edge: "start", At: 2}}},
			2,
		},
		"what cannot be put together is done one after the other": {[]review.Finding{mendedBy(insert), mendedBy(insert)}, insert, 1},
	} {
		op, taken := review.Together(c.found)
		assert.Equal(t, c.want, op, name)
		assert.Equal(t, c.taken, taken, name)
	}
}
