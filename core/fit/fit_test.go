package fit_test

import (
	"math"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/fit"
	"ruvel/core/problem"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

// tone is a decaying tone of some partials.
type tone struct{ hertz, decay float64 }

var struck sync.Map // by tone: each is computed once

// strike adds a tone.
func strike(p audio.PCM, at audio.Frames, hertz, gain, decay float64) {
	kept, there := struck.Load(tone{hertz, decay})
	if !there {
		made := make([]float32, min(audio.Second, audio.Frames(7/decay*audio.Rate)))
		for i := range made {
			v := 0.0
			for k := 1.0; k <= 4; k++ {
				v += math.Sin(2*math.Pi*hertz*k*float64(i)/audio.Rate) / k
			}
			made[i] = float32(v * math.Exp(-float64(i)/audio.Rate*decay) * math.Min(1, float64(i)/48))
		}
		kept, _ = struck.LoadOrStore(tone{hertz, decay}, made)
	}
	for i, v := range kept.([]float32) {
		for _, channel := range p {
			if at := int(at) + i; at < len(channel) {
				channel[at] += float32(gain) * v
			}
		}
	}
}

// clicks is a row of short ticks.
func clicks(tempo float64, length audio.Frames) (p audio.PCM, at []audio.Frames) {
	p = testkit.Noise(1, 0.0005, length, 4)
	for k := 0.0; ; k++ {
		t := audio.Seconds(0.3 + k*60/tempo)
		if t+audio.Second/10 > length {
			return p, at
		}
		at = append(at, t)
		strike(p, t, 1000, 0.4, 120)
	}
}

// song is a piece with a bar of its own at either end, sections in between of four bars each, by
// letters: the same letter, the same chords. It gives the beats, too.
func song(tempo float64, inBar int, form string) (p audio.PCM, beats []audio.Frames) {
	chords := map[rune][4]float64{'a': {220, 174.61, 130.81, 196}, 'b': {146.83, 164.81, 174.61, 164.81}}
	bars := []float64{220}
	for _, section := range form {
		c := chords[section]
		bars = append(bars, c[:]...)
	}
	beat := 60 / tempo
	p = audio.NewPCM(2, audio.Seconds(beat*float64(inBar*(len(bars)+1))+3))
	for n, root := range append(bars, 220) {
		for b := range inBar {
			at := audio.Seconds(beat * float64(n*inBar+b))
			beats = append(beats, at)
			strike(p, at, 55, 0.25, 9) // the bass
			for i, interval := range []float64{1, 1.25, 1.5} {
				if b == 0 || b == 2 {
					strike(p, at, root*interval, 0.12-0.01*float64(i), 2.5)
				}
			}
			if n > 0 && n <= 4*len(form) {
				strike(p, at+audio.Seconds(beat/2), 3000, 0.02, 60)
			}
		}
	}
	return p, beats
}

// nearest is how far a time is from the nearest of others, in seconds.
func nearest(at audio.Frames, all []audio.Frames) float64 {
	least := math.Inf(1)
	for _, b := range all {
		least = math.Min(least, math.Abs((at - b).Seconds()))
	}
	return least
}

// octave is by how many octaves a tempo is another: 0 the same, 1 twice, -1 half.
func octave(found, true float64) (octaves float64, off float64) {
	octaves = math.Round(math.Log2(found / true))
	return octaves, found/true/math.Exp2(octaves) - 1
}

func TestTheBeatsOfClicksAreFound(t *testing.T) {
	for _, tempo := range []float64{60, 72.5, 88, 100, 120, 133.3, 150, 176} {
		p, at := clicks(tempo, 24*audio.Second)
		found := fit.Listen(p)
		octaves, off := octave(found.Tempo, tempo)
		require.InDelta(t, 0, off, 0.004, "%v beats a minute: %v", tempo, found.Tempo)
		if octaves != 0 {
			t.Logf("an octave error: %v beats a minute are taken for %.1f", tempo, found.Tempo)
		}
		for _, b := range found.Beats {
			if octaves <= 0 && b >= at[0] && b <= at[len(at)-1] {
				require.Less(t, nearest(b, at), 0.01, "%v beats a minute, at %v", tempo, b)
			}
		}
		for _, click := range at {
			if octaves >= 0 {
				require.Less(t, nearest(click, found.Beats), 0.01, "%v beats a minute, at %v", tempo, click)
			}
		}
	}
}

func TestTheBeatsAndBarsOfASongAreFound(t *testing.T) {
	for _, c := range []struct {
		tempo float64
		inBar int
	}{{92, 4}, {120, 4}, {104, 3}, {140, 3}} {
		p, beats := song(c.tempo, c.inBar, "aaba")
		found := fit.Listen(p)
		octaves, off := octave(found.Tempo, c.tempo)
		require.Zero(t, octaves, "%v: %v", c.tempo, found.Tempo)
		require.InDelta(t, 0, off, 0.004)
		require.Equal(t, c.inBar, found.Bar, "%v", c.tempo)
		for _, b := range found.Beats[:len(beats)] {
			require.Less(t, nearest(b, beats), 0.02)
		}
		assert.Zero(t, found.First%c.inBar, "the first bar begins with the piece")
		half, twice := found.Octaves()
		assert.InDelta(t, 4, twice/half, 1e-9)
	}
}

// played is what is heard of a way to play a piece.
func played(p audio.PCM, f fit.Fitted) audio.PCM {
	out := audio.NewPCM(len(p), f.Length)
	at := audio.Frames(0)
	for i, part := range f.Parts {
		for c := range p {
			for k := range part.To - part.From {
				g := 1.0
				if i > 0 && k < fit.Cross {
					g = gain(float64(k)/float64(fit.Cross), part.Same)
				}
				if left := part.To - part.From - k; i+1 < len(f.Parts) && left <= fit.Cross {
					g = gain(float64(left)/float64(fit.Cross), f.Parts[i+1].Same)
				}
				out[c][at+k] += p[c][part.From+k] * float32(g)
			}
		}
		at += part.To - part.From - fit.Cross
	}
	return out
}

func gain(x float64, same bool) float64 {
	if same {
		return x
	}
	return math.Sin(x * math.Pi / 2)
}

// level is that of a stretch, dB.
func level(p audio.PCM, from, to audio.Frames) float64 {
	return testkit.RMS(p[0][max(0, from):min(to, p.Length())])
}

// spectrum is the level in octaves from 60 Hz on, in dB, of a stretch of the first channel, by
// second-order band passes of our own: nothing of the package that is tested.
func spectrum(p audio.PCM, from, to audio.Frames) (out [7]float64) {
	for o := range out {
		f := 60 * math.Exp2(float64(o)+0.5)
		w := 2 * math.Pi * f / audio.Rate
		alpha, turn := math.Sin(w)/2.8, 2*math.Cos(w)
		var x1, x2, y1, y2, sum float64
		for _, v := range p[0][max(0, from):min(to, p.Length())] {
			x := float64(v)
			y := (alpha*(x-x2) + turn*y1 - (1-alpha)*y2) / (1 + alpha)
			x2, x1, y2, y1 = x1, x, y1, y
			sum += y * y
		}
		out[o] = 10 * math.Log10(sum/float64(to-from)+1e-9)
	}
	return out
}

func apart(a, b [7]float64) (sum float64) {
	for i := range a {
		sum += (a[i] - b[i]) * (a[i] - b[i]) / 7
	}
	return math.Sqrt(sum)
}

func TestAPieceIsFittedFromHalfToTwiceItsLength(t *testing.T) {
	for _, c := range []struct {
		tempo float64
		inBar int
		form  string
	}{{120, 4, "aabaaba"}, {92, 4, "aaaaa"}, {140, 3, "aabbaabb"}} {
		p, beats := song(c.tempo, c.inBar, c.form)
		piece := fit.Listen(p)
		bar := audio.Seconds(60 / c.tempo * float64(c.inBar))
		// How much neighbouring bars of the piece itself differ.
		loudest, widest := 0.0, 0.0
		for at := audio.Frames(0); at+2*bar < p.Length()-3*audio.Second; at += bar {
			loudest = math.Max(loudest, math.Abs(level(p, at, at+bar)-level(p, at+bar, at+2*bar)))
			widest = math.Max(widest, apart(spectrum(p, at, at+bar), spectrum(p, at+bar, at+2*bar)))
		}
		for _, times := range []float64{0.5, 0.75, 1.2, 2} {
			wanted := audio.Seconds(p.Length().Seconds() * times)
			ways, err := piece.Fit(p, wanted)
			require.NoError(t, err, "%v %v", c, times)
			for n, w := range ways {
				assert.LessOrEqual(t, math.Abs((w.Length - wanted).Seconds()), bar.Seconds()/2+0.05, "%v, %v times, way %d: to half a bar", c, times, n)
				assert.Zero(t, w.Parts[0].From, "its own beginning")
				last := w.Parts[len(w.Parts)-1]
				assert.Greater(t, last.To, piece.Ending-1, "its own ending")
				out := played(p, w)
				at := audio.Frames(0)
				for i, part := range w.Parts[:len(w.Parts)-1] {
					at += part.To - part.From
					into := w.Parts[i+1].From + fit.Cross
					// A join stands 10 ms before a beat of both, so that the beat is heard whole.
					assert.Less(t, nearest(part.To+audio.Second/100, beats), 0.02, "it leaves on a beat")
					assert.Less(t, nearest(into+audio.Second/100, beats), 0.02, "and comes in on one")
					before, after := level(out, at-bar, at), level(out, at, at+bar)
					assert.LessOrEqual(t, math.Abs(before-after), loudest+1, "%v, %v times: a step at %v", c, times, at)
					assert.LessOrEqual(t, apart(spectrum(out, at-bar, at), spectrum(out, at, at+bar)), widest+0.5, "%v, %v times: a jump at %v", c, times, at)
					at -= fit.Cross
				}
			}
			if len(ways) == 2 {
				assert.NotEqual(t, ways[0].Parts, ways[1].Parts)
				assert.LessOrEqual(t, ways[0].Unlike, 1.0)
			}
		}
	}
}

func TestALengthThatTheTempoAllowsIsMetWithinFiftyMilliseconds(t *testing.T) {
	p, _ := song(120, 4, "aaaaaa") // bars of 2 s
	piece := fit.Listen(p)
	for _, bars := range []audio.Frames{-12, -8, -4, 4, 8, 16} {
		wanted := p.Length() + bars*2*audio.Second
		ways, err := piece.Fit(p, wanted)
		require.NoError(t, err)
		assert.InDelta(t, wanted.Seconds(), ways[0].Length.Seconds(), 0.05)
		assert.Less(t, ways[0].Unlike, 0.2, "what is left out is what comes again")
		// And what its ending allows, which may be faded sooner.
		ways, err = piece.Fit(p, wanted-audio.Second)
		require.NoError(t, err)
		assert.InDelta(t, (wanted - audio.Second).Seconds(), ways[0].Length.Seconds(), 0.05)
		assert.Positive(t, ways[0].FadeOut)
	}
}

// code is that of a problem.
func code(t *testing.T, err error) string {
	t.Helper()
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	return p.Code
}

func TestWhatCannotBeFittedIsSaid(t *testing.T) {
	for name, p := range map[string]audio.PCM{
		"noise": testkit.Noise(2, 0.2, 40*audio.Second, 3), "a tone": testkit.Sine(1, 220, -12, 0, 30*audio.Second),
		"silence": audio.NewPCM(2, 30*audio.Second), "a moment": testkit.Noise(1, 0.2, 100, 1), "nothing": audio.NewPCM(1, 0),
	} {
		_, err := fit.Listen(p).Fit(p, 20*audio.Second)
		assert.Equal(t, "no-beat", code(t, err), name)
	}
	p, _ := song(120, 4, "aaaa")
	piece := fit.Listen(p)
	_, err := piece.Fit(p, 5*audio.Second)
	assert.Equal(t, "too-short", code(t, err))
	assert.Contains(t, err.Error(), "beginning")
	_, err = piece.Fit(p, 6*60*60*audio.Second)
	assert.Equal(t, "too-long", code(t, err), "which would take more room than there is")
	// Where no bar comes again, there is no join.
	p = testkit.Noise(1, 0.0005, 30*audio.Second, 2)
	for k := range 60 {
		strike(p, audio.Seconds(float64(k)*0.5), 110*math.Exp2(float64(k)/11), 0.01+0.4*math.Mod(float64(k)*0.37, 1), 6)
	}
	_, err = fit.Listen(p).Fit(p, 16*audio.Second)
	assert.Equal(t, "no-join", code(t, err))
}

func TestAFittedPieceIsMadeOfPartsOfIt(t *testing.T) {
	p, _ := song(110, 4, "aabaab")
	piece := fit.Listen(p)
	law.Check(t, func(t *rapid.T) {
		wanted := audio.Frames(rapid.Int64Range(1, int64(3*p.Length())).Draw(t, "wanted"))
		ways, err := piece.Fit(p, wanted)
		if err != nil {
			return
		}
		for _, w := range ways {
			length := fit.Cross
			for _, part := range w.Parts {
				if part.From < 0 || part.To > p.Length() || part.To-part.From < 2*fit.Cross {
					t.Fatalf("%v is no part of it", part)
				}
				length += part.To - part.From - fit.Cross
			}
			if length != w.Length {
				t.Fatalf("it says %v and is %v long", w.Length, length)
			}
			if w.FadeOut > w.Parts[len(w.Parts)-1].To-w.Parts[len(w.Parts)-1].From {
				t.Fatalf("the fade of %v is longer than what it fades", w.FadeOut)
			}
		}
	})
}

func BenchmarkListenToAMinute(b *testing.B) {
	p, _ := song(120, 4, "aabaaba")
	for b.Loop() {
		fit.Listen(p)
	}
}
