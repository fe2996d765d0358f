package edit_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/envelope"
	"ruvel/core/session"
	"ruvel/testkit/law"
)

var (
	linkLine  = edit.Line{Clip: "c3"}
	musicLine = edit.Line{Track: "t2"}
)

func at(line edit.Line, at audio.Frames) edit.PointAt { return edit.PointAt{Line: line, At: at} }

func TestADipIsDownBeforeTheFirstWordAndUpAgainAfterTheLast(t *testing.T) {
	d := newDesk(t)
	d.do(edit.LiftStretch{Lines: []edit.Line{musicLine}, From: 10000, To: 20000, By: -18, Before: 4800, After: 7200})
	assert.Equal(t, []session.Point{{At: 5200}, {At: 10000, Level: -18}, {At: 20000, Level: -18}, {At: 27200}}, d.doc.Tracks[1].Envelope)
	assert.Contains(t, d.name, "Dip")

	// On a clip's line the times are those of its sound; what the line does meanwhile stays.
	d.do(edit.AddPoints{Points: []edit.NewPoint{{Line: linkLine, At: 4000, Level: 2}, {Line: linkLine, At: 8000, Level: -6}}})
	d.do(edit.LiftStretch{Lines: []edit.Line{linkLine}, From: 8000, To: 15000, By: -10, Before: 500, After: 500})
	line := envelope.New(d.clip("c3").Envelope)
	for own, want := range map[audio.Frames]float64{2000: 2, 3000: -8, 4000: -8, 8000: -16, 10000: -16, 10500: -6} {
		assert.InDelta(t, want, float64(audio.Level(line.GainAt(own))), 1e-6, "frame %d", own)
	}
	d.refuse("no-stretch", edit.LiftStretch{Lines: []edit.Line{linkLine}, From: 9, To: 9, Before: 1, After: 1})
	d.refuse("stretch-elsewhere", edit.LiftStretch{Lines: []edit.Line{linkLine}, From: 50000, To: 60000, Before: 1, After: 1})
	d.refuse("bad-ramp", edit.LiftStretch{Lines: []edit.Line{linkLine}, From: 9, To: 90, After: 1})
}

func TestALiftedStretchIsHigherByJustThatAndNothingElseIs(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		if len(doc.Tracks) == 0 {
			t.Skip("no tracks")
		}
		track := doc.Tracks[0]
		from := audio.Frames(rapid.IntRange(0, 30000).Draw(t, "from"))
		to := from + audio.Frames(rapid.IntRange(1, 20000).Draw(t, "length"))
		ramp := audio.Frames(rapid.IntRange(1, 5000).Draw(t, "ramp"))
		by := audio.DB(rapid.Float64Range(-30, 0).Draw(t, "by"))
		next, _, err := edit.Apply(doc, edit.LiftStretch{
			Lines: []edit.Line{{Track: track.ID}}, From: from, To: to, By: by, Before: ramp, After: ramp,
		}, library.Catalogue)
		if err != nil {
			t.Fatalf("lift: %v", err)
		}
		before, after := envelope.New(track.Envelope), envelope.New(next.Tracks[0].Envelope)
		// Below -60 dB a line is straight in amplitude, so only there would a shift bend it.
		high := true
		for at := from; at <= to; at++ {
			high = high && before.GainAt(at) > 0.1
		}
		for at := audio.Frames(0); at < 60000; at += 37 {
			a, b := before.GainAt(at), after.GainAt(at)
			want := a
			switch {
			case at > max(0, from-ramp) && at < from, at > to && at < to+ramp:
				continue
			case at >= from && at <= to:
				if !high {
					continue
				}
				want = a * by.Gain()
			}
			if math.Abs(b-want) > closeTo(track.Envelope, want) {
				t.Fatalf("frame %d of %d to %d: %v became %v instead of %v", at, from, to, a, b, want)
			}
		}
	})
}

// closeTo is how near a gain must come to another on a line that has been cut. A line that
// comes from silence cannot be cut quite exactly: a gain below -120 dB is not a level.
func closeTo(line []session.Point, gain float64) float64 {
	for _, p := range line {
		if p.Level < -110 {
			return 5e-6 + 5e-3*gain
		}
	}
	return 1e-9 + 1e-6*gain
}

func TestARampIsDrawnFromTheLevelThatIsThere(t *testing.T) {
	d := newDesk(t)
	d.do(edit.DrawRamp{Line: musicLine, From: 48000, To: 96000, Level: -20})
	assert.Equal(t, []session.Point{{At: 48000}, {At: 96000, Level: -20}}, d.doc.Tracks[1].Envelope)
	// A second one begins on the first and takes what lies under it away; what comes later stays.
	d.do(edit.AddPoints{Points: []edit.NewPoint{{Line: musicLine, At: 200000, Level: -3}}})
	d.do(edit.DrawRamp{Line: musicLine, From: 72000, To: 120000, Level: -2})
	line := d.doc.Tracks[1].Envelope
	require.Len(t, line, 4)
	assert.InDelta(t, -10, float64(line[1].Level), 1e-9)
	assert.Equal(t, []audio.Frames{48000, 72000, 120000, 200000}, []audio.Frames{line[0].At, line[1].At, line[2].At, line[3].At})
	// Backwards: pressed where it ends and let go where it begins.
	d.do(edit.ClearLines{Lines: []edit.Line{musicLine}})
	d.do(edit.DrawRamp{Line: musicLine, From: 96000, To: 48000, Level: -120})
	assert.Equal(t, []session.Point{{At: 48000, Level: -120}, {At: 96000}}, d.doc.Tracks[1].Envelope)
	d.refuse("no-ramp", edit.DrawRamp{Line: musicLine, From: 5, To: 5})
}

func TestAWholeLineKeepsItsFormWhenItIsMoved(t *testing.T) {
	d := newDesk(t)
	for at, level := range map[audio.Frames]audio.DB{100: -3, 500: -20, 900: -120} {
		d.do(edit.AddPoints{Points: []edit.NewPoint{{Line: linkLine, At: at, Level: level}}})
	}
	d.do(edit.ShiftLines{Lines: []edit.Line{linkLine}, By: 40})
	levels := d.clip("c3").Envelope
	assert.Equal(t, []audio.DB{12, -5, -120}, []audio.DB{levels[0].Level, levels[1].Level, levels[2].Level}, "15 dB are left up to the top; silence stays")
	d.refuse("no-line", edit.ShiftLines{Lines: []edit.Line{musicLine}, By: 1})
}

func TestALineIsBentAndThePointsKeepTheirBends(t *testing.T) {
	d := newDesk(t)
	d.do(edit.DrawRamp{Line: linkLine, From: 5000, To: 15000, Level: -24})
	d.do(edit.BendLines{Bends: []edit.PointBend{{PointAt: at(linkLine, 0), Bend: 7}}})
	assert.InDelta(t, 1, d.clip("c3").Envelope[0].Bend, 0, "held")
	before := envelope.New(d.clip("c3").Envelope)
	half := audio.Level(before.GainAt(5000))
	d.do(edit.AddPoints{Points: []edit.NewPoint{{Line: linkLine, At: 5000, Level: half}}})
	after := envelope.New(d.clip("c3").Envelope)
	for own := audio.Frames(0); own < 20000; own += 111 {
		assert.InDelta(t, before.GainAt(own), after.GainAt(own), 1e-9)
	}
	d.do(edit.MovePoints{Moves: []edit.PointMove{{Line: linkLine, From: 0, At: 100, Level: -1}}})
	assert.NotZero(t, d.clip("c3").Envelope[0].Bend)
	d.refuse("unknown-point", edit.BendLines{Bends: []edit.PointBend{{PointAt: at(linkLine, 7)}}})
}

func TestAStretchIsSilencedAndBroughtBack(t *testing.T) {
	d := newDesk(t)
	first := string(d.doc.JSON())
	silence := func(from, to audio.Frames) { d.do(edit.HushStretch{Clips: []string{"c3"}, From: from, To: to}) }
	silence(6000, 8000)
	silence(12000, 90000)
	assert.Equal(t, []session.Span{{From: 1000, To: 3000}, {From: 7000, To: 20000}}, d.clip("c3").Hushed)
	silence(8000, 9000)
	assert.Equal(t, []session.Span{{From: 1000, To: 4000}, {From: 7000, To: 20000}}, d.clip("c3").Hushed, "what touches is one")
	d.refuse("nothing-there", edit.HushStretch{Clips: []string{"c3"}, From: 6000, To: 7000})
	d.refuse("nothing-silenced", edit.HushStretch{Clips: []string{"c3"}, From: 10000, To: 11000, Sound: true})
	d.do(edit.SplitClips{Clips: []string{"c3"}, At: 7000})
	d.do(edit.JoinClips{Clips: d.doc.Tracks[0].ClipsInOrder()})
	assert.Equal(t, []session.Span{{From: 1000, To: 4000}, {From: 7000, To: 20000}}, d.clip("c3").Hushed)
	d.do(edit.HushStretch{Clips: []string{"c3"}, From: 0, To: 100000, Sound: true})
	d.doc.Next = 4
	assert.Equal(t, first, string(d.doc.JSON()))
}

func TestFadersOfAGroupMoveTogetherAndKeepTheirDistances(t *testing.T) {
	d := newDesk(t)
	d.do(edit.AddTrack{Part: session.Music}) // t4
	fader := func(track string, level audio.DB) {
		d.do(edit.MoveFaders{Faders: []edit.FaderMove{{Track: track, Level: level}}})
	}
	levels := func() (out []audio.DB) {
		for _, t := range d.doc.Tracks {
			out = append(out, t.Fader)
		}
		return out
	}
	fader("t4", -6)
	assert.Equal(t, []audio.DB{0, 0, -6}, levels())
	d.do(edit.GroupTracks{Tracks: []string{"t2", "t4"}})
	fader("t4", -10)
	assert.Equal(t, []audio.DB{0, -4, -10}, levels())
	fader("t4", 12)
	assert.Equal(t, []audio.DB{0, 12, 6}, levels(), "they stop together at the top")
	fader("t2", -120)
	assert.Equal(t, []audio.DB{0, -120, -120}, levels())
	d.do(edit.GroupTracks{Tracks: []string{"t2"}, Apart: true})
	assert.Empty(t, d.doc.Tracks[1].Group+d.doc.Tracks[2].Group, "nobody is a group alone")
	d.refuse("one-track", edit.GroupTracks{Tracks: []string{"t2"}})
}

func TestTakingTimeOutOfBentLinesLeavesTheRestAsItWas(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		if len(doc.Tracks) == 0 {
			t.Skip("no tracks")
		}
		put := audio.Frames(rapid.IntRange(1, 40000).Draw(t, "at"))
		length := audio.Frames(rapid.IntRange(5000, 20000).Draw(t, "length"))
		longer, _, err := edit.Apply(doc, edit.InsertTime{At: put, Length: length}, library.Catalogue)
		if err != nil {
			t.Skip("refused")
		}
		before, after := envelope.New(doc.Tracks[0].Envelope), envelope.New(longer.Tracks[0].Envelope)
		for at := audio.Frames(0); at < 80000; at += 41 {
			there := at
			if at >= put {
				there += length
			}
			if d := math.Abs(before.GainAt(at) - after.GainAt(there)); d > closeTo(doc.Tracks[0].Envelope, before.GainAt(at)) {
				t.Fatalf("frame %d: %v became %v", at, before.GainAt(at), after.GainAt(there))
			}
		}
	})
}
