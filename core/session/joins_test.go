package session_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"ruvel/core/audio"
	"ruvel/core/session"
)

func TestJoinsAreWhereOneClipEndsAndAnotherBegins(t *testing.T) {
	const s = audio.Second
	clip := func(start, end audio.Frames) session.Clip { return session.Clip{Start: start, Length: end - start} }
	d := session.Document{Tracks: []session.Track{
		{ID: "t1", Clips: map[string]session.Clip{
			"c1": clip(0, 10*s), "c2": clip(10*s, 20*s), // a cut
			"c3": clip(20*s+s/20, 30*s), // hardly a gap
			"c4": clip(40*s, 50*s),      // far away
		}},
		{ID: "t2", Clips: map[string]session.Clip{"c5": clip(0, 21*s), "c6": clip(20*s, 60*s)}},             // they overlap
		{ID: "t3", Mute: true, Clips: map[string]session.Clip{"c7": clip(0, 33*s), "c8": clip(33*s, 35*s)}}, // not heard
	}}
	assert.Equal(t, []session.Span{{From: 9 * s, To: 11 * s}, {From: 19 * s, To: 22 * s}}, d.Joins(s))
	assert.Empty(t, session.New().Joins(s))
}
