package edit_test

import (
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/mix"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

// show is a desk with a voice of 60 s on t1 and a bed of 60 s on t2, each one clip that
// begins at 0, whose sounds can be listened to.
type show struct {
	*desk
	sounds map[string]audio.PCM
}

const second = audio.Second

func newShow(t *testing.T, voice, bed audio.PCM) *show {
	s := &show{&desk{t: t, doc: session.New()}, map[string]audio.PCM{testkit.ID(0): voice, testkit.ID(1): bed}}
	s.do(edit.AddTrack{Part: session.Voice, Name: "Presenter"})                        // t1
	s.do(edit.AddTrack{Part: session.Music, Name: "Bed"})                              // t2
	s.do(edit.InsertClip{Sound: testkit.ID(0), Track: "t1", Name: "Link"})             // c3
	s.do(edit.InsertClip{Sound: testkit.ID(1), Track: "t2", Name: "Theme", Start: 10}) // c4
	return s
}

func (s *show) material() edit.Material {
	return edit.Material{
		Sound: func(id string) (session.Sound, bool) {
			p, there := s.sounds[id]
			return session.Sound{Channels: len(p), Length: p.Length()}, there
		},
		Samples: func(id string, from, to audio.Frames) (audio.PCM, error) { return s.sounds[id].Slice(from, to), nil },
	}
}

func (s *show) do(op edit.Op) {
	s.t.Helper()
	next, name, err := edit.ApplyFrom(s.doc, s.doc.Next, op, s.material())
	require.NoError(s.t, err)
	require.NotEmpty(s.t, name)
	s.doc, s.name = next, name
}

func (s *show) render() audio.PCM {
	plan, err := mix.Compile(s.doc, func(id string) (audio.PCM, error) { return s.sounds[id], nil }, nil)
	require.NoError(s.t, err)
	out := audio.NewPCM(2, plan.Length())
	require.NoError(s.t, mix.NewRenderer(plan).Render(out, 0))
	return out
}

func (s *show) clips(track int) (out []session.Clip) {
	for _, id := range s.doc.Tracks[track].ClipsInOrder() {
		out = append(out, s.doc.Tracks[track].Clips[id])
	}
	return out
}

func tone(length audio.Frames, hertz float64) audio.PCM {
	return testkit.Sine(1, hertz, -12, 0, length)
}

func TestCuttingASlipOutOfTheVoiceDoesNotMoveTheMusic(t *testing.T) {
	s := newShow(t, testkit.Noise(1, 0.3, 20*second, 1), tone(20*second, 200))
	s.do(edit.AddMarker{At: 15 * second, Name: "Later"})
	s.do(edit.AddPoints{Points: []edit.NewPoint{{Line: edit.Line{Track: "t1"}, At: 12 * second, Level: -6}}})
	music := s.doc.Tracks[1]
	s.do(edit.RemoveRanges{Ranges: []edit.Range{{From: 5 * second, To: 6 * second}}, Tracks: []string{"t1"}, Close: edit.CloseTrack})
	assert.Equal(t, music, s.doc.Tracks[1], "neither the music")
	assert.Equal(t, 15*second, s.doc.Markers["m5"].At, "nor a marker")
	assert.Equal(t, 12*second, s.doc.Tracks[0].Envelope[0].At, "nor the line over the track moves: they stay with the time")
	c := s.clips(0)
	require.Len(t, c, 2)
	assert.Equal(t, 19*second, c[1].End())
	assert.Equal(t, edit.JoinLength, c[0].End()-c[1].Start, "the join crosses for 10 ms")
	assert.Equal(t, session.CrossGain, c[1].Crossing, "with equal gains within one recording")
	assert.Equal(t, second, (c[1].Offset-c[1].Start)-(c[0].Offset-c[0].Start), "and exactly a second is gone")
	assert.InDelta(t, float64(5*second), float64(c[0].End()+c[1].Start)/2, audio.Rate/250, "within 4 ms of where it was asked for")
}

func TestClosingAGapOnAllTracksKeepsEverythingInStep(t *testing.T) {
	s := newShow(t, tone(20*second, 300), tone(20*second, 200))
	s.do(edit.AddMarker{At: 15 * second, Name: "Later"})
	s.do(edit.AddMarker{At: 4 * second, Length: 8 * second, Name: "Range"})
	s.do(edit.AddMarker{At: 5*second + 100, Name: "Inside"})
	s.do(edit.RemoveRanges{Ranges: []edit.Range{{From: 5 * second, To: 6 * second}}, Close: edit.CloseAll})
	for track := range 2 {
		c := s.clips(track)
		require.Len(t, c, 2)
		assert.Equal(t, second, (c[1].Offset-c[1].Start)-(c[0].Offset-c[0].Start))
		assert.Equal(t, session.CrossGain, c[1].Crossing, "the music is cut with a crossfade")
	}
	assert.Equal(t, session.Marker{Name: "Later", At: 14 * second}, s.doc.Markers["m5"])
	assert.Equal(t, session.Marker{Name: "Range", At: 4 * second, Length: 7 * second}, s.doc.Markers["m6"])
	assert.Equal(t, session.Marker{Name: "Inside", At: 5 * second}, s.doc.Markers["m7"], "what was marked inside stays marked, at the join")
	// The join of a steady tone, 1 s of which is a whole number of its periods, is not heard at all.
	out := s.render()
	for i := 4 * second; i < 6*second; i++ {
		require.Less(t, math.Abs(float64(out[0][i+1]-out[0][i])), 0.05, i)
	}
}

func TestWhatFollowsAClosedGapKeepsItsDistances(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		from := audio.Frames(rapid.IntRange(0, 60000).Draw(t, "from"))
		length := audio.Frames(rapid.IntRange(1, 30000).Draw(t, "length"))
		none := audio.Frames(0)
		op := edit.RemoveRanges{Ranges: []edit.Range{{From: from, To: from + length}}, Close: edit.CloseAll, Joining: edit.Joining{Join: &none}}
		next, _, err := edit.Apply(doc, op, library.Catalogue)
		var p problem.Problem
		if err != nil {
			require.ErrorAs(t, err, &p)
			t.Skip(p.Code)
		}
		for i, tr := range doc.Tracks {
			for id, c := range tr.Clips {
				if c.Start >= from+length {
					if got := next.Tracks[i].Clips[id]; got.Start != c.Start-length || got.Offset != c.Offset || got.Length != c.Length {
						t.Fatalf("%s stood at %d and stands at %d", id, c.Start, got.Start)
					}
				}
			}
		}
	})
}

func TestInsertingTimeAndTakingItOutAgainIsHeardAsBefore(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		for i := range doc.Tracks {
			doc.Tracks[i].Envelope = []session.Point{} // whose ramps wait in the new time, which is tried below
		}
		at := audio.Frames(rapid.IntRange(0, 60000).Draw(t, "at"))
		length := audio.Frames(rapid.IntRange(1, 30000).Draw(t, "length"))
		wide, _, err := edit.Apply(doc, edit.InsertTime{At: at, Length: length}, library.Catalogue)
		if err != nil {
			t.Skip("inside a crossing")
		}
		none := audio.Frames(0) // so that clips which met before are not crossed now
		op := edit.RemoveRanges{Ranges: []edit.Range{{From: at, To: at + length}}, Close: edit.CloseAll, Joining: edit.Joining{Join: &none}}
		next, _, err := edit.Apply(wide, op, library.Catalogue)
		if err != nil {
			t.Skip("three at once")
		}
		a, b := renderDoc(t, doc, 150000), renderDoc(t, next, 150000)
		for c := range a {
			for i := range a[c] {
				if d := math.Abs(float64(a[c][i] - b[c][i])); d > 1e-6*max(1, math.Abs(float64(a[c][i]))) {
					t.Fatalf("frame %d changed by %v", i, d)
				}
			}
		}
	})
}

func renderDoc(t require.TestingT, doc session.Document, length audio.Frames) audio.PCM {
	plan, err := mix.Compile(doc, library.Sounds, nil)
	require.NoError(t, err)
	out := audio.NewPCM(2, length)
	require.NoError(t, mix.NewRenderer(plan).Render(out, 0))
	return out
}

func TestARampWaitsInInsertedTimeAndIsWholeWithoutIt(t *testing.T) {
	s := newShow(t, tone(20*second, 300), tone(20*second, 200))
	line := edit.Line{Track: "t2"}
	s.do(edit.AddPoints{Points: []edit.NewPoint{{Line: line, At: 4 * second}, {Line: line, At: 8 * second, Level: -20}}})
	s.do(edit.InsertTime{At: 6 * second, Length: 3 * second})
	assert.Equal(t, []session.Point{{At: 4 * second}, {At: 6 * second, Level: -10}, {At: 9 * second, Level: -10}, {At: 11 * second, Level: -20}}, rounded(s.doc.Tracks[1].Envelope))
	s.do(edit.RemoveRanges{Ranges: []edit.Range{{From: 6 * second, To: 9 * second}}, Close: edit.CloseAll})
	half := edit.JoinLength / 2
	assert.InDeltaSlice(t, []float64{0, -10, -10, -20}, levels(s.doc.Tracks[1].Envelope), 0.1)
	assert.Equal(t, []audio.Frames{4 * second, 6*second - half, 6*second + half, 8 * second}, times(s.doc.Tracks[1].Envelope))
}

func rounded(points []session.Point) (out []session.Point) {
	for _, p := range points {
		out = append(out, session.Point{At: p.At, Level: audio.DB(math.Round(float64(p.Level)*1e6) / 1e6)})
	}
	return out
}

func levels(points []session.Point) (out []float64) {
	for _, p := range points {
		out = append(out, float64(p.Level))
	}
	return out
}

func times(points []session.Point) (out []audio.Frames) {
	for _, p := range points {
		out = append(out, p.At)
	}
	return out
}

func TestAGapIsClosedByPointingAtItAndKnowsOfOverlaps(t *testing.T) {
	d := newDesk(t)
	d.do(edit.InsertClip{Sound: testkit.ID(1), Track: "t1", Name: "Next", Start: 60000}) // c4
	d.refuse("no-gap", edit.CloseGap{Track: "t1", At: 6000, Close: edit.CloseTrack})
	d.refuse("no-gap", edit.CloseGap{Track: "t1", At: 9e6, Close: edit.CloseTrack})
	d.do(edit.CloseGap{Track: "t1", At: 40000, Close: edit.CloseTrack})
	assert.Equal(t, d.clip("c3").End(), d.clip("c4").Start, "whole recordings have nothing to cross with")
	// A clip between two that it overlaps with: only the time that it alone filled goes.
	d.do(edit.MoveClips{Moves: []edit.Move{{Clip: "c3", Start: 0}, {Clip: "c4", Start: 15000}}})
	d.do(edit.CopyClips{Clips: []string{"c3"}, Start: 15000 + d.clip("c4").Length - 2000}) // c5
	start := d.clip("c5").Start
	d.do(edit.RemoveClips{Clips: []string{"c4"}, Close: edit.CloseTrack})
	assert.Equal(t, audio.Frames(20000), d.clip("c5").Start)
	assert.Greater(t, start, audio.Frames(20000))
}

func TestOverlapsCrossByWhatIsInThemAndNoThirdClipMaySound(t *testing.T) {
	d := newDesk(t)
	d.do(edit.InsertClip{Sound: testkit.ID(1), Track: "t1", Start: 20000}) // c4, in c3
	assert.Equal(t, session.CrossPower, d.clip("c4").Crossing, "unlike sounds")
	d.do(edit.SplitClips{Clips: []string{"c3"}, At: 12000}) // c5 goes on
	assert.Equal(t, session.CrossPower, d.clip("c4").Crossing)
	fades := func(length audio.Frames) edit.Op {
		return edit.SetFades{Fades: []edit.ClipFades{{Clip: "c4", In: &edit.NewFade{Length: length, Shape: session.Linear}}}}
	}
	d.do(fades(500))
	d.refuse("inside-crossing", edit.SplitClips{Clips: []string{"c5"}, At: 22000})
	d.do(fades(0))
	atEnd := &desk{t: t, doc: d.doc}
	atEnd.do(edit.SplitClips{Clips: []string{"c4"}, At: 25000}) // where c5 ends
	assert.Equal(t, session.Fade{Length: 5000, Shape: session.EqualPower}, atEnd.clip("c4").FadeIn, "the crossing goes on as fades")
	assert.Equal(t, atEnd.clip("c4").FadeIn, atEnd.clip("c5").FadeOut)
	d.do(edit.TrimClips{Trims: []edit.Trim{{Clip: "c3", Edge: "end", At: 13000}}})
	assert.Equal(t, session.CrossGain, d.clip("c5").Crossing, "one recording")
	before := string(d.doc.JSON())
	d.refuse("three-at-once", edit.InsertClip{Sound: testkit.ID(2), Track: "t1", Start: 20500})
	d.refuse("three-at-once", edit.CopyClips{Clips: []string{"c3"}, Start: 19000})
	assert.Equal(t, before, string(d.doc.JSON()))
	elsewhere := &desk{t: t, doc: d.doc}
	elsewhere.do(edit.InsertClip{Sound: testkit.ID(2), Track: "t1", Start: 20500, Elsewhere: true})
	assert.Len(t, elsewhere.doc.Tracks, 3, "what comes by itself gets a track of its own there")
	d.do(edit.MoveClips{Moves: []edit.Move{{Clip: "c4", Start: 90000}}})
	assert.Equal(t, session.LaidOver, d.clip("c4").Crossing, "apart they do not cross")
	// A clip that lies wholly inside another is heard with it, and is brought to the front.
	d.do(edit.InsertClip{Sound: testkit.ID(2), Track: "t1", Start: 91000, Length: 500})
	assert.Empty(t, d.doc.Tracks[0].Overlaps()[1:])
	d.do(edit.LayerClips{Clips: []string{"c6"}, Front: true})
	assert.Equal(t, 1, d.clip("c6").Layer)
	d.do(edit.LayerClips{Clips: []string{"c6"}})
	assert.Equal(t, -1, d.clip("c6").Layer)
}

func TestACrossingIsMadeLongerAndShorterAroundItsMiddleAsFarAsTheSoundsReach(t *testing.T) {
	s := newShow(t, tone(20*second, 300), tone(20*second, 200))
	s.do(edit.RemoveRanges{Ranges: []edit.Range{{From: 5 * second, To: 6 * second}}, Tracks: []string{"t1"}, Close: edit.CloseTrack})
	var comes string
	for id, c := range s.doc.Tracks[0].Clips {
		if c.Crossing != session.LaidOver {
			comes = id
		}
	}
	length := func(n audio.Frames) edit.SetCrossings {
		return edit.SetCrossings{Crossings: []edit.CrossingChange{{Clip: comes, Length: &n}}}
	}
	was := s.doc.Tracks[0].Overlaps()[0]
	for _, c := range []struct{ ask, want audio.Frames }{{4800, 4800}, {second, second}, {100, 100}, {100 * second, 19 * second}} {
		s.do(length(c.ask))
		o := s.doc.Tracks[0].Overlaps()[0]
		if c.ask <= second {
			assert.Equal(t, c.want, o.To-o.From)
			assert.InDelta(t, float64(was.From+was.To)/2, float64(o.From+o.To)/2, 1)
		} else {
			assert.Less(t, o.To-o.From, c.want)
		}
		for _, clip := range s.clips(0) {
			assert.Contains(t, []audio.Frames{0, second}, clip.Offset-clip.Start, "no sound is moved")
		}
	}
	law := "equal-power"
	s.do(edit.SetCrossings{Crossings: []edit.CrossingChange{{Clip: comes, Law: &law}}})
	assert.Equal(t, session.CrossPower, s.clip(comes).Crossing)
	s.do(length(9600))
	assert.Equal(t, session.CrossPower, s.clip(comes).Crossing, "a law that was chosen stays")
	s.do(length(0))
	assert.Empty(t, s.doc.Tracks[0].Overlaps())
	s.refuse("no-crossing", edit.SetCrossings{Crossings: []edit.CrossingChange{{Clip: "c3"}}})
}

func TestAJoinIsPlacedWhereBothSidesAreQuietest(t *testing.T) {
	voice := testkit.Noise(1, 0.5, 20*second, 3)
	const lull = 5*second + 150 // 3 ms after the cut, and as much after its other end
	for _, around := range []audio.Frames{lull, lull + second} {
		clear(voice[0][around-240 : around+240])
	}
	s := newShow(t, voice, tone(20*second, 200))
	s.do(edit.RemoveRanges{Ranges: []edit.Range{{From: 5 * second, To: 6 * second}}, Tracks: []string{"t1"}, Close: edit.CloseTrack})
	o := s.doc.Tracks[0].Overlaps()[0]
	assert.InDelta(t, float64(lull), float64(o.From+o.To)/2, 2)
	out, music := s.render(), musicAlone(s)
	for i := o.From; i < o.To; i++ {
		require.InDelta(t, 0, out[0][i]-music[i], 1e-4)
	}
}

// musicAlone is what the bed alone puts on the left side.
func musicAlone(s *show) []float32 {
	alone := *s
	alone.desk = &desk{t: s.t, doc: s.doc.Clone()}
	alone.doc.Tracks[0].Mute = true
	return alone.render()[0]
}

func TestAPauseIsFilledWithTheRoomsOwnSound(t *testing.T) {
	voice := testkit.Noise(1, 0.5, 20*second, 3)
	room := testkit.Noise(1, 0.002, 4*second, 4)
	copy(voice[0][8*second:], room[0])
	s := newShow(t, voice, tone(20*second, 200))
	s.do(edit.InsertTime{At: 5 * second, Length: 2 * second, Tracks: []string{"t1"}, Room: true})
	alone := s.doc.Clone()
	alone.Tracks[1].Mute = true
	s.doc = alone
	out := s.render()
	for at := 5*second + 960; at < 7*second-960; at += 4800 {
		rms := testkit.RMS(out[0][at : at+2400])
		assert.InDelta(t, 20*math.Log10(0.002/math.Sqrt(3)/math.Sqrt2), rms, 1.5, "a pause is neither silent nor loud")
	}
	assert.Equal(t, 22*second, s.doc.Length())
}

func TestAShortStretchIsRepeatedAndWhatFollowsMoves(t *testing.T) {
	s := newShow(t, testkit.Noise(1, 0.3, 20*second, 1), tone(20*second, 200))
	s.do(edit.RepeatStretch{Clip: "c3", From: 2 * second, To: 2*second + 9600, Times: 3})
	c := s.clips(0)
	require.Len(t, c, 5)
	assert.Equal(t, 20*second+3*9600, c[4].End())
	for i := 1; i < 4; i++ {
		assert.Equal(t, session.CrossGain, c[i].Crossing)
		assert.Equal(t, edit.JoinLength, c[i-1].End()-c[i].Start)
	}
	assert.Equal(t, c[3].Offset+c[3].Length, c[4].Offset, "after the last the sound simply goes on")
	assert.Equal(t, "Repeat 0:00.20 of “Link” 3 times", s.name)
	out := s.render()
	music := musicAlone(s)
	first, again := out[0][2*second+1000:2*second+8000], out[0][2*second+9600+1000:2*second+9600+8000]
	for i := range first {
		at := 2*second + 1000 + audio.Frames(i)
		require.InDelta(t, first[i]-music[at], again[i]-music[at+9600], 1e-6)
	}
	s.refuse("bad-range", edit.RepeatStretch{Clip: "c3", From: 2 * second, To: 2*second + 5, Times: 3})
}

// beats is a click of 30 ms every period, over a quiet chord.
func beats(length audio.Frames, period float64) audio.PCM {
	p := testkit.Sine(1, 110, -40, 0, length)
	for k := 0; ; k++ {
		at := audio.Frames(math.Round(float64(k) * period))
		if at+1440 > length {
			return p
		}
		for i := range audio.Frames(1440) {
			p[0][at+i] += float32(0.5 * math.Exp(-float64(i)/300) * math.Sin(2*math.Pi*float64(i)/48))
		}
	}
}

func TestABedIsLoopedOnItsBeat(t *testing.T) {
	const period = 60.0 / 104 * audio.Rate
	s := newShow(t, tone(20*second, 300), beats(13*second, period))
	s.do(edit.SetFades{Fades: []edit.ClipFades{{Clip: "c4", Out: &edit.NewFade{Length: second, Shape: session.Linear}}}})
	s.do(edit.LoopClip{Clip: "c4", Length: 60 * second})
	c := s.clips(1)
	assert.Equal(t, 60*second+10, c[len(c)-1].End())
	assert.Equal(t, second, c[len(c)-1].FadeOut.Length, "its own end comes at the end")
	assert.Zero(t, c[0].FadeOut.Length)
	stride := float64(c[1].Start - c[0].Start)
	bars := math.Round(stride / (4 * period))
	assert.InDelta(t, bars*4*period, stride, 48, "a whole number of bars, to a millisecond")
	for i := 1; i < len(c); i++ {
		assert.Equal(t, session.CrossGain, c[i].Crossing)
	}
	s.refuse("bad-length", edit.LoopClip{Clip: "c3", Length: second})
	s.do(edit.LoopClip{Clip: "c3", Length: 50 * second}) // which has no beat: all of it, softly crossed
	assert.Len(t, s.clips(0), 3)
	assert.Equal(t, 50*second, s.clips(0)[2].End())
}

func TestAStretchIsCopiedWithoutSplittingAndPastedIntoAnotherSession(t *testing.T) {
	s := newShow(t, testkit.Noise(1, 0.3, 20*second, 1), tone(20*second, 200))
	s.do(edit.SetFades{Fades: []edit.ClipFades{{Clip: "c3", In: &edit.NewFade{Length: 4 * second, Shape: session.Linear}}}})
	before := string(s.doc.JSON())
	f, err := edit.Copy(s.doc, edit.Copying{Range: &edit.Range{From: second, To: 3 * second}})
	require.NoError(t, err)
	assert.Equal(t, before, string(s.doc.JSON()))
	assert.Equal(t, 2*second, f.Length)
	require.Len(t, f.Rows, 2)
	assert.Equal(t, session.Fade{Length: 4 * second, Past: second, Shape: session.Linear}, f.Rows[0].Clips[0].FadeIn, "it sounds as it did there")

	other := &show{&desk{t: t, doc: session.New()}, s.sounds}
	other.do(edit.PasteClips{At: 7 * second, Fragment: f})
	require.Len(t, other.doc.Tracks, 2)
	assert.Equal(t, []string{"Presenter", "Bed"}, []string{other.doc.Tracks[0].Name, other.doc.Tracks[1].Name}, "new tracks are called like those that it was copied from")
	assert.Equal(t, []session.Part{session.Voice, session.Music}, []session.Part{other.doc.Tracks[0].Part, other.doc.Tracks[1].Part})
	out, from := other.render(), s.render()
	for i := range 2 * second {
		require.InDelta(t, from[0][second+i], out[0][7*second+i], 1e-6)
	}
	s.do(edit.PasteClips{At: 5 * second, Track: "t1", MakeRoom: true, Fragment: edit.Fragment{Length: f.Length, Rows: f.Rows[:1]}})
	assert.Equal(t, 22*second, s.clips(0)[2].End(), "what follows makes room")
	s.refuse("unknown-sound", edit.PasteClips{Fragment: edit.Fragment{Rows: []edit.Row{{Part: session.Voice, Clips: []session.Clip{{Sound: testkit.ID(9)}}}}}})
	_, err = edit.Copy(s.doc, edit.Copying{})
	require.Error(t, err)
}

func TestASegmentMovesWithEverythingInItAndNothingIsLost(t *testing.T) {
	s := newShow(t, testkit.Noise(1, 0.3, 20*second, 1), tone(20*second, 200))
	for _, at := range []audio.Frames{0, 5 * second, 10 * second} {
		s.do(edit.AddMarker{At: at, Length: 5 * second, Name: "Part"}) // m5, m6, m7
	}
	s.do(edit.AddMarker{At: 11 * second, Name: "In the third"}) // m8
	length := s.doc.Length()
	s.do(edit.MoveSegment{Marker: "m7", Before: "m5"})
	assert.Equal(t, []audio.Frames{5 * second, 10 * second, 0, second},
		[]audio.Frames{s.doc.Markers["m5"].At, s.doc.Markers["m6"].At, s.doc.Markers["m7"].At, s.doc.Markers["m8"].At})
	assert.Equal(t, length, s.doc.Length())
	c := s.clips(0)
	require.Len(t, c, 3)
	assert.InDelta(t, float64(10*second), float64(c[0].Offset-c[0].Start), 1, "what was in the third part comes first")
	assert.InDelta(t, float64(-5*second), float64(c[1].Offset-c[1].Start), 1)
	s.do(edit.MoveSegment{Marker: "m7"})
	assert.Equal(t, length-5*second, s.doc.Markers["m7"].At)
	s.refuse("no-range", edit.MoveSegment{Marker: "m8"})
}

func TestTracksAreDuplicatedWithAllThatIsOnThem(t *testing.T) {
	d := newDesk(t)
	d.do(edit.DuplicateTracks{Tracks: []string{"t1"}})
	require.Len(t, d.doc.Tracks, 3)
	assert.Equal(t, "Presenter 1", d.doc.Tracks[1].Name)
	assert.Len(t, d.doc.Tracks[1].Clips, 1)
	assert.NotContains(t, d.doc.Tracks[1].Clips, "c3")
}

func TestTypedPlacesAreTakenAsTheyAreOrRefused(t *testing.T) {
	d := newDesk(t)
	set := func(c edit.ClipChange) edit.Op { c.Clip = "c3"; return edit.SetClips{Clips: []edit.ClipChange{c}} }
	at := func(n audio.Frames) *audio.Frames { return &n }
	d.do(set(edit.ClipChange{Start: at(7000), Offset: at(2000), Length: at(9000)}))
	c := d.clip("c3")
	assert.Equal(t, []audio.Frames{7000, 2000, 9000}, []audio.Frames{c.Start, c.Offset, c.Length})
	d.refuse("negative-time", set(edit.ClipChange{Start: at(-1)}))
	d.refuse("clip-outside-sound", set(edit.ClipChange{Length: at(18001)}))
	d.refuse("clip-outside-sound", set(edit.ClipChange{Offset: at(11001)}))
	d.do(edit.SlipClips{Slips: []edit.Slip{{Clip: "c3", Offset: 1e9}}})
	assert.Equal(t, audio.Frames(11000), d.clip("c3").Offset, "a slip that is dragged stops at the end")
	d.do(edit.MoveClips{Copy: true, Moves: []edit.Move{{Clip: "c3", Start: 50000, Track: "t2"}}})
	assert.Len(t, d.doc.Tracks[1].Clips, 1)
	assert.Equal(t, audio.Frames(7000), d.clip("c3").Start)
}

func TestOnlyWhatASplitCutIsJoined(t *testing.T) {
	d := newDesk(t)
	d.do(edit.SplitClips{Clips: []string{"c3"}, At: 10000}) // c4
	gain := audio.DB(-3)
	d.do(edit.SetClips{Clips: []edit.ClipChange{{Clip: "c4", Gain: &gain}}})
	d.refuse("not-one", edit.JoinClips{Clips: []string{"c3", "c4"}})
	zero := audio.DB(0)
	d.do(edit.SetClips{Clips: []edit.ClipChange{{Clip: "c4", Gain: &zero}}})
	d.do(edit.AddPoints{Points: []edit.NewPoint{{Line: edit.Line{Clip: "c4"}, At: 6000, Level: -6}}})
	d.do(edit.JoinClips{Clips: []string{"c3", "c4"}})
	assert.Equal(t, []audio.Frames{4999, 5000, 6000}, times(d.clip("c3").Envelope), "each part keeps its line")
	d.refuse("nothing-to-join", edit.JoinClips{Clips: []string{"c3"}})
	d.do(edit.SplitClips{Clips: []string{"c3"}, At: 10000})
	d.do(edit.MoveClips{Moves: []edit.Move{{Clip: "c5", Start: 40000}}})
	d.refuse("not-one", edit.JoinClips{Clips: []string{"c3", "c5"}})
}

func TestRemovingRangesNeedsSomethingThere(t *testing.T) {
	d := newDesk(t)
	d.refuse("nothing-there", edit.RemoveRanges{Ranges: []edit.Range{{From: 40000, To: 50000}}})
	d.refuse("bad-range", edit.RemoveRanges{Ranges: []edit.Range{{From: 50, To: 50}}})
	d.do(edit.RemoveRanges{Ranges: []edit.Range{{From: 10000, To: 12000}, {From: 11000, To: 13000}}})
	ids := d.doc.Tracks[0].ClipsInOrder()
	require.Len(t, ids, 2)
	assert.Equal(t, []audio.Frames{10000, 13000}, []audio.Frames{d.clip(ids[0]).End(), d.clip(ids[1]).Start}, "a gap stays")
	d.do(edit.TightenPauses{Cuts: []edit.Range{{From: 10000, To: 12000}}, Tracks: []string{"t1"}})
	assert.Equal(t, "Tighten 1 pause by 0:00.04", d.name)
	assert.Equal(t, audio.Frames(11000), slices.MaxFunc(d.clipsOf(0), func(a, b session.Clip) int { return int(a.Start - b.Start) }).Start)
}

func (d *desk) clipsOf(track int) (out []session.Clip) {
	for _, c := range d.doc.Tracks[track].Clips {
		out = append(out, c)
	}
	return out
}
