package uploads_test

import (
	"bytes"
	"context"
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/problem"
	"ruvel/internal/store"
	"ruvel/internal/uploads"
	"ruvel/testkit"
	"ruvel/testkit/housetest"
)

var house housetest.House

func TestMain(m *testing.M) { housetest.Into(m, &house) }

func TestOnlyWhatIsRightlyAnnouncedMayCome(t *testing.T) {
	ctx := context.Background()
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	good := func() uploads.Announced {
		return uploads.Announced{ID: store.NewID(), Size: 9, MetaData: map[string]string{"filename": "Fog.wav", "show": show.ID}}
	}
	require.NoError(t, house.Uploads.Admit(ctx, good()))
	for want, spoil := range map[string]func(*uploads.Announced){
		"bad-upload":           func(a *uploads.Announced) { a.MetaData["filename"] = "" },
		"bad-upload of a part": func(a *uploads.Announced) { a.MetaData["part"] = "drums" },
		"bad-upload of a show": func(a *uploads.Announced) { a.MetaData["show"] = "../x" },
		"bad-upload of what":   func(a *uploads.Announced) { a.MetaData["replaces"] = "x" },
		"bad-upload of where":  func(a *uploads.Announced) { a.MetaData["episode"] = "x" },
		"bad-upload of a size": func(a *uploads.Announced) { a.SizeIsDeferred = true },
		"not-found":            func(a *uploads.Announced) { a.MetaData["show"] = store.NewID() },
		"empty-file":           func(a *uploads.Announced) { a.Size = 0 },
		"too-large":            func(a *uploads.Announced) { a.Size = house.Uploads.Most + 1 },
	} {
		a := good()
		spoil(&a)
		var p problem.Problem
		require.ErrorAs(t, house.Uploads.Admit(ctx, a), &p, want)
		assert.Contains(t, want, p.Code)
		assert.NotEmpty(t, p.Message)
	}
}

func TestUnfinishedUploadsOfAShowAreBounded(t *testing.T) {
	ctx := context.Background()
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	other, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	note := func(show string) uploads.Announced {
		return uploads.Announced{ID: store.NewID(), Size: 9, MetaData: map[string]string{"filename": "Fog.wav", "show": show}}
	}
	var coming []string
	for range 200 {
		info := note(show.ID)
		require.NoError(t, house.Uploads.Begin(ctx, info))
		coming = append(coming, info.ID)
	}
	var p problem.Problem
	require.ErrorAs(t, house.Uploads.Admit(ctx, note(show.ID)), &p)
	assert.Equal(t, "too-many-uploads", p.Code)
	require.NoError(t, house.Uploads.Admit(ctx, note(other.ID)), "another show's may come")
	for _, id := range coming {
		require.NoError(t, house.Worker.RemoveUpload(ctx, id))
	}
	require.NoError(t, house.Uploads.Admit(ctx, note(show.ID)))
}

// Who has sent all of a file is not asked for it again: where its last answer met a database that was away, it is taken up soon.
func TestAWholeFileWhoseEndMetADeadDatabaseIsTakenUpSoon(t *testing.T) {
	ctx := context.Background()
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	data, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", testkit.Noise(1, 0.3, 48000, 4)))
	require.NoError(t, err)
	info := uploads.Announced{ID: store.NewID(), Size: int64(len(data)), MetaData: map[string]string{"filename": "Fog.wav", "show": show.ID}}
	require.NoError(t, house.Uploads.Begin(ctx, info))
	_, err = house.Worker.Uploads.Write(ctx, info.ID, 0, bytes.NewReader(data))
	require.NoError(t, err)
	away, gone := context.WithCancel(ctx)
	gone()
	require.Error(t, house.Uploads.Arrived(away, info))
	begun := time.Now()
	require.Eventually(t, func() bool {
		job, err := house.Store.Job(ctx, info.ID)
		return err == nil && job.State == store.Done
	}, time.Minute, 10*time.Millisecond)
	assert.Less(t, time.Since(begun), 15*time.Second, "not only when it is looked the next time")
}
