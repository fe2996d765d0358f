package review

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/loudness"
	"ruvel/core/session"
)

// said is how loud somebody speaks in some spans: the mean power of the loudest half of the hops, which
// pauses do not lower, and how many hops there are.
func said(row []float64, spans []session.Span) (level float64, hops int) {
	var all []float64
	for _, s := range spans {
		for k := (s.From + loudness.Hop - 1) / loudness.Hop; k < s.To/loudness.Hop && int(k) < len(row); k++ {
			all = append(all, row[k])
		}
	}
	if len(all) == 0 {
		return loudness.Floor, 0
	}
	slices.Sort(all)
	var sum float64
	upper := all[len(all)/2:]
	for _, v := range upper {
		sum += v
	}
	return loudness.Of(sum / float64(len(upper))), len(all)
}

// enough is of how many hops of speech it can be told how loud somebody speaks.
const enough = 30

// apart finds speakers who are much louder or softer than the one who speaks most.
func (r *reader) apart() (out []Finding) {
	type speaker struct {
		of    session.Track
		level float64
		hops  int
	}
	var all []speaker
	r.eachTrack(func(t session.Track) {
		if level, hops := said(r.balance.Of(t.ID), r.spoken[t.ID]); hops >= enough && level > loudness.Floor {
			all = append(all, speaker{t, level, hops})
		}
	})
	if len(all) < 2 {
		return nil
	}
	// The one to whom the others are compared: who stands in the middle, of two who speaks more.
	slices.SortStableFunc(all, func(a, b speaker) int { return cmp.Compare(a.level, b.level) })
	middle := all[(len(all)-1)/2]
	if other := all[len(all)/2]; other.hops > middle.hops {
		middle = other
	}
	for _, s := range all {
		off := s.level - middle.level
		if math.Abs(off) <= r.Limits.Apart {
			continue
		}
		word, way := "softer", "up"
		if off > 0 {
			word, way = "louder", "down"
		}
		spans := r.spoken[s.of.ID]
		f := Finding{From: spans[0].From, To: spans[len(spans)-1].To, Tracks: []string{s.of.ID}, Weight: Should, By: math.Abs(off) - r.Limits.Apart}
		f.Text = fmt.Sprintf("%s speaks %s LU %s than %s; at most %s are left to hear.", s.of.Name, number(math.Abs(off)), word, middle.of.Name, plain(r.Limits.Apart))
		if fader := s.of.Fader - audio.DB(off); fader <= audio.Loudest {
			f.Fix = &Fix{
				"Even out", fmt.Sprintf("The fader of %s goes %s by %s dB.", quote(s.of.Name), way, number(math.Abs(off))),
				edit.SetTracks{Tracks: []edit.TrackChange{{Track: s.of.ID, Fader: &fader}}},
			}
		}
		out = append(out, f)
	}
	return out
}

// passage is a stretch of one clip in which somebody speaks for some seconds.
type passage struct {
	clip  string
	spans []session.Span
	level float64
	hops  int
}

// drift finds passages in which a speaker is much louder or softer than usual.
func (r *reader) drift() (out []Finding) {
	r.eachTrack(func(t session.Track) {
		if t.Part != session.Voice {
			return
		}
		all := r.passages(t)
		usual := middleOf(all)
		for i := 0; i < len(all); {
			off := all[i].level - usual
			end := i + 1
			for end < len(all) && all[end].clip == all[i].clip && (all[end].level-usual)*off > 0 && math.Abs(all[end].level-usual) > r.Limits.Drift {
				end++
			}
			if math.Abs(off) > r.Limits.Drift {
				out = append(out, r.drifted(t, all[i:end], usual))
			}
			i = end
		}
	})
	return out
}

// middleOf is the level that half of what is said lies under.
func middleOf(all []passage) float64 {
	sorted := slices.Clone(all)
	slices.SortFunc(sorted, func(a, b passage) int { return cmp.Compare(a.level, b.level) })
	hops := 0
	for _, p := range sorted {
		hops += p.hops
	}
	for _, p := range sorted {
		if hops -= 2 * p.hops; hops <= 0 {
			return p.level
		}
	}
	return loudness.Floor
}

// drifted is the finding of some passages of one clip that are off by about as much.
func (r *reader) drifted(t session.Track, these []passage, usual float64) Finding {
	var spans []session.Span
	whole := true
	for _, p := range these {
		spans = append(spans, p.spans...)
	}
	level, hops := said(r.balance.Of(t.ID), spans)
	inClip := 0
	for _, p := range r.passages(t) {
		if p.clip == these[0].clip {
			inClip += p.hops
		}
	}
	whole = 10*hops >= 9*inClip
	off := level - usual
	id := these[0].clip
	c := t.Clips[id]
	word := "softer"
	if off > 0 {
		word = "louder"
	}
	from, to := spans[0].From, spans[len(spans)-1].To
	f := Finding{From: from, To: to, Tracks: []string{t.ID}, Clips: []string{id}, Weight: Should, By: math.Abs(off) - r.Limits.Drift}
	f.Text = fmt.Sprintf("%s speaks %s LU %s than usual for %s in %s; at most %s are left to hear.", t.Name, number(math.Abs(off)), word, long(to-from), quote(c.Name), plain(r.Limits.Drift))
	gain := c.Gain - audio.DB(off)
	switch {
	case whole && gain <= audio.Loudest:
		f.Fix = &Fix{"Even out", fmt.Sprintf("The gain of %s becomes %s dB.", quote(c.Name), number(float64(gain))), edit.SetClips{Clips: []edit.ClipChange{{Clip: id, Gain: &gain}}}}
	case !whole:
		const ramp = audio.Second * 3 / 10
		f.Fix = &Fix{
			"Even out", fmt.Sprintf("The level line of %s goes by %s dB from %s to %s.", quote(c.Name), number(-off), moment(from), moment(to)),
			edit.LiftStretch{Lines: []edit.Line{{Clip: id}}, From: from, To: to, By: audio.DB(-off), Before: ramp, After: ramp},
		}
	}
	return f
}

// passages parts what is said on a track into passages of four seconds or more, each within a clip.
func (r *reader) passages(t session.Track) (out []passage) {
	const least = 40 // hops
	row := r.balance.Of(t.ID)
	for _, id := range r.order[t.ID] {
		c := t.Clips[id]
		var now passage
		first := len(out)
		for _, s := range r.spoken[t.ID] {
			s.From, s.To = max(s.From, c.Start), min(s.To, c.End())
			if s.From >= s.To {
				continue
			}
			now.clip = id
			now.spans = append(now.spans, s)
			if now.level, now.hops = said(row, now.spans); now.hops >= least {
				out = append(out, now)
				now = passage{}
			}
		}
		if now.hops >= least/2 && len(out) == first { // a short clip
			out = append(out, now)
		} else if now.hops > 0 && len(out) > first {
			last := &out[len(out)-1]
			last.spans = append(last.spans, now.spans...)
			last.level, last.hops = said(row, last.spans)
		}
	}
	return slices.DeleteFunc(out, func(p passage) bool { return p.level <= loudness.Floor })
}
