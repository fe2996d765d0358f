package mix

import (
	"sort"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/core/treat"
)

// mostLooked is of how many spans a long track is known enough: five minutes.
const mostLooked = 30

// Spread is how the levels of a track are spread before its treatment, but after its low cut: of
// all of it, or of five minutes that lie evenly over it. phrases gives those of a sound. A
// track without clips, or of other sound than speech, has none.
func (p *Plan) Spread(trackID string, phrases func(sound string) ([]speech.Phrase, error)) (out treat.Spread, err error) {
	var looks treat.Looks
	t := p.find(trackID)
	if t == nil {
		return looks.Spread(), nil
	}
	said, told, err := t.said(phrases)
	if err != nil {
		return out, err
	}
	r := NewRenderer(p)
	for _, n := range t.sounding(mostLooked) {
		from := audio.Frames(n) * spanLength
		var spoken func(at audio.Frames) bool
		if told {
			spoken = func(at audio.Frames) bool { return within(said, from+at) }
		}
		if err := p.inTurn(func() {
			if _, linked := r.gather(t, from, from+spanLength); linked != nil {
				looks.Add(linked, t.Treatment.LowCut, spoken)
			}
		}); err != nil {
			return out, err
		}
	}
	return looks.Spread(), nil
}

// said is where the clips of a track are speech, in session time, and whether anything could be told.
func (t *track) said(phrases func(sound string) ([]speech.Phrase, error)) (said []session.Span, told bool, err error) {
	for i := range t.clips {
		c := &t.clips[i]
		all, err := phrases(c.Sound)
		if err != nil {
			return nil, false, err
		}
		for _, f := range all {
			told = true
			from, to := max(f.From, c.Offset), min(f.To, c.Offset+c.Length)
			if from < to {
				said = append(said, session.Span{From: from - c.Offset + c.Start, To: to - c.Offset + c.Start})
			}
		}
	}
	sort.Slice(said, func(i, k int) bool { return said[i].From < said[k].From })
	return said, told, nil
}

// within says whether a moment lies in one of the phrases, which are ordered by their
// beginnings and lie over each other in crossings only.
func within(said []session.Span, at audio.Frames) bool {
	last := sort.Search(len(said), func(i int) bool { return said[i].From > at }) - 1
	for i := last; i >= max(0, last-8); i-- {
		if at < said[i].To {
			return true
		}
	}
	return false
}

// sounding are the spans in which a track has clips, or, if these are more than so many, as
// many of them that lie evenly.
func (t *track) sounding(most int) (out []int64) {
	next := int64(0)
	for i := range t.clips {
		c := &t.clips[i]
		if c.gain == 0 {
			continue
		}
		for n := max(next, int64(c.Start/spanLength)); audio.Frames(n)*spanLength < c.End(); n++ {
			out, next = append(out, n), n+1
		}
	}
	if len(out) <= most {
		return out
	}
	few := make([]int64, most)
	for i := range few {
		few[i] = out[i*len(out)/most]
	}
	return few
}
