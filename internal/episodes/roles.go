package episodes

import (
	"cmp"
	"context"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Hearing is an episode for those who hear it and do not make it.
type Hearing struct {
	Episode  Episode          `json:"episode"`
	ShowName string           `json:"showName"`
	Version  int64            `json:"version"`
	Length   audio.Frames     `json:"length"`
	Chapters []session.Marker `json:"chapters" nullable:"false" doc:"By their places"`
}

// Hearing is that of an episode.
func (all *Episodes) Hearing(ctx context.Context, id string) (Hearing, error) {
	d, err := all.Desk(ctx, id)
	if err != nil {
		return Hearing{}, err
	}
	out := Hearing{Episode: d.Episode.Heard(), ShowName: d.ShowName, Version: d.Version, Length: d.Document.Length(), Chapters: []session.Marker{}}
	for _, m := range d.Document.Markers {
		if m.Chapter {
			out.Chapters = append(out.Chapters, m)
		}
	}
	slices.SortFunc(out.Chapters, func(a, b session.Marker) int { return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.Name, b.Name)) })
	return out, nil
}

// ToRecord is what a voice can be recorded onto.
type ToRecord struct {
	ID   string       `json:"id"`
	Name string       `json:"name"`
	At   audio.Frames `json:"at" doc:"Where it begins; of a track where what is on it ends"`
}

// PlaceToRecord is one place that waits for a voice.
type PlaceToRecord struct {
	ToRecord
	Track  string       `json:"track"`
	Length audio.Frames `json:"length" doc:"About how long it is thought to be"`
}

// ToRead is an episode for those who read for it and do not make it.
type ToRead struct {
	Episode  Episode         `json:"episode"`
	ShowName string          `json:"showName"`
	Tracks   []ToRecord      `json:"tracks" nullable:"false" doc:"The tracks of voices"`
	Places   []PlaceToRecord `json:"places" nullable:"false" doc:"The empty ones on them, by their times"`
}

// Reading is that of an episode.
func (all *Episodes) Reading(ctx context.Context, id string) (ToRead, error) {
	d, err := all.Desk(ctx, id)
	if err != nil {
		return ToRead{}, err
	}
	out := ToRead{Episode: d.Episode.Heard(), ShowName: d.ShowName, Tracks: []ToRecord{}, Places: []PlaceToRecord{}}
	voices := map[string]bool{}
	for _, t := range d.Document.Tracks {
		if t.Part != session.Voice {
			continue
		}
		voices[t.ID] = true
		end := audio.Frames(0)
		for _, c := range t.Clips {
			end = max(end, c.Start+c.Length)
		}
		out.Tracks = append(out.Tracks, ToRecord{t.ID, t.Name, end})
	}
	for _, key := range d.Document.EmptyPlaces() {
		if m := d.Document.Markers[key]; voices[m.Fills] {
			out.Places = append(out.Places, PlaceToRecord{ToRecord{key, m.Name, m.At}, m.Fills, m.Length})
		}
	}
	return out, nil
}
