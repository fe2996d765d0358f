package ui_test

import (
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/envelope"
	"ruvel/core/fade"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/core/treat"
	"ruvel/testkit"
)

var write = flag.Bool("write", false, "write the vectors instead of comparing them")

// vector is a function of the page's drawing, what it is given, and what the core makes of that.
type vector struct {
	Name string    `json:"name"`
	Of   string    `json:"of"`
	Args []any     `json:"args"`
	At   []float64 `json:"at,omitempty"` // it is asked at each of these, as the last argument
	Want []float64 `json:"want"`
}

// along asks a function of the core at places of its last argument.
func (v vector) along(from, to, step float64, want func(x float64) float64) vector {
	for x := from; x < to; x += step {
		v.At = append(v.At, x)
		v.Want = append(v.Want, want(x))
	}
	return v
}

func dynamics() (out []vector) {
	for _, c := range []session.Compressor{{Threshold: -22, Ratio: 3, Knee: 6}, {Threshold: -40, Ratio: 20}, {Threshold: 0, Ratio: 1, Knee: 24}} {
		e := session.Expander{Threshold: c.Threshold, Ratio: 1 + c.Ratio/4, Range: 12}
		out = append(out,
			vector{Name: "a compressor's curve", Of: "compressed", Args: []any{c}}.along(-90, 1, 1, func(x float64) float64 { return treat.Compressed(c, x) }),
			vector{Name: "an expander's curve", Of: "expanded", Args: []any{e}}.along(-90, 1, 1, func(x float64) float64 { return treat.Expanded(e, x) }))
	}
	return out
}

func fades() (out []vector) {
	for _, shape := range []session.Shape{session.Linear, session.EqualPower, session.Smooth, session.Exponential} {
		out = append(out, vector{Name: "the shape " + string(shape), Of: "shapeGain", Args: []any{shape}}.along(-0.1, 1.1, 0.02, func(x float64) float64 { return fade.Gain(shape, x) }))
		clip := session.Clip{
			Length: 1000, FadeIn: session.Fade{Length: 700, Past: 120, Shape: shape}, FadeOut: session.Fade{Length: 500, Past: 30, Shape: shape},
			Envelope: []session.Point{},
		}
		out = append(out, vector{Name: "fades of the shape " + string(shape) + " that a cut goes through", Of: "fadeGain", Args: []any{clip}}.along(0, 1000, 17, func(at float64) float64 {
			return fade.In(clip.FadeIn, audio.Frames(at)) * fade.Out(clip.FadeOut, audio.Frames(at), clip.Length)
		}))
	}
	return out
}

func lines() (out []vector) {
	r := rand.New(rand.NewPCG(1, 2))
	for n := range 20 {
		points := []session.Point{}
		at := audio.Frames(0)
		for range n % 7 {
			at += 1 + audio.Frames(r.IntN(400))
			level := audio.DB(r.Float64()*132 - 120)
			if r.IntN(4) == 0 {
				level = audio.Silence
			}
			points = append(points, session.Point{At: at, Level: level, Bend: []float64{0, 0, -1, 0.4, 1}[r.IntN(5)]})
		}
		curve := envelope.New(points)
		out = append(out, vector{Name: fmt.Sprintf("a level line of %d points", len(points)), Of: "lineGain", Args: []any{points}}.along(0, 1200, 13, func(at float64) float64 { return curve.GainAt(audio.Frames(at)) }))
	}
	return out
}

// ways are lines in which tracks make way for speech.
func ways() (out []vector) {
	r := rand.New(rand.NewPCG(3, 4))
	for n := range 12 {
		w := duck.Starts()[n%len(duck.Starts())].Way
		var stretches []session.Span
		var drops []float64
		at := audio.Frames(r.IntN(30000))
		for range 1 + n%6 {
			to := at + 4800 + audio.Frames(r.IntN(200000))
			stretches = append(stretches, session.Span{From: at, To: to})
			drops = append(drops, float64(r.IntN(25)))
			at = to + audio.Frames(r.IntN(250000))
		}
		line := duck.NewLine(stretches, func(i int) audio.DB { return audio.DB(drops[i]) }, w)
		curve := envelope.New(line.Corners(0, at+500000))
		way := map[string]any{"stretches": stretches, "drops": drops, "settings": w}
		out = append(out, vector{Name: fmt.Sprintf("a way under %d stretches", len(stretches)), Of: "wayGain", Args: []any{way}}.along(0, float64(at+400000), 7919, func(at float64) float64 { return curve.GainAt(audio.Frames(at)) }))
	}
	return out
}

// levels are what acts on clips of made-up sessions, one cause after the other and their sum, as the engine applies them.
func levels() (out []vector) {
	library := testkit.NewLibrary()
	sessions := rapid.Custom(library.Session)
	for seed := 0; len(out) < 40; seed++ {
		doc := sessions.Example(seed)
		for i, track := range doc.Tracks {
			crossings := append([]session.Crossing{}, track.Crossings()...)
			for n, id := range track.ClipsInOrder() {
				c := track.Clips[id]
				at := c.Start + audio.Frames((seed*7919+n*104729)%(int(c.Length)+10000)-5000)
				l, err := mix.LevelsAt(doc, id, at, nil)
				if err != nil {
					panic(err) // the session is one of ours, and the clip is in it
				}
				out = append(out, vector{
					Name: "the level of a clip", Of: "levelHere", Args: []any{track, id, crossings, at, doc.Audible()[i]},
					Want: []float64{
						float64(l.ClipGain), float64(l.ClipEnvelope), float64(l.Fade), float64(l.Hush), float64(l.Crossing),
						float64(l.TrackEnvelope), float64(l.Fader), float64(l.Total), map[bool]float64{true: 1}[l.Inside],
					},
				})
			}
		}
	}
	return out
}

// What the page draws is compared with these by its own tests.
func TestTheVectorsOfTheDrawingAreThoseOfTheCore(t *testing.T) {
	var all []vector
	for _, some := range [][]vector{dynamics(), fades(), lines(), ways(), levels()} {
		all = append(all, some...)
	}
	data, err := json.Marshal(all)
	require.NoError(t, err)
	const path = "test/vectors.json"
	if *write {
		require.NoError(t, os.WriteFile(path, append(data, '\n'), 0o644))
	}
	there, err := os.ReadFile(path)
	require.NoError(t, err, "write them: go test ./ui -write")
	var known []vector
	require.NoError(t, json.Unmarshal(there, &known))
	var now []vector
	require.NoError(t, json.Unmarshal(data, &now))
	require.Len(t, known, len(now))
	for i, v := range now {
		assert.Equal(t, v.Args, known[i].Args, v.Name)
		assert.InDeltaSlice(t, v.Want, known[i].Want, 1e-9, "%s: the core computes otherwise than it did; write the vectors anew: go test ./ui -write", v.Name)
	}
}
