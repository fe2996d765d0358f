package duck_test

import (
	"io"
	"maps"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/envelope"
	"ruvel/core/session"
	"ruvel/testkit/law"
)

const second = audio.Second

// way goes down for 0.5 s, up for 1 s and bridges what is shorter than 2 s.
func way() session.Way {
	return session.Way{On: true, By: session.ByDrop, Drop: 12, Down: 500, Up: 1000, Bridge: 2000, Stay: 0}
}

func spans(seconds ...float64) (out []session.Span) {
	for i := 0; i+1 < len(seconds); i += 2 {
		out = append(out, session.Span{From: audio.Seconds(seconds[i]), To: audio.Seconds(seconds[i+1])})
	}
	return out
}

func drops(values ...audio.DB) func(i int) audio.DB {
	return func(i int) audio.DB { return values[min(i, len(values)-1)] }
}

// corners are a list of seconds and levels.
func corners(values ...float64) (out []session.Point) {
	for i := 0; i+1 < len(values); i += 2 {
		out = append(out, session.Point{At: audio.Seconds(values[i]), Level: audio.DB(values[i+1])})
	}
	return out
}

// Worked by hand.
func TestEveryCornerStandsWhereItIsDue(t *testing.T) {
	for _, c := range []struct {
		name      string
		stretches []session.Span
		drop      func(int) audio.DB
		want      []session.Point
	}{
		{"one phrase", spans(10, 14), drops(12), corners(9.5, 0, 10, -12, 14, -12, 15, 0)},
		{"a pause just over the bridge", spans(10, 14, 16, 18), drops(12), corners(9.5, 0, 10, -12, 14, -12, 15, 0, 15.5, 0, 16, -12, 18, -12, 19, 0)},
		{
			"and just under it",
			[]session.Span{{From: 10 * second, To: 14 * second}, {From: 16*second - 1, To: 18 * second}},
			drops(12),
			[]session.Point{{At: 9*second + second/2}, {At: 10 * second, Level: -12}, {At: 14 * second, Level: -12}, {At: 16*second - 1, Level: -12}, {At: 18 * second, Level: -12}, {At: 19 * second}},
		},
		{"deeper under the second: before its first word", spans(10, 14, 15.5, 18), drops(6, 12), corners(9.5, 0, 10, -6, 14, -6, 15, -6, 15.5, -12, 18, -12, 19, 0)},
		{"not so deep: after the last syllable of the first", spans(10, 14, 15.5, 18), drops(12, 6), corners(9.5, 0, 10, -12, 14, -12, 15, -6, 15.5, -6, 18, -6, 19, 0)},
		{"deeper at once, as there is no time", spans(10, 14, 14.25, 18), drops(6, 12), corners(9.5, 0, 10, -6, 14, -6, 14.25, -12, 18, -12, 19, 0)},
		{"speech at time zero", spans(0, 4), drops(12), corners(0, -12, 4, -12, 5, 0)},
		{"speech a moment after it: the ramp was under way", spans(0.25, 4), drops(12), corners(0, -6, 0.25, -12, 4, -12, 5, 0)},
		{"nothing to take away", spans(10, 14), drops(0), nil},
		{"nobody speaks", nil, drops(12), nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			assert.Equal(t, c.want, duck.NewLine(c.stretches, c.drop, way()).Corners(0, 100*second))
		})
	}
}

func TestALittleIsLeftAroundWhatIsSpoken(t *testing.T) {
	said, down := duck.Around(spans(5, 6, 0.02, 1, 6.05, 7, 9, 10, 9.5, 11))
	assert.Equal(t, spans(0.02, 1, 5, 7, 9, 11), said, "what is hardly apart is one")
	assert.Equal(t, spans(0, 1.04, 4.96, 7.04, 8.96, 11.04), down, "and nothing begins before the session")
}

func TestItStaysDownWhereItWouldBeUpForTooShort(t *testing.T) {
	w := way()
	w.Stay = 1500 // with the ramps 3 s
	assert.Len(t, duck.NewLine(spans(10, 14, 16.9, 18), drops(12), w).Corners(0, 100*second), 6, "bridged")
	assert.Len(t, duck.NewLine(spans(10, 14, 17, 18), drops(12), w).Corners(0, 100*second), 8, "up for a second and a half")
}

// drawn is some line.
func drawn(t *rapid.T) (stretches []session.Span, deep []audio.DB, w session.Way) {
	at := audio.Frames(rapid.Int64Range(0, int64(3*second)).Draw(t, "first"))
	for range rapid.IntRange(0, 6).Draw(t, "phrases") {
		length := audio.Frames(rapid.Int64Range(100, int64(4*second)).Draw(t, "length"))
		stretches = append(stretches, session.Span{From: at, To: at + length})
		deep = append(deep, audio.DB(rapid.Float64Range(0, 24).Draw(t, "drop")))
		at += length + audio.Frames(rapid.Int64Range(1, int64(5*second)).Draw(t, "pause"))
	}
	millis := func(name string, low, high float64) session.Millis {
		return session.Millis(rapid.Float64Range(low, high).Draw(t, name))
	}
	w = session.Way{On: true, By: session.ByLead, Lead: 15, Most: 24, Down: millis("down", 20, 2000), Up: millis("up", 20, 3000), Bridge: millis("bridge", 0, 4000), Stay: millis("stay", 0, 3000)}
	return stretches, deep, w
}

func TestTheLawsOfALine(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		stretches, deep, w := drawn(t)
		line := duck.NewLine(stretches, func(i int) audio.DB { return deep[i] }, w)
		points := line.Corners(0, 1000*second)
		whole := envelope.New(points)
		for i, p := range points {
			assert.LessOrEqual(t, p.Level, audio.DB(0))
			assert.GreaterOrEqual(t, p.Level, -w.Most)
			if i > 0 {
				assert.Greater(t, p.At, points[i-1].At, "it is continuous: no two corners at one time")
			}
		}
		for i, s := range stretches {
			// Complete when the word begins, and as deep to the end: no rise inside a phrase.
			for _, at := range []audio.Frames{s.From, (s.From + s.To) / 2, s.To - 1} {
				assert.InDelta(t, -float64(deep[i]), float64(audio.Level(whole.GainAt(at))), 1e-9)
			}
		}
		// It does not matter between which moments it is asked for.
		from := audio.Frames(rapid.Int64Range(0, int64(40*second)).Draw(t, "from"))
		to := from + audio.Frames(rapid.Int64Range(1, int64(10*second)).Draw(t, "long"))
		part := envelope.New(line.Corners(from, to))
		for _, at := range []audio.Frames{from, (from + to) / 2, to - 1} {
			assert.Equal(t, whole.GainAt(at), part.GainAt(at), "at %d", at)
		}
		// Moving everything moves the line.
		by := audio.Frames(rapid.Int64Range(int64(2*second), int64(9*second)).Draw(t, "by"))
		if len(stretches) > 0 && stretches[0].From >= w.Down.Frames() {
			var moved []session.Span
			for _, s := range stretches {
				moved = append(moved, session.Span{From: s.From + by, To: s.To + by})
			}
			later := duck.NewLine(moved, func(i int) audio.DB { return deep[i] }, w).Corners(0, 1000*second)
			require.Len(t, later, len(points))
			for i := range later {
				assert.Equal(t, session.Point{At: points[i].At + by, Level: points[i].Level}, later[i])
			}
		}
	})
}

func TestALineOnlyAsksForTheDropsThatItDependsOn(t *testing.T) {
	stretches := spans(10, 12, 13, 15, 30, 32, 50, 52)
	var asked []int
	line := duck.NewLine(stretches, func(i int) audio.DB {
		asked = append(asked, i)
		return 12
	}, way())
	line.Corners(29*second, 33*second)
	assert.Subset(t, []int{2}, asked)
	asked = nil
	line.Corners(12*second+100, 12*second+200)
	assert.Subset(t, []int{0, 1}, asked)
	asked = nil
	assert.Nil(t, line.Corners(40*second, 41*second))
	assert.Empty(t, asked)
}

func lead(speech, rest float64) float64 { return 10 * math.Log10(speech/rest) }

func byLead(wanted float64, most audio.DB) session.Way {
	w := way()
	w.By, w.Lead, w.Most = session.ByLead, wanted, most
	return w
}

func after(under []duck.Under, drops []audio.DB) (sum float64) {
	for i, u := range under {
		sum += u.Power * math.Pow(10, -float64(drops[i])/10)
	}
	return sum
}

func TestDropsWorkedByHand(t *testing.T) {
	const speech = 1e-2 // about -20.7 LUFS
	for _, c := range []struct {
		name  string
		still float64
		under []duck.Under
		want  []audio.DB
	}{
		{"as loud as the speech", 0, []duck.Under{{speech, byLead(15, 24)}}, []audio.DB{15}},
		{"quiet already", 0, []duck.Under{{speech / 100, byLead(15, 24)}}, []audio.DB{0}},
		{"never more than its most", 0, []duck.Under{{speech, byLead(15, 10)}}, []audio.DB{10}},
		{"two share the room: 3 dB more", 0, []duck.Under{{speech, byLead(15, 24)}, {speech, byLead(15, 24)}}, []audio.DB{18.0103, 18.0103}},
		{"one has reached its most, the other makes up for it", 0, []duck.Under{{speech / 100, byLead(15, 0)}, {speech, byLead(15, 30)}}, []audio.DB{0, 16.6508}},
		{"the room is taken by what makes no way", speech, []duck.Under{{speech, byLead(15, 24)}}, []audio.DB{24}},
		{"a fixed drop is counted", 0, []duck.Under{{speech, way()}, {speech / 1000, byLead(10, 24)}}, []audio.DB{12, 0}},
		{"the one that wants less first", 0, []duck.Under{{speech / 10, byLead(20, 24)}, {speech / 10, byLead(10, 24)}}, []audio.DB{24, 3.0103}},
		{"what cannot be heard is left alone", speech, []duck.Under{{1e-8, byLead(15, 24)}, {speech, byLead(15, 24)}}, []audio.DB{0, 24}},
		{"nothing sounds", 0, []duck.Under{{0, byLead(15, 24)}}, []audio.DB{0}},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := duck.Drops(speech, c.still, c.under)
			require.Len(t, got, len(c.want))
			for i := range got {
				assert.InDelta(t, float64(c.want[i]), float64(got[i]), 1e-4)
			}
		})
	}
	assert.Equal(t, []audio.DB{0}, duck.Drops(1e-7, 0, []duck.Under{{1, byLead(15, 24)}}), "nobody is heard to speak")
}

func TestTheLeadIsReachedOrEveryoneHasGivenTheirMost(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		power := func(name string) float64 { return math.Pow(10, rapid.Float64Range(-6.9, 0).Draw(t, name)) }
		speech := math.Pow(10, rapid.Float64Range(-5, 0).Draw(t, "speech"))
		still := power("still") * float64(rapid.IntRange(0, 1).Draw(t, "is"))
		wanted := rapid.Float64Range(0, 30).Draw(t, "lead")
		var under []duck.Under
		for range rapid.IntRange(1, 5).Draw(t, "tracks") {
			under = append(under, duck.Under{Power: power("power"), Way: byLead(wanted, audio.DB(rapid.Float64Range(0, 48).Draw(t, "most")))})
		}
		got := duck.Drops(speech, still, under)
		reached := lead(speech, still+after(under, got))
		most, least := true, true
		for i, d := range got {
			assert.GreaterOrEqual(t, d, audio.DB(0))
			assert.LessOrEqual(t, d, under[i].Way.Most)
			most = most && d == under[i].Way.Most
			least = least && d == 0
		}
		switch {
		case reached < wanted-1e-6:
			assert.True(t, most, "a lead of %g instead of %g", reached, wanted)
		case reached > wanted+1e-6:
			assert.True(t, least, "a lead of %g instead of %g", reached, wanted)
		}
	})
}

func TestStartsAreValidAndKeepToTheRulesOfThumb(t *testing.T) {
	for _, s := range duck.Starts() {
		doc := session.New()
		doc.Tracks = []session.Track{{ID: "t1", Name: "Music", Part: session.Music, Way: s.Way}}
		require.NoError(t, doc.Validate(), s.Name)
		assert.True(t, s.Way.On)
		// Common practice: the ramp down takes half a second to a second, the drop is 10 to 18 dB.
		assert.GreaterOrEqual(t, s.Way.Down, session.Millis(500))
		assert.LessOrEqual(t, s.Way.Down, session.Millis(1000))
		assert.GreaterOrEqual(t, s.Way.Drop, audio.DB(10))
		assert.LessOrEqual(t, s.Way.Drop, audio.DB(18))
		assert.GreaterOrEqual(t, s.Way.Bridge, s.Way.Up+s.Way.Down+s.Way.Stay, "what is said of pauses is what holds")
	}
}

func TestRoomIsProposedForWhatIsHeardAndNoVoice(t *testing.T) {
	clips := map[string]session.Clip{"c1": {}}
	own := duck.Starts()[2].Way
	drop := session.UsualWay()
	drop.On, drop.By = true, session.ByDrop
	doc := session.Document{Tracks: []session.Track{
		{ID: "t1", Part: session.Voice, Clips: clips},
		{ID: "t2", Part: session.Music, Clips: clips},
		{ID: "t3", Part: session.Effect, Clips: clips, Way: own},
		{ID: "t4", Part: session.Music, Clips: clips, Mute: true},
		{ID: "t5", Part: session.Music},
		{ID: "t6", Part: session.Music, Clips: clips, Way: drop},
	}}
	got := duck.Room(doc, 15)
	require.Len(t, got, 2)
	assert.InDelta(t, 15, got["t2"].Lead, 0)
	assert.True(t, got["t2"].On)
	assert.InDelta(t, 20, got["t3"].Lead, 0, "its own lead is more")
	assert.Equal(t, own.Up, got["t3"].Up)
}

func TestOnlyTracksThatNeedToMakeWay(t *testing.T) {
	clips := map[string]session.Clip{"c1": {}}
	doc := session.Document{Tracks: []session.Track{
		{ID: "t1", Part: session.Voice, Clips: clips},
		{ID: "t2", Part: session.Music, Clips: clips, Name: "Bed"},
		{ID: "t3", Part: session.Effect, Clips: clips, Name: "Gulls"},
		{ID: "t4", Part: session.Music, Clips: clips, Name: "Sting"},
		{ID: "t5", Part: session.Music, Clips: clips, Name: "Outro"},
	}}
	var tried [][]string
	// The gulls need not at all; the sting does already what it would; without the gulls the bed goes down by more.
	then := func(ways map[string]session.Way) (duck.Downs, error) {
		asked := slices.Sorted(maps.Keys(ways))
		tried = append(tried, asked)
		out := duck.Downs{"t4": {3}}
		for _, id := range asked {
			out[id] = map[string][]audio.DB{"t2": {2, 0.2, 9.5}, "t3": {0.4, 0}, "t4": {3.2}, "t5": {0, 6}}[id]
		}
		if len(asked) < 4 {
			out["t2"] = []audio.DB{3, 0.2, 11.5}
		}
		return out, nil
	}
	needs, err := duck.Needs(doc, 15, nil, duck.Downs{"t4": {3}}, then)
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"t2", "t3", "t4", "t5"}, {"t2", "t4", "t5"}}, tried)
	require.Len(t, needs, 2)
	assert.Equal(t, []any{"t2", "Bed", audio.DB(11.5), 2}, []any{needs[0].Track, needs[0].Name, needs[0].Most, needs[0].Under})
	assert.Equal(t, "down by up to 11.5 dB under 2 stretches of speech", needs[0].Text)
	assert.Equal(t, "down by 6.0 dB under one stretch of speech", needs[1].Text)
	assert.InDelta(t, 15, needs[0].Way.Lead, 0)

	// Whoever is left out is not tried, and where nobody needs to it is looked at as it is.
	tried = nil
	needs, err = duck.Needs(doc, 15, []string{"t2", "t4", "t5"}, nil, then)
	require.NoError(t, err)
	assert.Empty(t, needs)
	assert.Equal(t, [][]string{{"t3"}, nil}, tried)

	_, err = duck.Needs(doc, 15, nil, nil, func(map[string]session.Way) (duck.Downs, error) { return nil, io.ErrUnexpectedEOF })
	require.ErrorIs(t, err, io.ErrUnexpectedEOF)
}
