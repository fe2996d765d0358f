package even_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/even"
	"ruvel/core/loudness"
	"ruvel/testkit/law"
)

func TestThingsMeetInTheirMiddleOrAtWhatIsTyped(t *testing.T) {
	things := []even.Thing{
		{ID: "c1", Loudness: -18, Peak: -3, Gains: map[string]audio.DB{"c1": 0}},
		{ID: "c2", Loudness: -26, Peak: -10, Gains: map[string]audio.DB{"c2": -2}},
		{ID: "c3", Loudness: -20, Peak: -6, Gains: map[string]audio.DB{"c3": 1}},
		{ID: "c4", Loudness: -45, Peak: -30, Gains: map[string]audio.DB{"c4": 0}},
		{ID: "c5", Loudness: loudness.Floor, Peak: -50, Gains: map[string]audio.DB{"c5": 3}},
	}
	to, rows := even.Plan(things, even.Loudness, nil, -1)
	assert.InDelta(t, -23, to, 1e-9, "of four that can be measured, between the two in the middle")
	assert.Equal(t, even.Row{ID: "c1", Now: -18, Then: -23, Change: -5, Gains: map[string]audio.DB{"c1": -5}}, rows[0])
	assert.Equal(t, audio.DB(1), rows[1].Gains["c2"])
	assert.True(t, rows[3].Held)
	assert.Equal(t, []any{audio.DB(12), -33.0, false}, []any{rows[3].Gains["c4"], rows[3].Then, rows[3].Outlier})
	assert.Equal(t, []any{true, audio.DB(3), audio.DB(0)}, []any{rows[4].Unknown, rows[4].Gains["c5"], rows[4].Change})
	target := -14.0
	_, rows = even.Plan(things, even.Loudness, &target, -1)
	assert.Equal(t, []bool{true, true, true}, []bool{rows[0].Over, rows[1].Over, rows[2].Over})
	assert.False(t, rows[3].Over)
	target = -3
	_, rows = even.Plan(things[:3], even.Peak, &target, -1)
	assert.Equal(t, []audio.DB{0, 7, 3}, []audio.DB{rows[0].Change, rows[1].Change, rows[2].Change})
	_, rows = even.Plan(nil, even.Loudness, nil, -1)
	assert.NotNil(t, rows)
}

func TestClipsOfASpeakerKeepTheirDistancesAndNoGainLeavesItsRange(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		thing := even.Thing{ID: "t1", Loudness: rapid.Float64Range(-70, 0).Draw(t, "now"), Peak: -3, Gains: map[string]audio.DB{
			"c1": audio.DB(rapid.Float64Range(-60, 12).Draw(t, "one")), "c2": audio.DB(rapid.Float64Range(-60, 12).Draw(t, "another")), "c3": audio.Silence,
		}}
		target := rapid.Float64Range(-40, 0).Draw(t, "target")
		_, rows := even.Plan([]even.Thing{thing}, even.Loudness, &target, -1)
		r := rows[0]
		assert.InDelta(t, float64(thing.Gains["c1"]-thing.Gains["c2"]), float64(r.Gains["c1"]-r.Gains["c2"]), 1e-9)
		assert.Equal(t, audio.Silence, r.Gains["c3"], "what is silent stays so")
		for _, gain := range r.Gains {
			assert.LessOrEqual(t, gain, audio.Loudest+1e-9)
		}
		if !r.Held {
			assert.InDelta(t, target, r.Then, 1e-9)
		}
	})
}
