package speech_test

import (
	"errors"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/core/speech"
)

type known map[string][]speech.Phrase

func (k known) Phrases(sound string, _ float64) ([]speech.Phrase, error) {
	p, ok := k[sound]
	if !ok {
		return nil, errors.New("away")
	}
	return p, nil
}

func TestWhatIsSpokenIsSaidInSessionTimeAsFarAsItIsHeard(t *testing.T) {
	clip := func(start, offset, length int64) session.Clip {
		return session.Clip{Sound: "s", Start: audio.Frames(start), Offset: audio.Frames(offset), Length: audio.Frames(length)}
	}
	doc := session.Document{Tracks: []session.Track{
		{Part: session.Voice, Clips: map[string]session.Clip{"c1": clip(1000, 150, 300), "c2": clip(9000, 0, 500)}},
		{Part: session.Voice, Clips: map[string]session.Clip{"c3": clip(1200, 100, 200)}},
		{Part: session.Voice, Mute: true, Clips: map[string]session.Clip{"c4": clip(5000, 0, 500)}},
		{Part: session.Music, Clips: map[string]session.Clip{"c5": clip(6000, 0, 500)}},
	}}
	of := known{"s": {{From: 100, To: 200}, {From: 400, To: 480}}}
	got, err := speech.Spoken(doc, of, 0, 9150)
	require.NoError(t, err)
	// The phrase 100..200 of c1 begins before the clip; c3's runs from 1200 to 1300 and touches c1's second.
	assert.Equal(t, []session.Span{{From: 1000, To: 1050}, {From: 1200, To: 1300}, {From: 9100, To: 9150}}, got)
	_, err = speech.Spoken(doc, known{}, 0, 9150)
	require.Error(t, err)
}

func TestASilencedStretchIsNotSpoken(t *testing.T) {
	phrases := []speech.Phrase{{From: 100, To: 200}, {From: 300, To: 400}, {From: 900, To: 950}}
	clip := session.Clip{Start: 1000, Offset: 50, Length: 500, Hushed: []session.Span{{From: 120, To: 140}, {From: 390, To: 420}}}
	assert.Equal(t, []session.Span{{From: 1050, To: 1070}, {From: 1090, To: 1150}, {From: 1250, To: 1340}}, speech.InClip(clip, phrases))
	clip.Hushed = []session.Span{{From: 0, To: 600}}
	assert.Empty(t, speech.InClip(clip, phrases))
}
