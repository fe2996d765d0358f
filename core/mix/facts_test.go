package mix_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/testkit"
)

func keysOf(t require.TestingT, p *mix.Plan) (keys []mix.Key) {
	for n := range p.Spans() {
		k, err := p.FactsKey(n)
		require.NoError(t, err)
		keys = append(keys, k)
	}
	return keys
}

func measured(t require.TestingT, p *mix.Plan) mix.Measured {
	var facts []*mix.Facts
	for n, key := range keysOf(t, p) {
		f, err := p.Facts(n, key)
		require.NoError(t, err)
		facts = append(facts, f)
	}
	return mix.Fold(facts, p.Length())
}

func TestWhatIsFoldedFromFactsIsWhatTheWholeMixMeasures(t *testing.T) {
	drawn := rapid.Custom(func(t *rapid.T) session.Document { return drawnSession(t, 12) })
	for seed := range 8 {
		d := drawn.Example(seed)
		if seed%2 == 1 {
			d.Tracks[0].Treatment = session.Usual()
			d.Tracks[0].Treatment.Compressor.On = true
		}
		got := measured(t, compiled(t, d))
		voices, rest := partsOf(t, d)
		want := loudness.Measure(rendered(t, compiled(t, d)))
		assert.InDelta(t, want.Integrated, got.Loudness.Integrated, 0.001)
		assert.InDelta(t, want.Range, got.Loudness.Range, 0.001)
		assert.InDelta(t, want.MaxMomentary, got.Loudness.MaxMomentary, 0.001)
		assert.InDelta(t, want.MaxShortTerm, got.Loudness.MaxShortTerm, 0.001)
		assert.InDelta(t, want.TruePeak, got.Loudness.TruePeak, 0.001)
		assert.InDelta(t, want.SamplePeak, got.Loudness.SamplePeak, 0.001)
		assert.Equal(t, want.Length, got.Loudness.Length)
		for name, pair := range map[string][2][]float64{
			"voices": {summed(loudness.Powers(voices)), got.Voices}, "rest": {summed(loudness.Powers(rest)), got.Rest},
		} {
			var worst float64
			for i, v := range pair[1] {
				worst = max(worst, math.Abs(pair[0][i]-v)/(1e-6+1e-3*v))
			}
			assert.Less(t, worst, 1.0, name)
		}
	}
}

func TestFactsAreKnownByAllThatGoesIntoThemAndByNothingElse(t *testing.T) {
	d := makingWay(20*audio.Second, duck.Starts()[1].Way)
	before := keysOf(t, compiled(t, d))
	changed := func(change func(d *session.Document)) (out []int) {
		other := d.Clone()
		change(&other)
		for n, k := range keysOf(t, compiled(t, other)) {
			if k != before[n] {
				out = append(out, n)
			}
		}
		return out
	}
	all := []int{0, 1, 2, 3, 4, 5}
	assert.Empty(t, changed(func(d *session.Document) { d.Tracks[0].Name, d.Target = "Another", "radio-europe" }))
	assert.Empty(t, changed(func(d *session.Document) { d.Tracks = append(d.Tracks, session.Track{ID: "t9", Part: session.Effect}) }))
	assert.Equal(t, all, changed(func(d *session.Document) { d.Tracks[1].Fader = -3 }))
	assert.Equal(t, []int{2, 3}, changed(func(d *session.Document) { d.Tracks[0].Fader = -3 }), "the voice, and what makes way for it")
	assert.Equal(t, []int{2, 3}, changed(func(d *session.Document) { d.Tracks[1].Way.Lead = 12 }))
	assert.Equal(t, all[4:], changed(func(d *session.Document) {
		d.Tracks[1].Envelope = []session.Point{{At: 41 * audio.Second}, {At: 45 * audio.Second, Level: -6}}
	}))
	assert.Equal(t, all, changed(func(d *session.Document) { d.Tracks[0].Mute, d.Tracks[1].Part = true, session.Effect }), "another part is another fact")

	assert.Equal(t, []int{4}, changed(func(d *session.Document) {
		c := d.Tracks[0].Clips["c1"]
		c.Start, c.Offset, c.Length = 48*audio.Second, 0, audio.Second // where it does not speak
		d.Tracks[0].Clips["c9"] = c
	}), "another clip of the same track, where it lies")
	moved := d.Clone()
	for _, track := range moved.Tracks {
		for id, c := range track.Clips {
			c.Start += 10 * audio.Second
			track.Clips[id] = c
		}
	}
	assert.Equal(t, before[1:5], keysOf(t, compiled(t, moved))[2:6], "what lies the same in a later span has the same key")
}

func TestFactsAreReadBackAsTheyWereWritten(t *testing.T) {
	d := makingWay(5*audio.Second, duck.Starts()[0].Way)
	d.Tracks[0].Treatment = session.Usual()
	d.Tracks[0].Treatment.Compressor.On = true
	p := compiled(t, d)
	key, err := p.FactsKey(0)
	require.NoError(t, err)
	f, err := p.Facts(0, key)
	require.NoError(t, err)
	other := compiled(t, d)
	_, known := other.FactsKnown(key)
	require.False(t, known)
	require.True(t, other.LearnFacts(key, f.Bytes()))
	again, known := other.FactsKnown(key)
	require.True(t, known)
	assert.Equal(t, f, again)
	for _, spoilt := range [][]byte{nil, f.Bytes()[:100], append([]byte("RVFA0000"), f.Bytes()[8:]...), append(f.Bytes(), 0)} {
		assert.False(t, compiled(t, d).LearnFacts(key, spoilt))
	}
	nan := f.Bytes()
	copy(nan[20:], []byte{0, 0, 0xc0, 0x7f})
	assert.False(t, compiled(t, d).LearnFacts(key, nan))
}

func TestTheSilhouetteOfWhatWasMeasuredIsThatOfTheMix(t *testing.T) {
	d := makingWay(20*audio.Second, duck.Starts()[1].Way)
	s := measured(t, compiled(t, d)).Silhouette(60)
	voices, rest := partsOf(t, d)
	for x := range 60 {
		from, to := audio.Frames(x)*audio.Second, audio.Frames(x+1)*audio.Second
		assert.InDelta(t, float64(voices.Slice(from, to).Peak()), float64(s.Voice[x]), 1e-5)
		assert.InDelta(t, float64(rest.Slice(from, to).Peak()), float64(s.Music[x]), 1e-5)
		assert.Zero(t, s.Effect[x])
	}
	assert.Less(t, s.Music[27], s.Music[10]/3, "it makes way")
}

func FuzzFactsAreNeverBelievedThatAreNone(f *testing.F) {
	f.Add([]byte("RVFA0001"))
	f.Add((&mix.Facts{Peak: 0.5}).Bytes())
	f.Fuzz(func(t *testing.T, data []byte) {
		p, err := mix.Compile(session.New(), testkit.Library{}.Sounds, nil)
		require.NoError(t, err)
		if p.LearnFacts(mix.Key{}, data) {
			facts, _ := p.FactsKnown(mix.Key{})
			for _, v := range facts.Sum {
				require.False(t, math.IsNaN(float64(v)) || v < 0)
			}
		}
	})
}

// The facts of an hour with many tracks, in seconds of a session for each second.
func BenchmarkFactsOfAMinuteOfSixteenTracks(b *testing.B) {
	d := session.New()
	for id, pcm := range parted {
		d.Sounds[id] = session.Sound{Channels: len(pcm), Length: pcm.Length()}
	}
	for i := range 16 {
		t := session.Track{ID: "t" + string(rune('a'+i)), Part: session.Music, Fader: -6, Clips: map[string]session.Clip{"c": {Sound: musicID, Length: 60 * audio.Second}}}
		if i < 6 {
			t.Part, t.Clips = session.Voice, map[string]session.Clip{"c": {Sound: voiceID, Start: audio.Frames(i) * 9 * audio.Second, Length: 12 * audio.Second}}
		}
		d.Tracks = append(d.Tracks, t)
	}
	p, err := mix.CompileFrom(d, partedKnown, nil)
	require.NoError(b, err)
	for b.Loop() {
		p.KeepIn(mix.NewSpans(1))
		measured(b, p)
	}
	b.ReportMetric(60*float64(b.N)/b.Elapsed().Seconds(), "x-real-time")
}
