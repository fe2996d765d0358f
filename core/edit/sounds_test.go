package edit_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

func length(n int) audio.Frames { s, _ := library.Catalogue(testkit.ID(n)); return s.Length }

func TestATakeMakesRoomForItself(t *testing.T) {
	d := &desk{t: t, doc: session.New()}
	d.do(edit.AddTrack{Part: session.Voice, Name: "Presenter"})
	d.do(edit.InsertClip{Sound: testkit.ID(3), Track: "t1", Name: "Before"})
	d.do(edit.PlaceTake{Sound: testkit.ID(0), Track: "t1", Start: 5000, Name: "Take 1"})
	assert.Equal(t, "Record “Take 1” at 0:00.10", d.name)
	var spans [][2]audio.Frames
	for _, id := range d.doc.Tracks[0].ClipsInOrder() {
		spans = append(spans, [2]audio.Frames{d.clip(id).Start, d.clip(id).End()})
	}
	short := length(0)
	assert.Equal(t, [][2]audio.Frames{{0, 5000}, {5000, 5000 + short}, {5000 + short, length(3)}}, spans, "the old clip goes on before and after it")

	// A shorter take of the same place takes the whole of the longer one away.
	d.do(edit.PlaceTake{Sound: testkit.ID(1), Track: "t1", Start: 100000, Name: "Take 1"})
	d.do(edit.PlaceTake{Sound: testkit.ID(0), Track: "t1", Start: 100000, Name: "Take 2", Instead: []string{testkit.ID(1)}})
	last := d.clip(newest(d.doc))
	assert.Len(t, d.doc.Tracks[0].Clips, 4)
	assert.Equal(t, "Take 2", last.Name)
	assert.Equal(t, 100000+short, last.End())

	// Its beginning can be skipped.
	d.do(edit.PlaceTake{Sound: testkit.ID(2), Track: "t1", Start: 300000, Offset: 700, Name: "Late"})
	late := d.clip(newest(d.doc))
	assert.Equal(t, session.Clip{Name: "Late", Sound: testkit.ID(2), Start: 300000, Offset: 700, Length: length(2) - 700, FadeIn: late.FadeIn, FadeOut: late.FadeOut, Envelope: []session.Point{}}, late)
}

// newest is the id of the clip that was made last.
func newest(d session.Document) (id string) {
	for _, t := range d.Tracks {
		for other := range t.Clips {
			if len(other) > len(id) || len(other) == len(id) && other > id {
				id = other
			}
		}
	}
	return id
}

func TestAfterATakeNothingElseSoundsInItsStretch(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		track := rapid.SampledFrom(doc.Tracks).Draw(t, "track").ID
		sound := rapid.IntRange(0, 3).Draw(t, "sound")
		op := edit.PlaceTake{Sound: testkit.ID(sound), Track: track, Start: audio.Frames(rapid.IntRange(0, 90000).Draw(t, "start"))}
		next, _, err := edit.Apply(doc, op, library.Catalogue)
		if err != nil {
			t.Fatal(err)
		}
		before, after := doc.Tracks[doc.FindTrack(track)], next.Tracks[next.FindTrack(track)]
		end := op.Start + length(sound)
		inside := 0
		for _, c := range after.Clips {
			if c.Start < end && c.End() > op.Start {
				inside++
			}
		}
		if inside != 1 {
			t.Fatalf("%d clips sound in the stretch", inside)
		}
		outside := func(tr session.Track) (sum audio.Frames) {
			for _, c := range tr.Clips {
				sum += max(0, min(c.End(), op.Start)-c.Start) + max(0, c.End()-max(c.Start, end))
			}
			return sum
		}
		if a, b := outside(before), outside(after); a != b {
			t.Fatalf("outside the stretch %d frames became %d", a, b)
		}
	})
}

func TestAnotherSoundTakesTheClipsPlaceAndKeepsWhatWasDoneToIt(t *testing.T) {
	d := newDesk(t)
	d.do(edit.InsertClip{Sound: testkit.ID(2), Part: session.Music, Name: "Whole"})
	whole := newest(d.doc)
	d.do(edit.InsertClip{Sound: testkit.ID(2), Part: session.Music, Name: "Part", Offset: 1000, Length: 5000})
	part := newest(d.doc)
	gain := audio.DB(-3)
	d.do(edit.SetClips{Clips: []edit.ClipChange{{Clip: part, Gain: &gain}}})

	d.do(edit.UseSound{Clip: part, Sound: testkit.ID(0), Name: "Take 2"})
	c := d.clip(part)
	assert.Equal(t, []any{"Take 2", testkit.ID(0), audio.Frames(1000), audio.Frames(5000), gain}, []any{c.Name, c.Sound, c.Offset, c.Length, c.Gain})

	d.do(edit.UseSound{Clip: part, Sound: testkit.ID(2)})
	d.do(edit.ReplaceSound{Sound: testkit.ID(2), With: testkit.ID(3), Name: "Slack water"})
	assert.Equal(t, "Use “Slack water” in 2 clips", d.name)
	c = d.clip(whole)
	assert.Equal(t, length(3), c.Length, "a whole sound stays whole")
	c = d.clip(part)
	assert.Equal(t, audio.Frames(5000), c.Length)
	assert.NotContains(t, d.doc.Sounds, testkit.ID(2))

	d.refuse("unknown-sound", edit.ReplaceSound{Sound: testkit.ID(2), With: testkit.ID(3)})
	d.refuse("unknown-sound", edit.ReplaceSound{Sound: testkit.ID(3), With: testkit.ID(9)})
	d.do(edit.InsertClip{Sound: testkit.ID(3), Part: session.Music, Name: "Far in", Offset: length(0) + 10})
	d.refuse("too-short", edit.ReplaceSound{Sound: testkit.ID(3), With: testkit.ID(0)})
	d.refuse("clip-outside-sound", edit.PlaceTake{Sound: testkit.ID(0), Track: d.doc.Tracks[0].ID, Offset: length(0)})
}
