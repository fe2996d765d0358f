// Package house makes the house sound of a show: layouts, which are sessions with the music that
// is always used and with empty places for what is said. A layout is taken from a finished
// session, a new session begins as a copy of one, and what changes in a layout later can be
// brought to the sessions that were made from it.
package house

import (
	"fmt"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// apart is how long a speaker must be silent for what follows to be a place of its own.
const apart = 3 * audio.Second

// Take makes a layout of a session: tracks stay with all that is set on them, music stays with its
// level lines, what voices say becomes empty places, and effects, notes and findings that were
// set aside go. Chapters stay.
func Take(doc session.Document) session.Document {
	d := doc.Clone()
	d.Aside, d.Model = nil, session.Model{}
	for id, m := range d.Markers {
		if !m.Chapter {
			delete(d.Markers, id)
		}
	}
	for i := range d.Tracks {
		t := &d.Tracks[i]
		t.Mute, t.Solo = false, false
		switch t.Part {
		case session.Voice:
			for _, s := range said(*t) {
				d.Markers[fmt.Sprintf("m%d", d.Next)] = session.Marker{Name: called(doc, s), At: s.from, Length: s.to - s.from, Fills: t.ID}
				d.Next++
			}
			t.Clips = map[string]session.Clip{}
		case session.Effect:
			t.Clips = map[string]session.Clip{}
		}
	}
	used := d.Used()
	for id := range d.Sounds {
		if !used[id] {
			delete(d.Sounds, id)
		}
	}
	return d
}

// Begin gives the document of a session that begins as a layout of a version.
func Begin(layout session.Document, version int64) session.Document {
	d := layout.Draft()
	d.Model = standing(layout, d)
	d.Model.Version = version
	return d
}

// standing finds what stands for what between a layout and a session that was made from it before that was written
// down: what has the same id, and is alike enough that it has not got that id by chance.
func standing(layout, own session.Document) session.Model {
	m := session.Model{Tracks: map[string]string{}, Clips: map[string]string{}, Markers: map[string]string{}}
	for _, t := range layout.Tracks {
		i := own.FindTrack(t.ID)
		if i < 0 || own.Tracks[i].Part != t.Part {
			continue
		}
		shared := 0
		for id, c := range t.Clips {
			if mine, there := own.Tracks[i].Clips[id]; there && mine.Sound == c.Sound {
				m.Clips[id] = id
				shared++
			}
		}
		if own.Tracks[i].Name == t.Name || shared > 0 {
			m.Tracks[t.ID] = t.ID
		}
	}
	for id, marker := range layout.Markers {
		if mine, there := own.Markers[id]; there && mine.Chapter == marker.Chapter && (mine.Name == marker.Name || mine.Fills != "" && mine.Fills == marker.Fills) {
			m.Markers[id] = id
		}
	}
	return m
}

// stretch is what a speaker says in one go.
type stretch struct {
	from, to audio.Frames
	first    session.Clip
}

// said are the stretches of a track, in order.
func said(t session.Track) (out []stretch) {
	for _, id := range t.ClipsInOrder() {
		c := t.Clips[id]
		if c.Silent {
			continue
		}
		if n := len(out); n > 0 && c.Start < out[n-1].to+apart {
			out[n-1].to = max(out[n-1].to, c.End())
			continue
		}
		out = append(out, stretch{c.Start, c.End(), c})
	}
	return out
}

// called is what a stretch is called after: the range in which most of it lies, or its first clip.
func called(d session.Document, s stretch) string {
	best, most := s.first.Name, (s.to-s.from)/2
	for _, id := range session.MarkersInOrder(d.Markers) {
		m := d.Markers[id]
		if covered := min(s.to, m.At+m.Length) - max(s.from, m.At); m.Fills == "" && covered > most {
			best, most = m.Name, covered
		}
	}
	return best
}
