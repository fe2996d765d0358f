package measure_test

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gocloud.dev/blob/fileblob"

	"ruvel/core/audio"
	"ruvel/core/duck"
	"ruvel/core/edit"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/measure"
	"ruvel/internal/plans"
	"ruvel/internal/sounds"
	"ruvel/internal/store"
	"ruvel/internal/work"
	"ruvel/testkit"
	"ruvel/testkit/dbtest"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

// room is a Measurer with what it needs, on the database and the folder of a test.
type room struct {
	*measure.Measurer
	store  *store.Store
	sounds *sounds.Sounds
	plans  *plans.Plans
}

func open(t *testing.T, dsn, dir string) room {
	t.Helper()
	st, err := store.Open(t.Context(), dsn)
	require.NoError(t, err)
	bucket, err := fileblob.OpenBucket(filepath.Join(dir, "originals"), &fileblob.Options{CreateDir: true, NoTempDir: true, Metadata: fileblob.MetadataDontWrite})
	require.NoError(t, err)
	library, err := sounds.New(bucket, filepath.Join(dir, "cache"))
	require.NoError(t, err)
	queue, err := work.NewQueue(t.Context(), filepath.Join(t.TempDir(), "queue"), "")
	require.NoError(t, err)
	p := &plans.Plans{Store: st, Sounds: library, Queue: queue, Idle: time.Minute}
	m := measure.New(st, p, queue)
	t.Cleanup(func() {
		m.Close()
		p.ForgetIdle()
		queue.Close()
		_ = bucket.Close()
		_ = st.Close()
	})
	return room{m, st, library, p}
}

// measured waits until a version has been measured.
func (r room) measured(t *testing.T, episode string, version int64) (m mix.Measured) {
	t.Helper()
	r.Ask(episode, version)
	require.Eventually(t, func() (there bool) {
		m, there = r.Latest(episode, version)
		return there
	}, time.Minute, 5*time.Millisecond)
	return m
}

// talked is an episode in which a treated voice speaks over music that makes way, for 40 s.
func (r room) talked(t *testing.T) (episode store.Episode, voice string) {
	t.Helper()
	show, err := r.store.AddShow(t.Context(), "Harbour Hours")
	require.NoError(t, err)
	ids := map[session.Part]string{}
	doc := session.New()
	for part, pcm := range map[session.Part]audio.PCM{
		session.Voice: testkit.Join(audio.NewPCM(1, audio.Second), testkit.Voice(0.8, 120, 3*audio.Second), testkit.Noise(1, 0.0005, 4*audio.Second, 1)),
		session.Music: testkit.Sine(2, 700, -16, 0, 40*audio.Second),
	} {
		data, err := os.ReadFile(testkit.WriteWAV(t, string(part)+".wav", pcm))
		require.NoError(t, err)
		id, _, err := r.sounds.Put(t.Context(), bytes.NewReader(data))
		require.NoError(t, err)
		facts, err := r.sounds.Import(t.Context(), id, func(float64) {})
		require.NoError(t, err)
		s := store.Sound{Show: show.ID, ID: id, Name: "Sound", Part: part, Channels: facts.Channels, Rate: 48000, Format: "wav", Length: facts.Loudness.Length}
		require.NoError(t, r.store.AddSound(t.Context(), s))
		doc.Sounds[id] = session.Sound{Channels: s.Channels, Length: s.Length}
		ids[part] = id
	}
	none := session.Fade{Shape: session.Linear}
	treatment := session.Usual()
	treatment.Compressor.On = true
	doc.Tracks = []session.Track{
		{ID: "t1", Name: "Voice", Part: session.Voice, Treatment: treatment, Clips: map[string]session.Clip{
			"c3": {Name: "Voice", Sound: ids[session.Voice], Start: 11 * audio.Second, Length: 8 * audio.Second, FadeIn: none, FadeOut: none},
		}},
		{ID: "t2", Name: "Music", Part: session.Music, Way: duck.Starts()[1].Way, Clips: map[string]session.Clip{
			"c4": {Name: "Music", Sound: ids[session.Music], Length: 40 * audio.Second, FadeIn: none, FadeOut: none},
		}},
	}
	doc.Next = 5
	episode, err = r.store.AddEpisode(t.Context(), show.ID, "The Last Fog Signal", 1, doc.Clone())
	require.NoError(t, err)
	return episode, ids[session.Voice]
}

// silence has the working copy of a sound be silence from now on, so that whatever is measured of it anew is seen.
func silence(t *testing.T, dir, sound string) {
	t.Helper()
	path := filepath.Join(dir, "cache", sound, "channel-0.f32")
	info, err := os.Stat(path)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(path, make([]byte, info.Size()), 0o600))
}

func TestWhatWasMeasuredIsRememberedAfterARestart(t *testing.T) {
	dsn, dir := dbtest.New(t), t.TempDir()
	r := open(t, dsn, dir)
	episode, voice := r.talked(t)
	first := r.measured(t, episode.ID, 1)
	p, err := r.plans.Current(t.Context(), episode.ID, 1)
	require.NoError(t, err)
	out := audio.NewPCM(2, p.Length())
	require.NoError(t, mix.NewRenderer(p.Plan).Render(out, 0))
	p.Close()
	want := loudness.Measure(out)
	assert.InDelta(t, want.Integrated, first.Loudness.Integrated, 1e-3)
	assert.InDelta(t, want.TruePeak, first.Loudness.TruePeak, 1e-3)
	row, err := r.store.Episode(t.Context(), episode.ID)
	require.NoError(t, err)
	assert.Equal(t, int64(1), row.LoudnessVersion)

	silence(t, dir, voice)
	again := open(t, dsn, dir)
	assert.Equal(t, first, again.measured(t, episode.ID, 1), "nothing was measured anew")

	// An edit measures the spans that it reaches, and no other: the silent voice is heard there alone.
	_, err = again.store.Edit(context.Background(), episode.ID, 1, "", edit.MoveClips{Moves: []edit.Move{{Clip: "c3", Start: 25 * audio.Second}}})
	require.NoError(t, err)
	moved := again.measured(t, episode.ID, 2)
	assert.InDelta(t, first.Sum[50], moved.Sum[50], 1e-9)
	assert.InDelta(t, first.Sum[395], moved.Sum[395], 1e-9)
	assert.Zero(t, moved.Voices[275])
	assert.Positive(t, first.Voices[135])
}

func TestTheLatestVersionIsTheOneThatIsMeasured(t *testing.T) {
	r := open(t, dbtest.New(t), t.TempDir())
	episode, _ := r.talked(t)
	for version := int64(1); version < 12; version++ {
		r.Ask(episode.ID, version)
		fader := -audio.DB(version)
		_, err := r.store.Edit(t.Context(), episode.ID, version, "", edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t2", Fader: &fader}}})
		require.NoError(t, err)
	}
	last := r.measured(t, episode.ID, 12)
	assert.Len(t, last.Sum, 400)
	_, there := r.Latest(episode.ID, 11)
	assert.False(t, there)
}

// A version that is asked for while the one before is about to be stored is measured as well.
func TestNoVersionThatWasAskedForIsLost(t *testing.T) {
	r := open(t, dbtest.New(t), t.TempDir())
	episode, _ := r.talked(t)
	r.measured(t, episode.ID, 1)
	for version := int64(1); version < 40; version++ {
		fader := -audio.DB(version) / 10
		_, err := r.store.Edit(t.Context(), episode.ID, version, "", edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t2", Fader: &fader}}})
		require.NoError(t, err)
		r.Ask(episode.ID, version+1)
		if version%4 > 0 { // the next edit comes when the measurement is at hand, and has not been stored yet
			ctx, stop := context.WithTimeout(t.Context(), time.Minute)
			_, there := r.Await(ctx, episode.ID, version+1)
			stop()
			require.True(t, there)
		}
	}
	require.Eventually(t, func() bool { // without being asked for again
		_, there := r.Latest(episode.ID, 40)
		row, err := r.store.Episode(t.Context(), episode.ID)
		return there && err == nil && row.LoudnessVersion == 40
	}, time.Minute, 5*time.Millisecond)
}

// What is measured of an episode that is removed is given up: there is one measurement at a time, and others wait for it.
func TestWhatIsNoMoreIsNotMeasured(t *testing.T) {
	r := open(t, dbtest.New(t), t.TempDir())
	episode, voice := r.talked(t)
	none := session.Fade{Shape: session.Linear}
	row := edit.Row{Name: "Voice", Part: session.Voice}
	for at := range audio.Frames(400) {
		row.Clips = append(row.Clips, session.Clip{Name: "Voice", Sound: voice, Start: at * 8 * audio.Second, Length: 8 * audio.Second, FadeIn: none, FadeOut: none})
	}
	_, err := r.store.Edit(t.Context(), episode.ID, 1, "", edit.PasteClips{Fragment: edit.Fragment{Length: 3200 * audio.Second, Rows: []edit.Row{row}}, At: 60 * audio.Second, Track: "t1"})
	require.NoError(t, err)
	r.Ask(episode.ID, 2)
	require.Eventually(t, func() bool { return r.sounds.Mapped() > 0 }, time.Minute, time.Millisecond)
	r.Forget(episode.ID)
	require.Eventually(t, func() bool {
		r.plans.ForgetIdle()
		return r.sounds.Mapped() == 0
	}, time.Minute, time.Millisecond)
	_, there := r.Latest(episode.ID, 2)
	assert.False(t, there, "it was not measured to its end")
}
