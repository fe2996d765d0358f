package running_test

import (
	"bytes"
	"context"
	"io"
	"net/http/httptest"
	"net/url"
	"os"
	"testing"
	"time"

	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/handover"
	"ruvel/internal/library"
	"ruvel/internal/running"
	"ruvel/internal/store"
	"ruvel/internal/work"
	"ruvel/testkit"
	"ruvel/testkit/dbtest"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

// aStore speaks as S3 does, on loopback.
func aStore(t *testing.T) (address string, kept *s3mem.Backend) {
	kept = s3mem.New()
	require.NoError(t, kept.CreateBucket("originals"))
	at := httptest.NewServer(gofakes3.New(kept).Server())
	t.Cleanup(at.Close)
	t.Setenv("AWS_ACCESS_KEY_ID", "harbour")
	t.Setenv("AWS_SECRET_ACCESS_KEY", "fog horn")
	t.Setenv("AWS_EC2_METADATA_DISABLED", "true")
	query := url.Values{"endpoint": {at.URL}, "region": {"eu"}, "use_path_style": {"true"}}
	return "s3://originals?" + query.Encode(), kept
}

func TestTwoProcessesWorkOnOneBucketAndHoldNothingThatMatters(t *testing.T) {
	address, kept := aStore(t)
	dsn := dbtest.New(t)
	house := func() *running.House {
		h, err := running.Start(t.Context(), running.Settings{Data: t.TempDir(), Database: dsn, Bucket: address})
		require.NoError(t, err)
		return h
	}
	ctx := t.Context()
	one := house()
	show, err := one.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	e, err := one.Store.AddEpisode(ctx, show.ID, "Fog", 1, session.New())
	require.NoError(t, err)
	file, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", testkit.Noise(2, 0.2, 3*audio.Second, 7)))
	require.NoError(t, err)
	job, err := one.Library.Receive(ctx, show.ID, library.File{Name: "Horn.wav", Part: session.Effect, Bytes: bytes.NewReader(file), Place: &work.Place{Episode: e.ID}})
	require.NoError(t, err)
	ended(ctx, t, one, job.ID)
	doc, _, err := one.Store.Document(ctx, e.ID)
	require.NoError(t, err)
	sound := doc.SoundsInOrder()[0]
	object, err := kept.GetObject("originals", sound, nil)
	require.NoError(t, err)
	original, err := io.ReadAll(object.Contents)
	require.NoError(t, err)
	assert.Equal(t, file, original, "as it came, under its own name")
	one.Close()
	assert.Error(t, one.Store.AddSound(ctx, store.Sound{}), "it is gone, with its folder")

	// Another one, with a folder of its own that has nothing in it, finishes the file.
	two := house()
	defer two.Close()
	jobs, err := two.Handover.MixDown(ctx, e.ID, handover.NewMixdowns{Files: []handover.FileWanted{{Format: "wav-16", Channels: 2}}, AsItIs: true, Overrule: true})
	require.NoError(t, err)
	ended(ctx, t, two, jobs[0].ID)
	all, err := two.Handover.Mixdowns(ctx, e.ID)
	require.NoError(t, err)
	require.Len(t, all, 1)
	_, r, err := two.Handover.Open(ctx, all[0].ID)
	require.NoError(t, err)
	defer r.Close()
	_, err = r.Seek(44, io.SeekStart) // as a player asks for a range
	require.NoError(t, err)
	samples, err := io.ReadAll(r)
	require.NoError(t, err)
	assert.Len(t, samples, int(all[0].Bytes)-44)
}

func ended(ctx context.Context, t *testing.T, h *running.House, id string) {
	t.Helper()
	require.Eventually(t, func() bool {
		j, err := h.Store.Job(ctx, id)
		require.NoError(t, err)
		require.NotEqual(t, store.Failed, j.State, "%+v", j.Problem.Of)
		return j.State == store.Done
	}, time.Minute, 10*time.Millisecond)
}

func TestABucketThatIsNoneIsSaidBeforeAnythingIsBegun(t *testing.T) {
	address, _ := aStore(t)
	u, err := url.Parse(address)
	require.NoError(t, err)
	u.Host = "elsewhere"
	for at, says := range map[string]string{"ftp://originals": "is neither", "s3://": "is neither", u.String(): "There is no bucket elsewhere"} {
		_, err := running.Start(t.Context(), running.Settings{Data: t.TempDir(), Database: dbtest.New(t), Bucket: at})
		assert.ErrorContains(t, err, says)
	}
}
