package mix_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/core/treat"
	"ruvel/core/waveform"
	"ruvel/testkit"
	"ruvel/testkit/law"
)

func always() bool { return true }

func never() bool { return false }

func talkedDocument(treatment session.Treatment, pcm audio.PCM) session.Document {
	d := session.New()
	d.Sounds[testkit.ID(0)] = session.Sound{Channels: len(pcm), Length: pcm.Length()}
	d.Tracks = []session.Track{{ID: "t1", Name: "Voice", Part: session.Voice, Treatment: treatment, Clips: map[string]session.Clip{
		"c1": {Name: "Talk", Sound: testkit.ID(0), Length: pcm.Length()},
	}}}
	return d
}

// talkedOver is one treated track with one clip of talk, in the middle of the picture.
func talkedOver(t *testing.T, treatment session.Treatment, pcm audio.PCM) *mix.Plan {
	t.Helper()
	plan, err := mix.Compile(talkedDocument(treatment, pcm), testkit.Library{testkit.ID(0): pcm}.Sounds, nil)
	require.NoError(t, err)
	return plan
}

func TestTheCellsOfStepsSayWhatTheEngineApplies(t *testing.T) {
	treatment := allOn()
	treatment.LowCut.On = false // the others are gains
	pcm := talk(1, 25*audio.Second, 3)
	plan := talkedOver(t, treatment, pcm)
	out := whole(t, plan)
	law.Check(t, func(t *rapid.T) {
		// Spans are crossed over in their first hundredth of a second, where neither is heard alone.
		k := rapid.Int64Range(0, int64(plan.Length()/mix.CellStep)-1).Draw(t, "step")
		at := audio.Frames(k) * mix.CellStep
		if at%(10*audio.Second) < audio.Second/100 || math.Abs(float64(pcm[0][at])) < 1e-5 {
			return
		}
		cells, err := plan.Course("t1", at, mix.CellStep, 1, always)
		require.NoError(t, err)
		c := cells[0]
		sum := float64(c.Gate+c.Expander+c.Compressor+c.Limiter) / 100
		got := 20 * math.Log10(float64(out[0][at])/float64(pcm[0][at])/(math.Sqrt2/2))
		assert.InDelta(t, got, sum, 0.03, "at %d", at)
	})
}

func TestLongerCellsAreMeansOfShorterOnes(t *testing.T) {
	plan := talkedOver(t, allOn(), talk(2, 25*audio.Second, 4))
	for i := 1; i < len(mix.CellLengths); i++ {
		fine, coarse := mix.CellLengths[i-1], mix.CellLengths[i]
		long, err := plan.Course("t1", 0, coarse, 20, always)
		require.NoError(t, err)
		short, err := plan.Course("t1", 0, fine, 200, always)
		require.NoError(t, err)
		for k, c := range long {
			var sum, compressed float64
			high, state := mix.Hundredths(math.MinInt16), mix.NoGate
			for _, s := range short[10*k : 10*k+10] {
				sum, compressed = sum+float64(s.Gate), compressed+float64(s.Compressor)
				high, state = max(high, s.Out), max(state, s.Gated)
			}
			assert.InDelta(t, sum/10, float64(c.Gate), 2)
			assert.InDelta(t, compressed/10, float64(c.Compressor), 2)
			assert.Equal(t, high, c.Out)
			assert.Equal(t, state, c.Gated)
		}
	}
}

func TestACourseSaysHowHighTheTrackIsBeforeAndAfter(t *testing.T) {
	pcm := talk(1, 25*audio.Second, 5)
	plan := talkedOver(t, allOn(), pcm)
	out := whole(t, plan)
	const cell = 160 * 10
	cells, err := plan.Course("t1", 0, cell, 300, always)
	require.NoError(t, err)
	reduced := false
	for k, c := range cells {
		from := audio.Frames(k) * cell
		if from%(10*audio.Second) == 0 {
			continue // where spans are crossed over
		}
		in, got := pcm.Slice(from, from+cell).Peak(), out.Slice(from, from+cell).Peak()*math.Sqrt2
		assert.InDelta(t, float64(audio.Level(float64(in))), float64(c.In)/100, 0.01)
		assert.InDelta(t, float64(audio.Level(float64(got))), float64(c.Out)/100, 0.02)
		reduced = reduced || c.Out < c.In-500
	}
	assert.True(t, reduced)
}

func TestTheOutlineOfATreatedTrackIsThatOfWhatIsHeardOnceItIsKnown(t *testing.T) {
	treatment := allOn()
	treatment.Compressor.MakeUp = 6
	pcm := talk(1, 24*audio.Second, 12)
	plan, d := talkedOver(t, treatment, pcm), talkedDocument(treatment, pcm)
	var b waveform.Builder
	b.Write(pcm)
	outline := func() []float32 {
		o, err := mix.Outline(d, func(string) (waveform.Pyramid, error) { return b.Pyramid(), nil }, 60, plan)
		require.NoError(t, err)
		return o.Voice
	}
	column := func(p audio.PCM, x int) float64 {
		n := p.Length() / 60
		return float64(p.Slice(audio.Frames(x)*n, audio.Frames(x+1)*n).Peak())
	}
	bare := outline()
	out := whole(t, plan)
	moved := 0
	for x, high := range outline() {
		before, heard := column(pcm, x), column(out, x)*math.Sqrt2
		if math.Abs(before-float64(bare[x])) > 0.005 {
			continue // the peaks of its runs belong to the column beside it
		}
		assert.InDelta(t, heard, high, 0.01, "column %d", x)
		if math.Abs(heard-before) > 0.05 {
			moved++
		}
	}
	assert.Greater(t, moved, 20)
}

func TestWhatWasDoneIsKnownForLongerThanTheSoundOfIt(t *testing.T) {
	plan := talkedOver(t, allOn(), talk(1, 40*audio.Second, 13))
	spans := mix.NewSpans(3 << 20) // of which there is room for one, and for the courses of all
	plan.KeepIn(spans)
	whole(t, plan)
	made := spans.Made()
	cells, err := plan.Course("t1", 0, 1600, 1200, never)
	require.NoError(t, err)
	assert.NotContains(t, states(cells), mix.Unknown)
	assert.Equal(t, made, spans.Made())
}

func TestWhatIsNotKnownIsSaidUntilThereIsTimeForIt(t *testing.T) {
	plan := talkedOver(t, allOn(), talk(1, 25*audio.Second, 6))
	cells, err := plan.Course("t1", 5*audio.Second, 1600, 300, never)
	require.NoError(t, err)
	for _, c := range cells {
		require.Equal(t, mix.Cell{Gated: mix.Unknown}, c)
	}
	_, err = plan.Course("t1", 0, 1600, 1, always)
	require.NoError(t, err)
	cells, err = plan.Course("t1", 5*audio.Second, 1600, 300, never)
	require.NoError(t, err)
	assert.NotEqual(t, mix.Unknown, cells[149].Gated)
	assert.Equal(t, mix.Unknown, cells[150].Gated, "the next span")
	cells, err = plan.Course("t9", 0, 1600, 3, always)
	require.NoError(t, err)
	silent := mix.Cell{Level: -12000, In: -12000, Out: -12000}
	assert.Equal(t, []mix.Cell{silent, silent, silent}, cells, "of no track there is nothing")
}

func TestAMutedTrackIsStillSeenTreated(t *testing.T) {
	d, library := treatedSession()
	d.Tracks[0].Mute = true
	plan, err := mix.Compile(d, library.Sounds, nil)
	require.NoError(t, err)
	cells, err := plan.Course("t1", 0, 16000, 60, always)
	require.NoError(t, err)
	assert.Contains(t, states(cells), mix.GateOpen)
	assert.Contains(t, states(cells), mix.GateClosed)
}

func states(cells []mix.Cell) (out []mix.Gated) {
	for _, c := range cells {
		out = append(out, c.Gated)
	}
	return out
}

func spokenIn(library testkit.Library) func(string) ([]speech.Phrase, error) {
	return func(id string) ([]speech.Phrase, error) { return speech.Find(library[id]), nil }
}

func TestASpreadSaysWhereTheRoomAndTheVoiceLie(t *testing.T) {
	// Words of a tone with peaks of -20.5 dBFS, one of them 12 dB softer, over a room of noise of -60 dBFS.
	pcm := testkit.Noise(1, 0.001*math.Sqrt(3), 30*audio.Second, 3)
	for at := audio.Frames(0); at < pcm.Length(); at++ {
		second := at / audio.Second
		if second%2 == 1 {
			continue
		}
		amplitude := 0.0944 // -20.5 dBFS
		if second == 4 {
			amplitude /= 4
		}
		pcm[0][at] += float32(amplitude * math.Sin(2*math.Pi*220*float64(at)/audio.Rate))
	}
	plan := talkedOver(t, session.Treatment{Compressor: allOn().Compressor}, pcm)
	for name, phrases := range map[string]func(string) ([]speech.Phrase, error){
		"known": func(string) (out []speech.Phrase, _ error) {
			for at := audio.Frames(0); at < pcm.Length(); at += 2 * audio.Second {
				out = append(out, speech.Phrase{From: at, To: at + audio.Second})
			}
			return out, nil
		},
		"by level": func(string) ([]speech.Phrase, error) { return nil, nil },
	} {
		s, err := plan.Spread("t1", phrases)
		require.NoError(t, err)
		assert.InDelta(t, -20.5-3.01, float64(s.Levels.Ordinary), 0.2, "%s: the softer word has little power", name)
		assert.InDelta(t, -60, float64(s.Levels.Floor), 1.5, name)
		assert.InDelta(t, -60+4.8, float64(s.Peaks.Floor), 1.5, "%s: of evenly spread noise the peaks", name)
		assert.InDelta(t, -32.5, float64(s.Peaks.Quiet), 1, name)
		assert.InDelta(t, -20.5, float64(s.Peaks.Loud), 0.5, name)
		var sum float64
		for _, v := range s.Levels.Bins {
			sum += v
		}
		assert.InDelta(t, 1, sum, 1e-9)
		assert.Greater(t, s.Levels.Bins[90-24], 0.8, "%s: most of it lies at one level", name)
	}
}

func TestWithWhatIsSuggestedTheGateStandsBetweenRoomAndWordsAndSpeechIsReducedAndMadeUp(t *testing.T) {
	library := testkit.Library{testkit.ID(0): talk(1, 40*audio.Second, 8)}
	plan := talkedOver(t, session.Treatment{Compressor: session.Compressor{On: true, Ratio: 1, Threshold: -20, Attack: 1, Release: 50, Detector: session.Level}}, library[testkit.ID(0)])
	spread, err := plan.Spread("t1", spokenIn(library))
	require.NoError(t, err)
	treatment, why := treat.Suggest(session.Treatment{}, spread)
	assert.Greater(t, treatment.Gate.Open, spread.Peaks.Floor+5)
	assert.Less(t, treatment.Gate.Open, spread.Peaks.Quiet-5)
	assert.Contains(t, why, "softer")

	gainOf := func(change func(*session.Treatment)) float64 {
		changed := treatment
		change(&changed)
		without, with, err := talkedOver(t, changed, library[testkit.ID(0)]).Treated("t1")
		require.NoError(t, err)
		require.Greater(t, without, loudness.Floor)
		return with - without
	}
	reduced := gainOf(func(s *session.Treatment) { s.Compressor.Auto, s.Compressor.MakeUp = false, 0 })
	assert.Less(t, reduced, -3.0)
	assert.Greater(t, reduced, -6.0)
	assert.InDelta(t, 0, gainOf(func(*session.Treatment) {}), 1, "it keeps its loudness")
}

func TestWithoutTreatmentATrackIsAsLoudAsWithIt(t *testing.T) {
	treatment := allOn()
	treatment.Compressor.MakeUp = 12
	treatment.Limiter.On = false
	pcm := talk(1, 30*audio.Second, 9)
	plan := talkedOver(t, treatment, pcm)
	bare, gains, err := plan.Untreated([]string{"t1"})
	require.NoError(t, err)
	require.Greater(t, gains["t1"], audio.DB(1))
	loud := func(p *mix.Plan) float64 {
		return loudness.Measure(whole(t, p)).Integrated
	}
	assert.InDelta(t, loud(plan), loud(bare), 0.1)
	out, g := whole(t, bare), float32(gains["t1"].Gain())*math.Sqrt2/2
	for i := 0; i < len(out[0]); i += 977 {
		require.InDelta(t, pcm[0][i]*g, out[0][i], 1e-5, "nothing but a gain")
	}
	other, gains, err := plan.Untreated([]string{"t7"})
	require.NoError(t, err)
	assert.Empty(t, gains)
	assert.Zero(t, testkit.MaxDifference(t, whole(t, plan), whole(t, other)))
}
