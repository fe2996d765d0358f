package envelope_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/session"
	"ruvel/testkit/law"
)

func TestABentLineGoesAQuarterOfTheWayInItsFirstHalfAtMost(t *testing.T) {
	// Source: the definition, u + b (u² - u): halfway it is 1/2 - b/4 of the way.
	for bend, halfway := range map[float64]float64{-1: -15, -0.4: -12, 0: -10, 1: -5} {
		c := envelope.New([]session.Point{{At: 0, Level: 0, Bend: bend}, {At: 1000, Level: -20}})
		assert.InDelta(t, halfway, level(c, 500), 1e-9, "bend %v", bend)
		assert.InDelta(t, -20, level(c, 1000), 1e-9)
	}
}

func TestALineNeverTurnsBackBetweenItsPoints(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		a, b := audio.DB(rapid.Float64Range(-120, 12).Draw(t, "from")), audio.DB(rapid.Float64Range(-120, 12).Draw(t, "to"))
		c := envelope.New([]session.Point{{Level: a, Bend: rapid.Float64Range(-1, 1).Draw(t, "bend")}, {At: 777, Level: b}})
		for at := audio.Frames(1); at <= 777; at++ {
			if (c.GainAt(at)-c.GainAt(at-1))*float64(b-a) < -1e-12 {
				t.Fatalf("frame %d: from %v to %v", at, c.GainAt(at-1), c.GainAt(at))
			}
		}
	})
}

func TestAPointThatIsPutOnALineDoesNotChangeIt(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		var points []session.Point
		at := audio.Frames(-1)
		for range rapid.IntRange(1, 5).Draw(t, "points") {
			at += 1 + audio.Frames(rapid.IntRange(0, 500).Draw(t, "gap"))
			points = append(points, session.Point{
				At: at, Level: audio.DB(rapid.Float64Range(-120, 12).Draw(t, "level")), Bend: rapid.Float64Range(-1, 1).Draw(t, "bend"),
			})
		}
		split := points
		if rapid.Bool().Draw(t, "without points") {
			points, split = nil, nil
		}
		for range rapid.IntRange(1, 4).Draw(t, "cuts") {
			place := audio.Frames(rapid.IntRange(0, 2600).Draw(t, "at"))
			var i int
			if split, i = envelope.Split(split, place); split[i].At != place {
				t.Fatalf("point %d stands at %d instead of %d", i, split[i].At, place)
			}
		}
		times := []audio.Frames{}
		for _, p := range split {
			times = append(times, p.At)
		}
		if all := envelope.SplitAll(points, times); len(all) != len(split) {
			t.Fatalf("at once there are %d points, one after the other %d", len(all), len(split))
		} else {
			split = all
		}
		before, after := envelope.New(points), envelope.New(split)
		// A line to silence passes gains under -120 dB, for which there is no level: a point there is silence.
		least := 0.0
		for _, p := range split {
			if p.Level <= audio.Silence {
				least = max(least, before.GainAt(p.At))
			}
		}
		require.LessOrEqual(t, least, 1.0001e-6)
		for at := audio.Frames(0); at < 2700; at++ {
			if d := math.Abs(before.GainAt(at) - after.GainAt(at)); d > least+1e-9*math.Max(1e-3, before.GainAt(at)) {
				t.Fatalf("frame %d: %v became %v", at, before.GainAt(at), after.GainAt(at))
			}
		}
	})
}

func TestAPointIsPutAlsoAtTheLastTimeThereIs(t *testing.T) {
	last := audio.Frames(math.MaxInt64)
	assert.Equal(t, []session.Point{{At: 5, Level: -3}, {At: last, Level: -3}}, envelope.SplitAll([]session.Point{{At: 5, Level: -3}}, []audio.Frames{last}))
}

func TestTheSumOfTwoLinesIsThatOfTheirLevels(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		line := func(name string, bent float64) (out []session.Point) {
			at := audio.Frames(0)
			for range rapid.IntRange(0, 6).Draw(t, name) {
				at += audio.Frames(rapid.Int64Range(1, 5000).Draw(t, "gap"))
				out = append(out, session.Point{
					At: at, Level: audio.DB(rapid.Float64Range(-25, 0).Draw(t, "level")), Bend: bent * rapid.Float64Range(-0.3, 0.3).Draw(t, "bend"),
				})
			}
			return out
		}
		a, b := line("line", 0), line("straight", 0)
		sum := envelope.New(envelope.Sum(a, b))
		bent := envelope.Sum(line("bent", 1), b)
		for i, p := range bent {
			assert.LessOrEqual(t, math.Abs(p.Bend), 1.0)
			assert.True(t, i == 0 || p.At > bent[i-1].At)
		}
		first, second := envelope.New(a), envelope.New(b)
		for at := audio.Frames(0); at < 30_000; at += 97 {
			assert.InDelta(t, first.GainAt(at)*second.GainAt(at), sum.GainAt(at), 1e-9)
		}
	})
}
