// Package timeline writes a session in the form of OpenTimelineIO (opentimelineio.readthedocs.io,
// "File format specification", schemas as of 0.15: Timeline.1, Stack.1, Track.1, Clip.2, Gap.1,
// Transition.1, Marker.2, ExternalReference.1, MissingReference.1, TimeRange.1, RationalTime.1), so that
// other programs can read where its clips lie. Times are frames at 48 kHz. What that form has no word
// for, such as levels, fades and treatment, stands under "ruvel" in the metadata, as it does in the
// session.
package timeline

import (
	"encoding/json"
	"fmt"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Named gives a sound the name and the file that it is to be found by; either may be empty.
type Named func(sound string) (name, file string)

// object is something in the form.
type object map[string]any

// Write gives a session the form of OpenTimelineIO.
func Write(doc session.Document, title string, named Named) ([]byte, error) {
	tracks := []object{}
	for _, t := range doc.Tracks {
		rows := rowsOf(t)
		for i, row := range rows {
			name := t.Name
			if i > 0 {
				name = fmt.Sprintf("%s, laid over (%d)", t.Name, i)
			}
			tracks = append(tracks, track(doc, t, name, row, named))
		}
	}
	stack := item("Stack.1", "tracks", object{})
	stack["children"] = tracks
	stack["markers"] = markers(doc)
	out := object{
		"OTIO_SCHEMA": "Timeline.1", "name": title, "global_start_time": nil, "tracks": stack,
		"metadata": ruvel(object{"form": session.Format, "target": doc.Target}),
	}
	return json.MarshalIndent(out, "", "  ")
}

func ruvel(v any) object { return object{"ruvel": v} }

func at(f audio.Frames) object {
	return object{"OTIO_SCHEMA": "RationalTime.1", "rate": float64(audio.Rate), "value": float64(f)}
}

func span(from, length audio.Frames) object {
	return object{"OTIO_SCHEMA": "TimeRange.1", "start_time": at(from), "duration": at(length)}
}

// item is what stacks, tracks, clips and gaps have in common.
func item(schema, name string, metadata object) object {
	return object{
		"OTIO_SCHEMA": schema, "name": name, "metadata": metadata, "source_range": nil,
		"effects": []object{}, "markers": []object{}, "enabled": true,
	}
}

// row are clips that lie one after another, by their ids; where one begins in the one before, they cross.
type row []string

// rowsOf lays the clips of a track in as few rows as it takes: the first has all that follow or cross
// each other, others what lies over that.
func rowsOf(t session.Track) []row {
	rows := []row{{}}
	crossed := map[string]string{}
	for _, x := range t.Crossings() {
		crossed[x.In] = x.Out
	}
	for _, id := range t.ClipsInOrder() {
		c := t.Clips[id]
		i := slices.IndexFunc(rows, func(r row) bool {
			if len(r) == 0 {
				return true
			}
			last := r[len(r)-1]
			if c.Start >= t.Clips[last].End() {
				return true
			}
			// Two transitions must not meet within a clip.
			return crossed[id] == last && c.Start >= begins(t, r)
		})
		if i < 0 {
			i = len(rows)
			rows = append(rows, row{})
		}
		rows[i] = append(rows[i], id)
	}
	return rows
}

// begins is from where on the last clip of a row is free of the crossing that it begins with.
func begins(t session.Track, r row) audio.Frames {
	last := t.Clips[r[len(r)-1]]
	if len(r) == 1 {
		return last.Start
	}
	return max(last.Start, t.Clips[r[len(r)-2]].End())
}

func track(doc session.Document, t session.Track, name string, r row, named Named) object {
	children := []object{}
	pos := audio.Frames(0)
	for i, id := range r {
		c := t.Clips[id]
		from, to := c.Start, c.End()
		if i > 0 {
			if before := t.Clips[r[i-1]]; before.End() > from { // they cross: the cut stands in the middle
				over := before.End() - from
				cut := from + over/2
				children = append(children, object{
					"OTIO_SCHEMA": "Transition.1", "name": "", "transition_type": "SMPTE_Dissolve",
					"in_offset": at(cut - from), "out_offset": at(before.End() - cut), "metadata": ruvel(object{"law": c.Crossing}),
				})
				from = cut
			}
		}
		if i+1 < len(r) {
			if next := t.Clips[r[i+1]]; next.Start < to {
				to = next.Start + (to-next.Start)/2
			}
		}
		if from > pos {
			gap := item("Gap.1", "", object{})
			gap["source_range"] = span(0, from-pos)
			children = append(children, gap)
		}
		children = append(children, clip(doc, c, from, to, named))
		pos = to
	}
	settings := t
	settings.Clips = nil
	out := item("Track.1", name, ruvel(settings))
	out["kind"] = "Audio"
	out["children"] = children
	out["enabled"] = !t.Mute
	return out
}

// clip is the part of a clip from a session time to another.
func clip(doc session.Document, c session.Clip, from, to audio.Frames, named Named) object {
	out := item("Clip.2", c.Name, ruvel(c))
	out["source_range"] = span(c.Offset+from-c.Start, to-from)
	out["enabled"] = !c.Silent
	name, file := named(c.Sound)
	media := object{
		"OTIO_SCHEMA": "MissingReference.1", "name": name, "metadata": ruvel(object{"sound": c.Sound}),
		"available_range": span(0, doc.Sounds[c.Sound].Length), "available_image_bounds": nil,
	}
	if file != "" {
		media["OTIO_SCHEMA"], media["target_url"] = "ExternalReference.1", file
	}
	out["media_references"] = object{"DEFAULT_MEDIA": media}
	out["active_media_reference_key"] = "DEFAULT_MEDIA"
	return out
}

// markers are those of the session, in the order of their places.
func markers(doc session.Document) []object {
	out := []object{}
	for _, id := range session.MarkersInOrder(doc.Markers) {
		m := doc.Markers[id]
		out = append(out, object{
			"OTIO_SCHEMA": "Marker.2", "name": m.Name, "color": "GREEN", "comment": "", "marked_range": span(m.At, m.Length),
			"metadata": ruvel(m),
		})
	}
	return out
}
