package audio_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ruvel/core/audio"
)

func TestALevelInPerCentIsTheLevelInDB(t *testing.T) {
	// Source: dB = 20 log10(ratio), the values listed in the trade's rules of thumb.
	for _, c := range []struct {
		percent float64
		db      float64
	}{{40, -7.96}, {15, -16.48}, {3.98, -28}, {50, -6.02}, {100, 0}, {398.1, 12}} {
		assert.InDelta(t, c.db, float64(audio.Level(c.percent/100)), 0.005, "%v %%", c.percent)
		assert.InDelta(t, c.percent/100, audio.DB(c.db).Gain(), c.percent*1e-5, "%v dB", c.db)
	}
}

func TestSilenceIsAGainOfExactlyZero(t *testing.T) {
	assert.Zero(t, audio.Silence.Gain())
	assert.Zero(t, audio.DB(math.Inf(-1)).Gain())
	assert.Positive(t, audio.DB(-119.9).Gain())
	assert.Equal(t, audio.Silence, audio.Level(0))
	assert.Equal(t, audio.Silence, audio.Level(math.NaN()))
}

func TestTimesAreWrittenAsMinutesAndSeconds(t *testing.T) {
	for frames, want := range map[audio.Frames]string{
		0: "0:00.00", audio.Seconds(64.25): "1:04.25", audio.Seconds(3600): "1:00:00.00",
		-audio.Seconds(1.5): "-0:01.50", audio.Seconds(59.999): "1:00.00",
	} {
		assert.Equal(t, want, frames.String())
	}
	assert.InDelta(t, 64.25, audio.Seconds(64.25).Seconds(), 1e-9)
}

func TestASliceSharesItsSamples(t *testing.T) {
	p := audio.NewPCM(2, 10)
	p.Slice(4, 6)[1][0] = -0.5
	assert.Equal(t, float32(-0.5), p[1][4])
	assert.Equal(t, float32(0.5), p.Peak())
	p.Clear()
	assert.Zero(t, p.Peak())
	assert.Zero(t, audio.PCM{}.Length())
}

func TestAClockIsRoundedOnceAndCarries(t *testing.T) {
	for _, c := range []struct {
		at    audio.Frames
		parts int64
		want  [4]int64
	}{
		{60*audio.Second - 1, 1000, [4]int64{0, 1, 0, 0}}, // 59.99998 s
		{60*audio.Second - 1, 10, [4]int64{0, 1, 0, 0}},
		{3600*audio.Second - 24, 1000, [4]int64{1, 0, 0, 0}}, // half a millisecond before the hour
		{3600*audio.Second - 25, 1000, [4]int64{0, 59, 59, 999}},
		{59*audio.Second + 24000, 1, [4]int64{0, 1, 0, 0}},
		{0, 100, [4]int64{}},
	} {
		h, m, s, part := c.at.Clock(c.parts)
		assert.Equal(t, c.want, [4]int64{h, m, s, part}, "%d in %d", c.at, c.parts)
	}
}
