package listening_test

import (
	"bytes"
	"encoding/binary"
	"errors"
	"io"
	"math"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/listening"
	"ruvel/testkit"
)

// planOf is a plan of a steady sound of so many seconds, at half of full scale.
func planOf(t *testing.T, seconds audio.Frames) *mix.Plan {
	t.Helper()
	length := seconds * audio.Second
	doc := session.New()
	doc.Sounds = map[string]session.Sound{testkit.ID(0): {Channels: 2, Length: length}}
	doc.Tracks = []session.Track{{ID: "t1", Name: "Bed", Part: session.Music, Clips: map[string]session.Clip{
		"c2": {Name: "Bed", Sound: testkit.ID(0), Length: length},
	}}}
	plan, err := mix.Compile(doc, func(string) (audio.PCM, error) { return testkit.Constant(2, 0.5, length), nil }, nil)
	require.NoError(t, err)
	return plan
}

// ear takes what is sent.
type ear struct {
	bytes.Buffer
	flushed int
}

func (e *ear) Flush() error                     { e.flushed++; return nil }
func (*ear) SetWriteDeadline(_ time.Time) error { return nil }

// blocks are the places and the left sides of what was sent.
func (e *ear) blocks(t *testing.T) (at []audio.Frames, left []float32) {
	t.Helper()
	for data := e.Bytes(); ; {
		require.GreaterOrEqual(t, len(data), 36)
		n, rows := binary.LittleEndian.Uint32(data[8:]), binary.LittleEndian.Uint32(data[12:])
		if n == 0 {
			return at, left
		}
		at = append(at, audio.Frames(binary.LittleEndian.Uint64(data)))
		data = data[36+4*rows:]
		for i := range n {
			left = append(left, math.Float32frombits(binary.LittleEndian.Uint32(data[8*i:])))
		}
		data = data[8*n:]
	}
}

// heard is all that a listener is sent.
func heard(t *testing.T, plan *mix.Plan, w listening.Wanted) (at []audio.Frames, left []float32) {
	t.Helper()
	w.Ahead = 3600 * audio.Second
	var e ear
	s := listening.New(plan, w, nil)
	require.NoError(t, s.Prepare(t.Context()))
	require.NoError(t, s.Send(t.Context(), &e, &e))
	assert.Positive(t, e.flushed)
	return e.blocks(t)
}

func TestAListenerHearsWhatIsRenderedFromOnePlaceToAnother(t *testing.T) {
	plan := planOf(t, 3)
	at, left := heard(t, plan, listening.Wanted{From: 24_000, To: 96_000})
	assert.Equal(t, audio.Frames(24_000), at[0])
	assert.Len(t, left, 72_000)
	want := audio.NewPCM(2, 72_000)
	require.NoError(t, mix.NewRenderer(plan).Render(want, 24_000))
	assert.Equal(t, []float32(want[0]), left)
	_, all := heard(t, plan, listening.Wanted{})
	assert.Len(t, all, 144_000, "to the end, if nobody says otherwise")
	_, softer := heard(t, plan, listening.Wanted{To: 4800, Gain: -20})
	assert.InDelta(t, float64(want[0][0])/10, float64(softer[4000]), 1e-6)
}

func TestOnlyStretchesAreHeardOneAfterTheOtherAndNothingIfThereIsNone(t *testing.T) {
	plan := planOf(t, 4)
	spans := []session.Span{{From: 0, To: 24_000}, {From: 96_000, To: 120_000}}
	at, left := heard(t, plan, listening.Wanted{Only: spans})
	assert.Len(t, left, 48_000)
	assert.Contains(t, at, audio.Frames(96_000))
	assert.Less(t, left[0], left[12_000], "each comes softly")
	_, rest := heard(t, plan, listening.Wanted{From: 48_000, Only: spans})
	assert.Len(t, rest, 24_000, "those that are over are left out")
	_, none := heard(t, plan, listening.Wanted{Only: []session.Span{}})
	assert.Empty(t, none)
}

func TestALoopGoesBackWithoutAGap(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		plan := planOf(t, 3)
		var e ear
		ends := errors.New("heard enough")
		w := writer{&e, 4 * 96_000 * 8, ends}
		s := listening.New(plan, listening.Wanted{From: 48_000, To: 96_000, Back: 24_000, Loop: true, Ahead: 3600 * audio.Second}, nil)
		require.NoError(t, s.Prepare(t.Context()))
		require.ErrorIs(t, s.Send(t.Context(), &w, &e), ends)
		at := audio.Frames(48_000)
		for data, rounds := e.Bytes(), 0; len(data) > 36; {
			n, rows := audio.Frames(binary.LittleEndian.Uint32(data[8:])), int(binary.LittleEndian.Uint32(data[12:]))
			if at == 96_000 {
				at, rounds = 24_000, rounds+1
			}
			require.Equal(t, at, audio.Frames(binary.LittleEndian.Uint64(data)))
			at += n
			if size := 36 + 4*rows + 8*int(n); size < len(data) {
				data = data[size:]
			} else {
				require.Positive(t, rounds)
				return
			}
		}
	})
}

// writer takes so many bytes.
type writer struct {
	io.Writer
	left int
	err  error
}

func (w *writer) Write(p []byte) (int, error) {
	if w.left -= len(p); w.left < 0 {
		return 0, w.err
	}
	return w.Writer.Write(p)
}

func TestAFileOfAMixIsRenderedWhileItIsReadAndInTurns(t *testing.T) {
	plan := planOf(t, 5)
	turns := 0
	file, err := listening.File(plan, 48_000, 4*48_000, func(do func()) error { turns++; do(); return nil })
	require.NoError(t, err)
	assert.Equal(t, 1, turns, "the beginning is known to be there")
	data, err := io.ReadAll(file)
	require.NoError(t, err)
	assert.Len(t, data, 44+3*48_000*4)
	assert.GreaterOrEqual(t, turns, 3, "a second at a time at most")
	assert.LessOrEqual(t, turns, 6, "and little more than once")
	refused := errors.New("ended")
	_, err = listening.File(plan, 0, 48_000, func(func()) error { return refused })
	assert.ErrorIs(t, err, refused)
}
