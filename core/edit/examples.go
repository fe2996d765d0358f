package edit

import (
	"slices"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/fit"
	"ruvel/core/session"
)

// Sounds of the example: a voice, and two pieces of music.
var (
	ExampleVoice = strings.Repeat("0", 63) + "1"
	ExampleMusic = strings.Repeat("0", 63) + "2"
	ExampleOther = strings.Repeat("0", 63) + "3"
)

// ExampleSounds is the catalogue of these sounds.
func ExampleSounds(id string) (session.Sound, bool) {
	s, known := map[string]session.Sound{
		ExampleVoice: {Channels: 1, Length: 30 * audio.Second},
		ExampleMusic: {Channels: 2, Length: 30 * audio.Second},
		ExampleOther: {Channels: 2, Length: 30 * audio.Second},
	}[id]
	return s, known
}

// Example is a small session to which each of Examples can be applied: a presenter (t1) in three clips of one recording, of
// which the second (c4) goes on where the first (c3) ends, and the third (c5) begins before it has ended; music (t2) that
// makes way, as a clip (c7) with a level line; more music (t6), with a clip (c8), whose way was turned into points; a range
// (m9) and a place (m10); and a finding that was set aside.
func Example() (session.Document, error) {
	way := duck.Starts()[0].Way
	way.On = true
	doc := session.New()
	for _, op := range []Op{
		AddTrack{Part: session.Voice, Name: "Presenter"},
		AddTrack{Part: session.Music, Name: "Bed"},
		InsertClip{Sound: ExampleVoice, Track: "t1", Name: "Link", Length: 5 * audio.Second},
		InsertClip{Sound: ExampleVoice, Track: "t1", Name: "Link, second half", Start: 5 * audio.Second, Offset: 5 * audio.Second, Length: 5 * audio.Second},
		InsertClip{Sound: ExampleVoice, Track: "t1", Name: "Sign-off", Start: 9 * audio.Second, Offset: 12 * audio.Second, Length: 6 * audio.Second},
		AddTrack{Part: session.Music, Name: "Theme"},
		InsertClip{Sound: ExampleMusic, Track: "t2", Name: "Bed", Length: 12 * audio.Second},
		InsertClip{Sound: ExampleMusic, Track: "t6", Name: "Theme", Start: 15 * audio.Second, Length: 10 * audio.Second},
		AddMarker{Name: "Interview", At: 5 * audio.Second, Length: 4 * audio.Second},
		AddMarker{Name: "End", At: 20 * audio.Second},
		AddPoints{Points: []NewPoint{{Line: Line{Clip: "c7"}, At: audio.Second}, {Line: Line{Clip: "c7"}, At: 3 * audio.Second, Level: -12}}},
		AddPoints{Points: []NewPoint{{Line: Line{Track: "t1"}, At: audio.Second, Level: -3}, {Line: Line{Track: "t1"}, At: 4 * audio.Second, Level: -3}}},
		SetTracks{Tracks: []TrackChange{{Track: "t2", Way: &way}, {Track: "t6", Way: &way}}},
		TurnWays{Lines: []WayLine{{Track: "t6", Points: []session.Point{{At: audio.Second, Level: -12}}}}},
		SetAside{Findings: []AsideFinding{{Key: "join:c4", Name: "A join", By: 1}}, Reason: "It is meant"},
	} {
		var err error
		if doc, _, err = Apply(doc, op, ExampleSounds); err != nil {
			return doc, err
		}
	}
	return doc, nil
}

// Examples are operations, one or more of every type, that can be applied to the session of Example.
func Examples() []Op {
	return slices.Concat(examplesOfArranging(), examplesOfLevels(), examplesOfTheRest())
}

func second(n audio.Frames) audio.Frames { return n * audio.Second }

func examplesOfArranging() []Op {
	gain, law := audio.DB(-3), "equal-power"
	return []Op{
		AddTrack{Part: session.Effect, Name: "Harbour"},
		SetTracks{Tracks: []TrackChange{{Track: "t2", Fader: &gain}}},
		MoveTracks{Tracks: []string{"t6"}, Before: "t1"},
		RemoveTracks{Tracks: []string{"t6"}},
		DuplicateTracks{Tracks: []string{"t1"}},
		InsertClip{Sound: ExampleOther, Track: "t6", Start: second(2), Length: second(8)},
		MoveClips{Moves: []Move{{Clip: "c8", Start: second(16)}}},
		TrimClips{Trims: []Trim{{Clip: "c7", Edge: "end", At: second(10)}}},
		SplitClips{Clips: []string{"c7"}, At: second(6)},
		CopyClips{Clips: []string{"c3"}, Start: second(20)},
		RemoveClips{Clips: []string{"c5"}, Close: CloseTrack},
		SlipClips{Slips: []Slip{{Clip: "c5", Offset: second(14)}}},
		JoinClips{Clips: []string{"c3", "c4"}},
		LayerClips{Clips: []string{"c5"}, Front: true},
		SetCrossings{Crossings: []CrossingChange{{Clip: "c5", Law: &law}}},
		RemoveRanges{Ranges: []Range{{From: second(2), To: second(3)}}, Close: CloseAll},
		TightenPauses{Cuts: []Range{{From: second(2), To: second(3)}}},
		CloseGap{Track: "t6", At: second(5), Close: CloseTrack},
		InsertTime{At: second(10), Length: second(5)},
		PasteClips{At: second(26), Fragment: Fragment{Length: second(2), Rows: []Row{{Name: "Theme", Part: session.Music, Clips: []session.Clip{newClip("Theme", ExampleMusic, 0, 0, second(2))}}}}},
		RepeatStretch{Clip: "c7", From: second(5), To: second(7), Times: 2},
		LoopClip{Clip: "c8", Length: second(18)},
		FitClips{Clips: []string{"c8"}, Parts: []fit.Section{{From: 0, To: second(4)}, {From: second(8), To: second(10)}}},
		MoveSegment{Marker: "m9", Before: "m10"},
	}
}

func examplesOfLevels() []Op {
	of := func(c string) Line { return Line{Clip: c} }
	gain, half := audio.DB(-3), second(4)
	return []Op{
		SetClips{Clips: []ClipChange{{Clip: "c7", Gain: &gain, Length: &half}}},
		SetFades{Fades: []ClipFades{{Clip: "c7", In: &NewFade{Length: second(2), Shape: session.EqualPower}}}},
		AddPoints{Points: []NewPoint{{Line: of("c7"), At: second(5), Level: -6}}},
		MovePoints{Moves: []PointMove{{Line: of("c7"), From: second(3), At: second(4), Level: -9}}},
		RemovePoints{Points: []PointAt{{Line: of("c7"), At: second(3)}}},
		ShiftLines{Lines: []Line{of("c7")}, By: -2},
		ClearLines{Lines: []Line{of("c7")}},
		BendLines{Bends: []PointBend{{PointAt: PointAt{Line: of("c7"), At: second(1)}, Bend: 0.5}}},
		DrawRamp{Line: of("c7"), From: second(5), To: second(8), Level: -18},
		LiftStretch{Lines: []Line{of("c7")}, From: second(5), To: second(8), By: -6, Before: second(1), After: second(1)},
		HushStretch{Clips: []string{"c3"}, From: second(2), To: second(3)},
		SetStage{Tracks: []string{"t1"}, Stage: "compressor", Settings: map[string]any{"on": true, "ratio": 2.5}},
		FadeOutBy{Clip: "c7", At: second(8)},
		GroupTracks{Tracks: []string{"t2", "t6"}},
		MoveFaders{Faders: []FaderMove{{Track: "t2", Level: -6}}},
	}
}

func examplesOfTheRest() []Op {
	half := second(4)
	return []Op{
		AddMarker{At: second(12), Name: "Archive", Chapter: true},
		AddMarkers{Markers: []NewMarker{{At: second(12), Name: "Archive"}, {At: second(14), Length: second(2)}}},
		AddPlace{Track: "t1", At: second(30), Length: second(10), Name: "Guest"},
		SetMarkers{Markers: []MarkerChange{{Marker: "m10", At: &half}}},
		RemoveMarkers{Markers: []string{"m10"}},
		SetTarget{Target: "podcast-mono"},
		SetLead{Lead: "present"},
		SetSensitivity{Sound: ExampleVoice, Sensitivity: 3},
		SetSides{Sides: []SideOf{{Sound: ExampleMusic, Side: "left"}}},
		SetAside{Findings: []AsideFinding{{Key: "dead-air:9600", Name: "Dead air", By: 2}}, Reason: "It is meant"},
		TakeUp{Findings: []string{"join:c4"}},
		TurnWays{Lines: []WayLine{{Track: "t2", Points: []session.Point{{At: second(1), Level: -12}}}}},
		TakeWaysBack{Tracks: []string{"t6"}},
		PlaceTake{Sound: ExampleVoice, Track: "t1", Start: second(30)},
		UseSound{Clip: "c8", Sound: ExampleOther},
		ReplaceSound{Sound: ExampleMusic, With: ExampleOther},
		PlaceRendering{Sound: ExampleOther, Clips: []string{"c7"}, Start: 0, Name: "Bed, rendered"},
	}
}
