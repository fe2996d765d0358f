package running_test

import (
	"bytes"
	"context"
	"io"
	"net/http/httptest"
	"net/url"
	"os"
	"slices"
	"testing"
	"time"

	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/internal/handover"
	"ruvel/internal/library"
	"ruvel/internal/running"
	"ruvel/internal/store"
	"ruvel/internal/takes"
	"ruvel/internal/uploads"
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

// A take and a file are begun at one process, and gone on with and finished at another, which has a folder of its own.
func TestWhatArrivesInPiecesAtOneProcessIsFinishedByAnother(t *testing.T) {
	address, _ := aStore(t)
	dsn, first := dbtest.New(t), t.TempDir()
	house := func(data, bucket string) *running.House {
		h, err := running.Start(t.Context(), running.Settings{Data: data, Database: dsn, Bucket: bucket})
		require.NoError(t, err)
		return h
	}
	ctx := t.Context()
	one := house(first, "") // alone at first, so that what it has taken in lies in its own folder
	show, err := one.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	e, err := one.Store.AddEpisode(ctx, show.ID, "Fog", 1, session.New())
	require.NoError(t, err)
	_, err = one.Store.Edit(ctx, e.ID, 1, "", edit.AddTrack{Part: session.Voice})
	require.NoError(t, err)
	take, err := one.Takes.Begin(ctx, e.ID, takes.NewTake{Track: "t1", Rate: 48000, Channels: 1})
	require.NoError(t, err)
	whole := testkit.Noise(1, 0.2, 3*audio.Second, 5)
	seconds := slices.Collect(slices.Chunk(testkit.Interleave(whole), 4*audio.Rate))
	require.NoError(t, one.Takes.Keep(ctx, take.ID, 0, bytes.NewReader(seconds[0])))
	file, err := os.ReadFile(testkit.WriteWAV(t, "a.wav", testkit.Noise(2, 0.2, 3*audio.Second, 8)))
	require.NoError(t, err)
	info := uploads.Announced{ID: store.NewID(), Size: int64(len(file)), MetaData: map[string]string{"filename": "Fog.wav", "show": show.ID}}
	require.NoError(t, one.Uploads.Begin(ctx, info))
	_, err = one.Worker.Uploads.Write(ctx, info.ID, 0, bytes.NewReader(file[:100_000]))
	require.NoError(t, err)
	one.Close()

	one = house(first, address) // which brings to the bucket what lies in the folder
	defer one.Close()
	two := house(t.TempDir(), address)
	defer two.Close()
	require.NoError(t, two.Takes.Keep(ctx, take.ID, 1, bytes.NewReader(seconds[1])))
	require.NoError(t, one.Takes.Keep(ctx, take.ID, 2, bytes.NewReader(seconds[2])))
	job, err := two.Takes.Finish(ctx, take.ID, takes.TakeEnding{Chunks: 3})
	require.NoError(t, err)
	ended(ctx, t, two, job.ID)
	recorded, err := two.Store.Take(ctx, take.ID)
	require.NoError(t, err)
	assert.Equal(t, whole.Length(), recorded.Length)

	_, come, err := two.Uploads.Find(ctx, info.ID)
	require.NoError(t, err)
	require.Equal(t, int64(100_000), come)
	_, err = two.Worker.Uploads.Write(ctx, info.ID, come, bytes.NewReader(file[come:]))
	require.NoError(t, err)
	require.NoError(t, one.Uploads.Arrived(ctx, info))
	ended(ctx, t, one, info.ID)
	assert.Eventually(t, func() bool {
		left, err := two.Worker.Uploads.Come(ctx, info.ID)
		return err == nil && left == 0
	}, time.Minute, 10*time.Millisecond)
	_, come, err = two.Uploads.Find(ctx, info.ID)
	require.NoError(t, err)
	assert.Equal(t, info.Size, come, "who has not heard that all of it came is told so")
	sounds, err := two.Store.Sounds(ctx, show.ID)
	require.NoError(t, err)
	assert.Len(t, sounds, 2)
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
