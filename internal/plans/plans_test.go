package plans_test

import (
	"context"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/internal/plans"
	"ruvel/internal/store"
	"ruvel/testkit"
	"ruvel/testkit/housetest"
)

var (
	ctx   = context.Background()
	house housetest.House
	sound store.Sound
)

func TestMain(m *testing.M) { housetest.Into(m, &house) }

// ours are plans that are given back soon.
func ours(idle time.Duration) *plans.Plans {
	return &plans.Plans{Store: house.Store, Sounds: house.Sounds, Queue: house.Queue, Idle: idle}
}

var noise sync.Once

// episode is one with a clip of noise, in a show of its own.
func episode(t *testing.T) string {
	t.Helper()
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	noise.Do(func() {
		data, err := os.Open(testkit.WriteWAV(t, "a.wav", testkit.Noise(2, 0.2, audio.Second, 3)))
		require.NoError(t, err)
		defer data.Close()
		id, size, err := house.Sounds.Put(ctx, data)
		require.NoError(t, err)
		facts, err := house.Sounds.Import(ctx, id, func(float64) {})
		require.NoError(t, err)
		sound = store.Sound{ID: id, Name: "Noise", Part: session.Music, Channels: 2, Rate: 48000, Format: "wav", Bytes: size, Length: facts.Loudness.Length}
	})
	require.NotEmpty(t, sound.ID)
	sound.Show = show.ID
	require.NoError(t, house.Store.AddSound(ctx, sound))
	doc, _, err := edit.Apply(session.New(), edit.InsertClip{Sound: sound.ID, Part: session.Music}, func(string) (session.Sound, bool) {
		return session.Sound{Channels: 2, Length: sound.Length}, true
	})
	require.NoError(t, err)
	e, err := house.Store.AddEpisode(ctx, show.ID, "The Last Fog Signal", 0, doc)
	require.NoError(t, err)
	return e.ID
}

func fader(t *testing.T, episode string, base int64, level audio.DB) {
	t.Helper()
	_, err := house.Store.Edit(ctx, episode, base, "", edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Fader: &level}}})
	require.NoError(t, err)
}

// mapped says whether the working copy of the sound is in the memory of this process.
func mapped(t *testing.T) bool {
	t.Helper()
	maps, err := os.ReadFile("/proc/self/maps")
	require.NoError(t, err)
	return strings.Contains(string(maps), sound.ID)
}

func TestTheSameVersionIsCompiledOnceForAllWhoWantItAtOnce(t *testing.T) {
	e, p := episode(t), ours(time.Minute)
	defer p.ForgetIdle()
	var all sync.WaitGroup
	leases := make([]*plans.Lease, 20)
	for i := range leases {
		all.Go(func() {
			var err error
			leases[i], err = p.Current(ctx, e, 1)
			assert.NoError(t, err)
		})
	}
	all.Wait()
	for _, l := range leases {
		require.NotNil(t, l)
		assert.Same(t, leases[0].Plan, l.Plan)
		l.Close()
		l.Close() // a second time does nothing
	}
}

func TestAPlanIsOpenAsLongAsSomebodyRendersItAndGoesAWhileLater(t *testing.T) {
	e, p := episode(t), ours(20*time.Millisecond)
	old, err := p.Current(ctx, e, 1)
	require.NoError(t, err)
	fader(t, e, 1, -6)
	now, err := p.Current(ctx, e, 2)
	require.NoError(t, err)
	assert.Equal(t, []int64{1, 2}, []int64{old.Version, now.Version}, "who renders the version before goes on with it")
	assert.True(t, mapped(t))
	p.Forget(e) // while it is rendered
	assert.True(t, mapped(t))
	old.Close()
	now.Close()
	require.Eventually(t, func() bool { return !mapped(t) }, time.Minute, 5*time.Millisecond, "the working copy is given back")
	again, err := p.Current(ctx, e, 2)
	require.NoError(t, err)
	again.Close()
	require.Eventually(t, func() bool { return !mapped(t) }, time.Minute, 5*time.Millisecond)
}

func TestAVersionThatIsOnItsWayIsWaitedForAndOneThatDoesNotComeIsNot(t *testing.T) {
	e, p := episode(t), ours(time.Minute)
	defer p.ForgetIdle()
	come := make(chan *plans.Lease)
	go func() {
		l, err := p.Current(ctx, e, 2)
		assert.NoError(t, err)
		come <- l
	}()
	fader(t, e, 1, -6)
	house.Queue.Changed(e, store.Change{Version: 2})
	l := <-come
	assert.Equal(t, int64(2), l.Version)
	l.Close()
	l, err := p.Current(ctx, e, 99)
	require.NoError(t, err)
	assert.Equal(t, int64(2), l.Version, "whatever there is")
	l.Close()
	gone, cancel := context.WithCancel(ctx)
	cancel()
	_, err = p.Current(gone, e, 99)
	assert.Error(t, err)
	_, err = p.Current(ctx, store.NewID(), 1)
	assert.True(t, store.IsNotFound(err))
}

func TestWhatIsTriedAndWhatIsPastLeaveTheCurrentPlanAlone(t *testing.T) {
	e, p := episode(t), ours(time.Minute)
	fader(t, e, 1, -6)
	now, err := p.Current(ctx, e, 2)
	require.NoError(t, err)
	level := audio.DB(-20)
	tried, doc, err := p.Tried(ctx, e, edit.SetTracks{Tracks: []edit.TrackChange{{Track: "t1", Fader: &level}}})
	require.NoError(t, err)
	assert.Equal(t, level, doc.Tracks[0].Fader)
	past, doc, err := p.Past(ctx, e, plans.Past{Step: 0})
	require.NoError(t, err)
	assert.Equal(t, audio.DB(0), doc.Tracks[0].Fader)
	without, err := p.Without(ctx, e, "t1")
	require.NoError(t, err)
	for _, l := range []*plans.Lease{tried, past, without} {
		assert.NotSame(t, now.Plan, l.Plan)
		l.Close()
	}
	same, err := p.Current(ctx, e, 2)
	require.NoError(t, err)
	assert.Same(t, now.Plan, same.Plan)
	same.Close()
	now.Close()
	_, version, err := house.Store.Document(ctx, e)
	require.NoError(t, err)
	assert.Equal(t, int64(2), version, "nothing has changed")
	p.ForgetIdle()
	assert.False(t, mapped(t))
}
