package review

import (
	"fmt"
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/edit"
	"ruvel/core/lead"
	"ruvel/core/loudness"
	"ruvel/core/session"
)

// lost is by how many LU the lead may miss its aim before words are lost.
const lost = 9

// covered finds the places in which something covers the speech.
func (r *reader) covered() (out []Finding) {
	aim, _ := lead.FindAim(r.Document.Lead)
	for _, c := range r.covers(aim) {
		if r.moves(c) {
			continue
		}
		f := Finding{From: c.from, To: c.to, Weight: Should, By: aim.Lead - c.lead, Tracks: []string{c.track}}
		if f.By > lost {
			f.Weight = Must
		}
		what, who, where := "What else sounds", "the voice", ""
		if _, clip, there := r.Document.FindClip(c.clip); there {
			f.Clips, what = []string{c.clip}, quote(clip.Name)
		}
		if speaker := r.speaker(c.from, c.to); speaker != nil {
			who = speaker.Name
		}
		if c.places > 1 {
			where = fmt.Sprintf(" in %d places", c.places)
		}
		f.Text = fmt.Sprintf("%s covers %s for %s%s: the voice leads by %s LU, %s are aimed at.", what, who, long(c.length), where, number(c.lead), plain(aim.Lead))
		f.Fix = r.makeRoom(c.track, aim.Lead)
		out = append(out, f)
	}
	return out
}

// moves says whether speech is covered only for as long as a ramp runs over its first or last word, which is
// told as that.
func (r *reader) moves(c cover) bool {
	return c.length <= briefly && slices.ContainsFunc(r.ramps(), func(f Finding) bool {
		return f.Tracks[0] == c.track && f.From < c.to+edgeOf && f.To > c.from-edgeOf
	})
}

// briefly is for how long a ramp may cover speech and still be the one thing that is wrong.
const briefly = 2 * audio.Second

// cover is a stretch in which one thing covers the speech, again and again perhaps.
type cover struct {
	from, to    audio.Frames
	length      audio.Frames // of the places in it
	places      int
	lead        float64 // LU, the lowest
	track, clip string
}

// covers puts places that the same clip covers together if they lie close to each other.
func (r *reader) covers(aim lead.Aim) (out []cover) {
	for _, m := range r.course.Misses(aim) {
		if m.Excused || (m.To-m.From).Seconds() < r.Limits.Covered {
			continue
		}
		track, clip := r.balance.Cover(m.From, m.To)
		if track == "" {
			continue
		}
		if n := len(out); n > 0 && out[n-1].track == track && out[n-1].clip == clip && m.From-out[n-1].to < together {
			last := &out[n-1]
			last.to, last.length, last.places, last.lead = m.To, last.length+m.To-m.From, last.places+1, min(last.lead, m.Lead)
			continue
		}
		out = append(out, cover{m.From, m.To, m.To - m.From, 1, m.Lead, track, clip})
	}
	return out
}

// together is how far apart places can lie that are told of as one.
const together = 10 * audio.Second

// speaker is the voice track that speaks most between two moments.
func (r *reader) speaker(from, to audio.Frames) (who *session.Track) {
	var most audio.Frames
	for i := range r.Document.Tracks {
		t := &r.Document.Tracks[i]
		var n audio.Frames
		for _, s := range r.spoken[t.ID] {
			n += max(0, min(s.To, to)-max(s.From, from))
		}
		if n > most {
			most, who = n, t
		}
	}
	return who
}

// makeRoom has a track make way for the lead that is aimed at; nil if it does all that it can.
func (r *reader) makeRoom(track string, aim float64) *Fix {
	t := r.Document.Tracks[r.Document.FindTrack(track)]
	way, there := duck.Room(r.Document, aim)[track]
	if !there {
		way = duck.Starts()[1].Way // of one that goes down by a fixed drop, which is not enough
		way.Lead, way.Most = aim, max(way.Most, 36)
	}
	way.On, way.For = true, nil
	if t.Way.On && t.Way.By == session.ByLead && t.Way.Lead >= way.Lead && t.Way.Most >= way.Most && len(t.Way.For) == 0 {
		return nil
	}
	return &Fix{
		"Make way there", fmt.Sprintf("%s makes way for speech so that it leads by %s LU, and goes down only where that is needed.", quote(t.Name), plain(way.Lead)),
		edit.SetTracks{Tracks: []edit.TrackChange{{Track: track, Way: &way}}},
	}
}

// musicEnds finds music that stops under speech that it should carry.
func (r *reader) musicEnds() (out []Finding) {
	said := bridged(r.speech, 5*utterance)
	r.eachTrack(func(t session.Track) {
		if t.Part != session.Music {
			return
		}
		for _, id := range r.order[t.ID] {
			c := t.Clips[id]
			i := slices.IndexFunc(said, func(s session.Span) bool { return s.From <= c.End()-carried && s.To >= c.End()+edgeOf })
			if i < 0 || c.FadeOut.Length-c.FadeOut.Past >= gentle || r.goesOn(c.End()) || !r.soundsBefore(t, c.End()) {
				continue
			}
			end := said[i].To + audio.Second
			out = append(out, Finding{
				From: c.End(), To: said[i].To, Weight: Should, Tracks: []string{t.ID}, Clips: []string{id}, By: (said[i].To - c.End()).Seconds(),
				Text: fmt.Sprintf("%s ends at %s, %s before the speech over it does, without a fade of a second.", quote(c.Name), moment(c.End()), long(said[i].To-c.End())),
				Fix: &Fix{
					"Loop to fill", fmt.Sprintf("%s begins again on its beat until the speech ends, at %s.", quote(c.Name), moment(end)),
					edit.LoopClip{Clip: id, Length: end - c.Start},
				},
			})
		}
	})
	return out
}

const (
	carried = 2 * audio.Second // of speech that music must have lain under to be missed
	gentle  = audio.Second     // a fade of such a length is meant
)

// goesOn says whether other music begins or sounds where a piece ends.
func (r *reader) goesOn(at audio.Frames) (on bool) {
	r.eachTrack(func(t session.Track) {
		for _, id := range r.order[t.ID] {
			c := t.Clips[id]
			on = on || t.Part == session.Music && c.Start <= at+edgeOf && c.End() > at+edgeOf
		}
	})
	return on
}

// soundsBefore says whether a track is heard in the second before a time.
func (r *reader) soundsBefore(t session.Track, at audio.Frames) bool {
	return r.isHeardAt(t.ID, session.Span{From: max(0, at-audio.Second), To: at}, -60)
}

// isHeardAt says whether a track reaches a loudness, in LUFS, in a stretch.
func (r *reader) isHeardAt(track string, in session.Span, level float64) bool {
	row := r.balance.Of(track)
	loudest := math.Inf(-1)
	for k := int(in.From / loudness.Hop); k <= int((in.To-1)/loudness.Hop) && k < len(row); k++ {
		loudest = max(loudest, loudness.Of(row[k]))
	}
	return loudest > level
}
