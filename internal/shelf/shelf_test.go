package shelf

import (
	"math"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/credits"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/testkit"
)

func keys(t *testing.T, q Query) (out []string) {
	t.Helper()
	found, err := House{}.Search(t.Context(), q)
	require.NoError(t, err)
	for _, p := range found {
		out = append(out, p.Key)
	}
	return out
}

func TestSeveralWordsTogetherFindWhatMeetsThemAll(t *testing.T) {
	assert.Equal(t, []string{"ice-on-the-nets"}, keys(t, Query{Words: "sad piano"}))
	assert.Equal(t, []string{"ice-on-the-nets"}, keys(t, Query{Words: "Piano, docu"}), "beginnings of words, in any order and case")
	assert.Equal(t, []string{"harbourmaster", "regatta-day"}, keys(t, Query{Words: "accordion low quay"}), "the author counts")
	assert.Empty(t, keys(t, Query{Words: "sad accordion"}))
	assert.Equal(t, []string{"steps-on-shingle"}, keys(t, Query{Words: "walking", Part: session.Effect}))
	assert.Len(t, keys(t, Query{}), len(House{}.Pieces()))
}

func TestLengthAndTempoNarrowTheSearch(t *testing.T) {
	for _, p := range (House{}).Pieces() {
		assert.Contains(t, keys(t, Query{MinLength: p.Length, MaxLength: p.Length}), p.Key)
		assert.NotContains(t, keys(t, Query{MinLength: p.Length + 1}), p.Key)
		assert.NotContains(t, keys(t, Query{MaxLength: p.Length - 1}), p.Key)
		if p.Tempo > 0 {
			assert.Contains(t, keys(t, Query{MinTempo: p.Tempo, MaxTempo: p.Tempo}), p.Key)
			assert.NotContains(t, keys(t, Query{MinTempo: p.Tempo + 1}), p.Key)
		} else {
			assert.NotContains(t, keys(t, Query{MinTempo: 1}), p.Key, "what has no tempo meets none")
		}
	}
}

func TestTheCollectionIsLargeEnoughAndCompleteInItsCredits(t *testing.T) {
	count := map[session.Part]int{}
	seen := map[string]bool{}
	for _, p := range (House{}).Pieces() {
		count[p.Part]++
		require.False(t, seen[p.Key] || seen[p.Title], p.Key)
		seen[p.Key], seen[p.Title] = true, true
		assert.GreaterOrEqual(t, len(p.Words), 4, p.Key)
		need := credits.Of(credits.Sound{Name: p.Title, Title: p.Title, Author: p.Author, Source: p.Source, Licence: p.Licence, Part: p.Part})
		assert.Empty(t, need.Missing, p.Key)
	}
	assert.GreaterOrEqual(t, count[session.Music], 12)
	assert.GreaterOrEqual(t, count[session.Effect], 12)
	_, err := House{}.Piece(t.Context(), "nowhere")
	require.Error(t, err)
	_, err = House{}.Open(t.Context(), "nowhere")
	require.Error(t, err)
}

// played is a piece of the collection, rendered once for all that listen to it.
func played(key string) audio.PCM {
	once, _ := rendered.LoadOrStore(key, sync.OnceValue(func() audio.PCM { return render(key) }))
	return once.(func() audio.PCM)()
}

var rendered sync.Map // of functions that render a piece, by its key

// tempoOf is how much the loudness of a piece repeats after a time, compared with odd
// times about as long: the correlation of the rises of its 10 ms levels.
func tempoOf(pcm audio.PCM, seconds float64) float64 {
	const step = audio.Rate / 100
	var rises []float64
	before := 0.0
	for at := 0; at+step <= len(pcm[0]); at += step {
		sum := 0.0
		for _, v := range pcm[0][at : at+step] {
			sum += float64(v * v)
		}
		level := math.Sqrt(sum / step)
		rises = append(rises, math.Max(0, level-before))
		before = level
	}
	like := func(seconds float64) (sum float64) {
		lag := int(math.Round(seconds * 100))
		for i := range len(rises) - lag {
			sum += rises[i] * rises[i+lag]
		}
		return sum / float64(len(rises)-lag)
	}
	return like(seconds) / ((like(seconds*0.81) + like(seconds*1.17) + like(seconds*1.31)) / 3)
}

func TestEveryPieceIsAsLongAsItSaysKeepsItsTempoAndDiffersFromTheOthers(t *testing.T) {
	t.Parallel()
	shapes := map[string][]float64{}
	tempo := map[string]float64{}
	for _, p := range (House{}).Pieces() {
		pcm := played(p.Key)
		require.Len(t, pcm, 2, p.Key)
		assert.Equal(t, p.Length, pcm.Length(), p.Key)
		r := loudness.Measure(pcm)
		assert.Less(t, r.TruePeak, -1.0, p.Key)
		assert.Greater(t, r.Integrated, -36.0, p.Key)
		n := len(pcm[0])
		assert.Less(t, float64(audio.PCM{pcm[0][n-480:], pcm[1][n-480:]}.Peak()), 0.05, "%s does not end in a wall", p.Key)
		if p.Tempo > 80 { // slower ones have no beat that could be measured
			assert.Greater(t, tempoOf(pcm, 60/p.Tempo), 1.08, "%s keeps %v beats a minute", p.Key, p.Tempo)
		}
		shapes[p.Key], tempo[p.Key] = append(spectrum(pcm), liveliness(pcm)), p.Tempo
	}
	for a, x := range shapes {
		for b, y := range shapes {
			if a < b {
				distance := 0.0
				for i := range x {
					distance += math.Abs(x[i] - y[i])
				}
				distance = distance/float64(len(x)) + math.Abs(tempo[a]-tempo[b])/20
				assert.Greater(t, distance, 0.8, "%s and %s sound alike", a, b)
			}
		}
	}
	assert.Zero(t, testkit.MaxDifference(t, played("page-turned"), render("page-turned")), "the same piece every time")
}

// liveliness is the spread of a piece's levels over 50 ms, in dB.
func liveliness(pcm audio.PCM) float64 {
	const step = audio.Rate / 20
	var sum, squares, n float64
	for at := 0; at+step <= len(pcm[0]); at += step {
		level := math.Max(-60, testkit.RMS(pcm[0][at:at+step]))
		sum, squares, n = sum+level, squares+level*level, n+1
	}
	return math.Sqrt(squares/n - sum*sum/n/n)
}

// spectrum is the level, in dB against the whole, of a piece in bands a third of an octave wide.
func spectrum(pcm audio.PCM) (out []float64) {
	whole := testkit.RMS(pcm[0])
	for f := 50.0; f < 8000; f *= math.Pow(2, 1.0/3) {
		// A resonator at the band's middle (two-pole, quality 4.3).
		w := 2 * math.Pi * f / audio.Rate
		r := 1 - w/2/4.3
		a1, a2 := 2*r*math.Cos(w), -r*r
		var y1, y2, sum float64
		for _, v := range pcm[0] {
			y := (1-r)*float64(v) + a1*y1 + a2*y2
			y1, y2 = y, y1
			sum += y * y
		}
		out = append(out, math.Max(-60, 10*math.Log10(sum/float64(len(pcm[0]))+1e-12)-whole))
	}
	return out
}
