package finish_test

import (
	"bytes"
	"context"
	"errors"
	"os"
	"path/filepath"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/finish"
	"ruvel/internal/media"
	"ruvel/testkit"
)

// long is a voice over music, 110 s long, compiled anew each time, as on another machine.
func long(t *testing.T) *mix.Plan {
	t.Helper()
	sounds := map[string]audio.PCM{testkit.ID(1): talked(), testkit.ID(2): testkit.Noise(2, 0.05, 110*audio.Second, 4)}
	doc := session.New()
	doc.Sounds = map[string]session.Sound{testkit.ID(1): {Channels: 1, Length: 20 * audio.Second}, testkit.ID(2): {Channels: 2, Length: 110 * audio.Second}}
	none := session.Fade{Shape: session.Linear}
	voice := session.Track{ID: "t1", Name: "Voice", Part: session.Voice, Clips: map[string]session.Clip{}}
	for n := range 5 {
		id := "c" + strconv.Itoa(n+1)
		voice.Clips[id] = session.Clip{Name: id, Sound: testkit.ID(1), Start: audio.Frames(n) * 20 * audio.Second, Length: 20 * audio.Second, FadeIn: none, FadeOut: none}
	}
	doc.Tracks = []session.Track{voice, {ID: "t2", Name: "Music", Part: session.Music, Fader: -6, Clips: map[string]session.Clip{
		"c20": {Name: "Music", Sound: testkit.ID(2), Length: 110 * audio.Second, FadeIn: none, FadeOut: none},
	}}}
	plan, err := mix.Compile(doc, func(id string) (audio.PCM, error) { return sounds[id], nil }, nil)
	require.NoError(t, err)
	return plan
}

// differs is where two files begin to differ.
func differs(a, b []byte) int {
	for i := range min(len(a), len(b)) {
		if a[i] != b[i] {
			return i
		}
	}
	return min(len(a), len(b))
}

// others make the parts on a plan of their own, the last one first.
type others struct {
	t     *testing.T
	order finish.Order
	plan  *mix.Plan
	made  int
	fails error
}

func (o *others) Make(ctx context.Context, parts []finish.Part, take func(int, []byte) error) error {
	made := make([][]byte, len(parts))
	for n := len(parts) - 1; n >= 0; n-- {
		if o.fails != nil && parts[n].Kind == finish.Encoded {
			return o.fails
		}
		data, err := finish.MakePart(ctx, o.plan, o.order, parts[n], o.t.TempDir())
		if err != nil {
			return err
		}
		made[n] = data
		o.made++
	}
	for n, data := range made {
		if err := take(n, data); err != nil {
			return err
		}
	}
	return nil
}

func TestAFileMadeInPartsElsewhereIsTheOneMadeInOneGo(t *testing.T) {
	podcast := loudness.Target{Integrated: -16, TruePeak: -1}
	for name, c := range map[string]struct {
		format   string
		channels int
		target   *loudness.Target
		from, to audio.Frames
		of       *session.Span
		parts    int
	}{
		"to a target, with limiting, in one channel": {format: "mp3", channels: 1, target: &podcast, to: 95 * audio.Second, parts: 1 + 2},
		"as it is":               {format: "mp3", channels: 2, to: 95*audio.Second + 77, parts: 2},
		"a stretch of the whole": {format: "mp3", channels: 2, target: &podcast, from: 7*audio.Second + 5, to: 100 * audio.Second, of: &session.Span{To: 110 * audio.Second}, parts: 1 + 2},
		"in another format":      {format: "wav-24", channels: 2, target: &podcast, to: 110 * audio.Second, parts: 1},
	} {
		t.Run(name, func(t *testing.T) {
			setting, err := media.Set(c.format, "", 48000, c.channels)
			require.NoError(t, err)
			o := finish.Order{Setting: setting, From: c.from, To: c.to, Target: c.target, Of: c.of}
			one, two := filepath.Join(t.TempDir(), "one"), filepath.Join(t.TempDir(), "two")
			alone, err := finish.Make(t.Context(), long(t), o, one, func(float64) {})
			require.NoError(t, err)
			hands := &others{t: t, order: o, plan: long(t)}
			o.Hands = hands
			together, err := finish.Make(t.Context(), long(t), o, two, func(float64) {})
			require.NoError(t, err)
			a, err := os.ReadFile(one)
			require.NoError(t, err)
			b, err := os.ReadFile(two)
			require.NoError(t, err)
			require.True(t, bytes.Equal(a, b), "%d bytes and %d, the first difference at %d", len(a), len(b), differs(a, b))
			assert.Equal(t, alone.Gain, together.Gain)
			assert.Equal(t, alone.Work, together.Work)
			assert.InDelta(t, alone.Loudness.Integrated, together.Loudness.Integrated, 1e-6)
			if c.target != nil {
				assert.Positive(t, alone.Touched)
			}
			assert.GreaterOrEqual(t, hands.made, c.parts)
		})
	}
}

func TestAPartThatCannotBeMadeFailsTheFileAndLeavesNothing(t *testing.T) {
	setting, err := media.Set("mp3", "", 48000, 2)
	require.NoError(t, err)
	gone := errors.New("a recording is gone")
	o := finish.Order{Setting: setting, To: 110 * audio.Second}
	o.Hands = &others{t: t, order: o, fails: gone}
	path := filepath.Join(t.TempDir(), "file")
	_, err = finish.Make(t.Context(), long(t), o, path, func(float64) {})
	require.ErrorIs(t, err, gone)
	assert.NoFileExists(t, path)
	for _, p := range []finish.Part{{Kind: "drums"}, {Kind: finish.Measured, Number: 99}, {Kind: finish.Encoded, Number: -1, With: []byte("x")}, {Kind: finish.Encoded, With: []byte("x")}} {
		_, err := finish.MakePart(t.Context(), long(t), o, p, t.TempDir())
		assert.Error(t, err, p)
	}
}
