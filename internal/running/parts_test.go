package running_test

import (
	"bytes"
	"io"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/handover"
	"ruvel/internal/library"
	"ruvel/internal/running"
	"ruvel/internal/work"
	"ruvel/testkit"
	"ruvel/testkit/dbtest"
)

// partsOf is how many parts a process says that it has made.
func partsOf(t *testing.T, h *running.House) int {
	t.Helper()
	const name = "ruvel_parts_total"
	all, err := h.Watch.Gatherer().Gather()
	require.NoError(t, err)
	for _, f := range all {
		if f.GetName() == name {
			return int(f.GetMetric()[0].GetCounter().GetValue())
		}
	}
	return 0
}

func TestAMixdownIsMadeByAllProcessesAndByThoseThatAreLeftAndIsTheOneThatOneMakes(t *testing.T) {
	address, _ := aStore(t)
	dsn, ctx := dbtest.New(t), t.Context()
	house := func() *running.House {
		h, err := running.Start(ctx, running.Settings{Data: t.TempDir(), Database: dsn, Bucket: address})
		require.NoError(t, err)
		return h
	}
	one := house()
	defer one.Close()
	show, err := one.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	e, err := one.Store.AddEpisode(ctx, show.ID, "Fog", 1, session.New())
	require.NoError(t, err)
	file, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", testkit.Noise(1, 0.2, 280*audio.Second, 7)))
	require.NoError(t, err)
	job, err := one.Library.Receive(ctx, show.ID, library.File{Name: "Fog.wav", Part: session.Voice, Bytes: bytes.NewReader(file), Place: &work.Place{Episode: e.ID}})
	require.NoError(t, err)
	ended(ctx, t, one, job.ID)
	mixed := func() []byte {
		jobs, err := one.Handover.MixDown(ctx, e.ID, handover.NewMixdowns{Files: []handover.FileWanted{{Format: "mp3", Channels: 2, Rate: 48000}}, Overrule: true})
		require.NoError(t, err)
		ended(ctx, t, one, jobs[0].ID)
		_, r, err := one.Handover.Open(ctx, jobs[0].ID)
		require.NoError(t, err)
		defer r.Close()
		data, err := io.ReadAll(r)
		require.NoError(t, err)
		return data
	}
	alone := mixed()
	require.Zero(t, partsOf(t, one), "there is nobody to share it with")

	two, three := house(), house()
	defer two.Close()
	require.Eventually(t, func() bool { return one.Worker.Company() == 3 }, time.Minute, 10*time.Millisecond)
	together := mixed()
	assert.True(t, bytes.Equal(alone, together), "%d bytes and %d", len(alone), len(together))
	made := []int{partsOf(t, one), partsOf(t, two), partsOf(t, three)}
	sum := made[0] + made[1] + made[2]
	assert.GreaterOrEqual(t, sum, 1+4, "one that is measured, four of the file")
	assert.Less(t, max(made[0], made[1], made[2]), sum, "not by one of them alone: %v", made)
	left, err := one.Worker.Parts.Things(ctx)
	require.NoError(t, err)
	assert.Empty(t, left, "what was made of parts is taken away")

	// One of them ends while it makes some.
	go three.Close()
	assert.True(t, bytes.Equal(alone, mixed()))
}
