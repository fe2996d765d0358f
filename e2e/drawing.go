package e2e

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/fade"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/core/treat"
	"ruvel/testkit"
)

// drawingScript is the page's own module of formulas, as a script that defines "drawing".
func drawingScript(t testing.TB) string {
	t.Helper()
	dir := t.TempDir()
	build := fmt.Sprintf(`import { build } from "vite";
		await build({configFile: false, logLevel: "error", build: {outDir: %q, emptyOutDir: false, minify: false,
			lib: {entry: "src/drawing/level.ts", formats: ["iife"], name: "drawing", fileName: () => "drawing.js"}}});`, dir)
	cmd := exec.Command("node", "--input-type=module", "-e", build)
	cmd.Dir = "../ui"
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	script, err := os.ReadFile(filepath.Join(dir, "drawing.js"))
	require.NoError(t, err)
	return string(script) + "\nwindow.drawing = drawing;"
}

// Vector is an expression in the page and the values that the core gives for it.
type Vector struct {
	Name       string
	Expression string
	Want       []float64
}

// drawingVectors are gains of fades and of level lines, as the core computes them.
func drawingVectors() (out []Vector) {
	for _, c := range []session.Compressor{{Threshold: -22, Ratio: 3, Knee: 6}, {Threshold: -40, Ratio: 20}, {Threshold: 0, Ratio: 1, Knee: 24}} {
		e := session.Expander{Threshold: c.Threshold, Ratio: 1 + c.Ratio/4, Range: 12}
		v := Vector{Name: "a compressor's curve", Expression: fmt.Sprintf(`Array.from({length: 91}, (_, i) => drawing.compressed(%s, i - 90))`, text(c))}
		w := Vector{Name: "an expander's curve", Expression: fmt.Sprintf(`Array.from({length: 91}, (_, i) => drawing.expanded(%s, i - 90))`, text(e))}
		for i := range 91 {
			v.Want = append(v.Want, treat.Compressed(c, float64(i-90)))
			w.Want = append(w.Want, treat.Expanded(e, float64(i-90)))
		}
		out = append(out, v, w)
	}
	for _, shape := range []session.Shape{session.Linear, session.EqualPower, session.Smooth, session.Exponential} {
		v := Vector{Name: "the shape " + string(shape)}
		v.Expression = fmt.Sprintf(`Array.from({length: 121}, (_, i) => drawing.shapeGain(%q, (i - 10) / 100))`, shape)
		for i := range 121 {
			v.Want = append(v.Want, fade.Gain(shape, float64(i-10)/100))
		}
		out = append(out, v)
		clip := session.Clip{
			Length: 1000, FadeIn: session.Fade{Length: 700, Past: 120, Shape: shape}, FadeOut: session.Fade{Length: 500, Past: 30, Shape: shape},
			Envelope: []session.Point{},
		}
		v = Vector{Name: "fades of the shape " + string(shape) + " that a cut goes through"}
		v.Expression = fmt.Sprintf(`Array.from({length: 1000}, (_, at) => drawing.fadeGain(%s, at))`, text(clip))
		for at := range audio.Frames(1000) {
			v.Want = append(v.Want, fade.In(clip.FadeIn, at)*fade.Out(clip.FadeOut, at, clip.Length))
		}
		out = append(out, v)
	}
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
		v := Vector{Name: fmt.Sprintf("the level line %s", text(points))}
		v.Expression = fmt.Sprintf(`Array.from({length: 1200}, (_, at) => { const db = drawing.levelAt(%s, at); return db <= -120 ? 0 : 10 ** (db / 20); })`, text(points))
		for at := range audio.Frames(1200) {
			v.Want = append(v.Want, curve.GainAt(at))
		}
		out = append(out, v)
	}
	return out
}

// levelVectors are the levels that act on clips of random sessions, one cause after the
// other and their sum, as the engine applies them.
func levelVectors(t *testing.T) (out []Vector) {
	library := testkit.NewLibrary()
	rapid.Check(t, func(t *rapid.T) {
		doc := library.Session(t)
		if len(out) >= 60 {
			return
		}
		for i, track := range doc.Tracks {
			crossings := append([]session.Crossing{}, track.Crossings()...)
			for id, c := range track.Clips {
				at := c.Start + audio.Frames(rapid.Int64Range(-5000, int64(c.Length)+5000).Draw(t, "at"))
				l, err := mix.LevelsAt(doc, id, at, nil)
				if err != nil {
					t.Fatalf("levels: %v", err)
				}
				out = append(out, Vector{
					Name: "the level of a clip at " + at.String(),
					Expression: fmt.Sprintf(`(l => [l.clipGain, l.clipLine, l.fade, l.hush, l.crossing, l.trackLine, l.fader, l.total, Number(l.inside)])(drawing.levelHere(%s, %q, %s, %d, %v))`,
						text(track), id, text(crossings), at, doc.Audible()[i]),
					Want: []float64{
						float64(l.ClipGain), float64(l.ClipEnvelope), float64(l.Fade), float64(l.Hush), float64(l.Crossing),
						float64(l.TrackEnvelope), float64(l.Fader), float64(l.Total), map[bool]float64{true: 1}[l.Inside],
					},
				})
			}
		}
	})
	return out
}

func text(v any) string {
	data, err := json.Marshal(v)
	if err != nil {
		panic(err) // only documents of ours come here
	}
	return string(data)
}
