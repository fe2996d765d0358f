package review

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/edit"
	"ruvel/core/lead"
	"ruvel/core/loudness"
	"ruvel/core/mix"
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
		if speaker := r.speaker(c.first.From, c.first.To); speaker != nil {
			who = speaker.Name
		}
		if c.places > 1 {
			where = fmt.Sprintf(" in %d places", c.places)
		}
		f.Text = fmt.Sprintf("%s covers %s for %s%s: the voice leads by %s LU, %s are aimed at. It %s.",
			what, who, long(c.length), where, number(c.lead), plain(aim.Lead), strings.ReplaceAll(c.why, "-", "−"))
		f.Fix = r.makeRoom(c)
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
	first       session.Span
	length      audio.Frames // of the places in it
	places      int
	lead        float64 // LU, the lowest
	track, clip string
	why         string                 // it takes no more away where that is
	ways        map[string]session.Way // with which all that matters there would, by track
	softer      map[string]float64     // clips that no way would make soft enough, and by how many dB they are too loud
}

// covers puts places that the same clip covers together if they lie close to each other.
func (r *reader) covers(aim lead.Aim) (out []cover) {
	for _, m := range r.course.Misses(aim) {
		if m.Excused || (m.To-m.From).Seconds() < r.Limits.Covered {
			continue
		}
		all := r.balance.Covers(m.From, m.To)
		if len(all) == 0 {
			continue
		}
		loudest := all[0]
		n := len(out)
		if n == 0 || out[n-1].track != loudest.Track || out[n-1].clip != loudest.Clip || m.From-out[n-1].to >= together {
			out = append(out, cover{
				from: m.From, first: session.Span{From: m.From, To: m.To}, lead: lead.Most, track: loudest.Track, clip: loudest.Clip,
				ways: map[string]session.Way{}, softer: map[string]float64{},
			})
		}
		last := &out[len(out)-1]
		last.to, last.length, last.places = m.To, last.length+m.To-m.From, last.places+1
		for _, c := range all {
			why := r.why(c, m, aim)
			if c == loudest && m.Lead < last.lead {
				last.lead, last.why = m.Lead, why.Text
			}
			switch before, there := last.ways[c.Track]; {
			case why.More == nil:
				last.softer[c.Clip] = max(last.softer[c.Clip], m.Short-lead.Swing+1)
			case there:
				last.ways[c.Track] = duck.Deeper(before, *why.More)
			default:
				last.ways[c.Track] = *why.More
			}
		}
	}
	return out
}

// why says why something that covers speech takes no more away.
func (r *reader) why(c mix.Cover, m lead.Miss, aim lead.Aim) duck.Reason {
	of := duck.Covering{
		Track: r.Document.Tracks[r.Document.FindTrack(c.Track)], Clip: c.Clip, At: (m.From + m.To) / 2, Down: c.Down, Aim: aim.Lead, Short: m.Short,
	}
	if voice := r.speaker(m.From, m.To); voice != nil {
		of.Voice = voice.ID
	}
	return of.Why()
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

// makeRoom has all that matters where speech is covered make way for the lead that is aimed at, or, where no way takes enough away, makes
// it softer.
func (r *reader) makeRoom(c cover) *Fix {
	if len(c.ways) == 0 {
		return r.softened(c)
	}
	op := edit.SetTracks{}
	var names []string
	for _, t := range r.Document.Tracks {
		if way, there := c.ways[t.ID]; there {
			op.Tracks = append(op.Tracks, edit.TrackChange{Track: t.ID, Way: &way})
			names = append(names, quote(t.Name))
		}
	}
	verb := "makes"
	if len(names) > 1 {
		verb = "make"
	}
	aim, _ := lead.FindAim(r.Document.Lead)
	return &Fix{
		"Make way there", fmt.Sprintf("%s %s way for speech so that it leads by %s LU, and only as far as that is needed.", listed(names), verb, plain(aim.Lead)), op,
	}
}

// softened makes the clips softer that cover speech although their tracks have gone down as far as they can.
func (r *reader) softened(c cover) *Fix {
	op := edit.SetClips{}
	var names []string
	for _, id := range slices.Sorted(maps.Keys(c.softer)) {
		if _, clip, there := r.Document.FindClip(id); there && clip.Gain > audio.Silence {
			gain := max(audio.Silence, clip.Gain-audio.DB(math.Ceil(c.softer[id])))
			op.Clips = append(op.Clips, edit.ClipChange{Clip: id, Gain: &gain})
			names = append(names, quote(clip.Name))
		}
	}
	if len(op.Clips) == 0 {
		return nil
	}
	return &Fix{"Make it softer", fmt.Sprintf("The gain of %s goes down by what is missing.", listed(names)), op}
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
					"Fill the length", fmt.Sprintf("%s begins again on its beat until the speech ends, at %s.", quote(c.Name), moment(end)),
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
