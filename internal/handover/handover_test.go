package handover_test

import (
	"context"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/loudness"
	"ruvel/core/review"
	"ruvel/core/session"
	"ruvel/internal/handover"
	"ruvel/internal/media"
	"ruvel/internal/store"
	"ruvel/internal/work"
	"ruvel/testkit"
	"ruvel/testkit/housetest"
)

var (
	ctx   = context.Background()
	house housetest.House
)

func TestMain(m *testing.M) { housetest.Into(m, &house) }

// found is a handover for which the check finds so much.
func found(all ...review.Finding) *handover.Handover {
	h := *house.Handover
	h.Check = func(context.Context, string, int64) ([]review.Finding, error) { return all, nil }
	return &h
}

// made is an episode of three seconds.
func made(t *testing.T) string {
	t.Helper()
	show, err := house.Store.AddShow(ctx, "Harbour Hours")
	require.NoError(t, err)
	e, _ := house.Placed(t, show.ID, "The Last Fog Signal", session.Voice, testkit.Noise(1, 0.2, 3*audio.Second, 3))
	return e.ID
}

// chaptered gives an episode chapters that begin at some seconds.
func chaptered(t *testing.T, episode string, seconds ...float64) {
	t.Helper()
	for _, at := range seconds {
		_, version, err := house.Store.Document(ctx, episode)
		require.NoError(t, err)
		_, err = house.Store.Edit(ctx, episode, version, "", edit.AddMarker{At: audio.Seconds(at), Name: "Part", Chapter: true})
		require.NoError(t, err)
	}
}

// arguments are those of jobs.
func arguments(t *testing.T, jobs []store.Job) (out []work.MixdownArguments) {
	t.Helper()
	for _, j := range jobs {
		var a work.MixdownArguments
		require.NoError(t, json.Unmarshal(j.Arguments.Of, &a))
		out = append(out, a)
	}
	return out
}

func TestFilesAreOrderedByFormatAndChapterWithTheirTarget(t *testing.T) {
	e, h := made(t), found()
	files := []handover.FileWanted{{Format: "wav-24"}, {Format: "flac"}}
	_, err := h.MixDown(ctx, e, handover.NewMixdowns{Files: files, Chapters: true})
	assert.Equal(t, "no-chapters", testkit.Code(t, err))
	_, err = h.MixDown(ctx, e, handover.NewMixdowns{Files: files, From: 3 * audio.Second})
	assert.Equal(t, "nothing-to-mix", testkit.Code(t, err))
	_, err = h.MixDown(ctx, e, handover.NewMixdowns{Files: []handover.FileWanted{{Format: "cylinder"}}})
	require.Error(t, err)

	chaptered(t, e, 0, 2)
	jobs, err := h.MixDown(ctx, e, handover.NewMixdowns{Files: files, Chapters: true})
	require.NoError(t, err)
	all := arguments(t, jobs)
	require.Len(t, all, 4)
	for i, a := range all {
		assert.Equal(t, []string{"wav-24", "wav-24", "flac", "flac"}[i], a.Format)
		assert.Equal(t, []audio.Frames{0, 2 * audio.Second}[i%2], a.From)
		assert.Equal(t, []audio.Frames{2 * audio.Second, 3 * audio.Second}[i%2], a.To)
		assert.Equal(t, &session.Span{To: 3 * audio.Second}, a.Of, "as loud as each is in the show")
		require.NotNil(t, a.Target)
		assert.Equal(t, loudness.Targets()[0].Name, a.Target.Name)
		assert.Equal(t, a.File, jobs[i].Name)
	}
	jobs, err = h.MixDown(ctx, e, handover.NewMixdowns{Files: files[:1], Chapters: true, ByItself: true})
	require.NoError(t, err)
	assert.Nil(t, arguments(t, jobs)[0].Of)
	jobs, err = h.MixDown(ctx, e, handover.NewMixdowns{Files: files[:1], From: audio.Second, To: 99 * audio.Second, AsItIs: true})
	require.NoError(t, err)
	one := arguments(t, jobs)[0]
	assert.Nil(t, one.Target)
	assert.Equal(t, []any{audio.Second, 3 * audio.Second, "Harbour Hours - 07 - The Last Fog Signal - part.wav"}, []any{one.From, one.To, one.File})
}

func TestWhatMustBeMendedIsSaidFirst(t *testing.T) {
	e := made(t)
	must := func(kind, text string) review.Finding {
		return review.Finding{Kind: kind, Weight: review.Must, Text: text}
	}
	aside := must("clipped", "It is clipped, and that is known.")
	aside.Aside = true
	brought := review.Finding{Kind: "loudness", Weight: review.Look, Text: "It is too faint."}
	h := found(brought, aside, review.Finding{Kind: "dead-air", Weight: review.Should, Text: "Nothing is heard."})
	wanted := handover.NewMixdowns{Files: []handover.FileWanted{{Format: "wav-24"}}}
	_, err := h.MixDown(ctx, e, wanted)
	require.NoError(t, err, "bringing it to the target mends its loudness")
	wanted.AsItIs = true
	_, err = h.MixDown(ctx, e, wanted)
	assert.Equal(t, "must-mend", testkit.Code(t, err))
	assert.ErrorContains(t, err, "It is too faint.")
	wanted.Overrule = true
	_, err = h.MixDown(ctx, e, wanted)
	require.NoError(t, err)

	wav, err := media.Set("wav-24", "", 0, 0)
	require.NoError(t, err)
	ahead, err := h.Ahead(ctx, e, handover.Stretch{AsItIs: true}, []media.Setting{wav})
	require.NoError(t, err)
	assert.Equal(t, []string{"It is too faint."}, ahead.Musts)
	assert.Equal(t, []string{"Harbour Hours - 07 - The Last Fog Signal"}, ahead.Names)
	assert.Equal(t, []int64{wav.Size(3 * audio.Second)}, ahead.Sizes)
	assert.Nil(t, ahead.Instead)
	ahead, err = h.Ahead(ctx, e, handover.Stretch{From: audio.Second}, nil)
	require.NoError(t, err)
	assert.Empty(t, ahead.Musts)
	assert.Empty(t, ahead.Sizes)

	h = found(must("loudness", "It is so faint that no gain brings it to the target."))
	_, err = h.MixDown(ctx, e, handover.NewMixdowns{Files: wanted.Files})
	assert.Equal(t, "must-mend", testkit.Code(t, err), "what handing over cannot mend is a must there as well")

	h.Check = func(context.Context, string, int64) ([]review.Finding, error) { return nil, io.ErrUnexpectedEOF }
	_, err = h.MixDown(ctx, e, handover.NewMixdowns{Files: wanted.Files})
	require.ErrorIs(t, err, io.ErrUnexpectedEOF, "what could not be checked is not made")
}

func TestAFinishedFileIsListedCopiedTakenInSentAndRemoved(t *testing.T) {
	e, h := made(t), found()
	h.Folder = t.TempDir()
	jobs, err := h.MixDown(ctx, e, handover.NewMixdowns{Files: []handover.FileWanted{{Format: "wav-24"}, {Format: "stems"}}, AsItIs: true})
	require.NoError(t, err)
	for _, j := range jobs {
		require.Equal(t, store.Done, house.Ended(t, j.ID).State)
	}
	all, err := h.Mixdowns(ctx, e)
	require.NoError(t, err)
	require.Len(t, all, 2)
	byFormat := map[string]handover.Mixdown{}
	for _, m := range all {
		byFormat[m.Format] = m
	}
	file, stems := byFormat["wav-24"], byFormat["stems"]
	assert.True(t, file.Plays && file.Reopens && !stems.Plays)
	assert.Equal(t, "", file.Target)

	since, err := h.Since(ctx, file.ID)
	require.NoError(t, err)
	assert.True(t, since.Same)
	chaptered(t, e, 1)
	since, err = h.Since(ctx, file.ID)
	require.NoError(t, err)
	assert.Equal(t, []any{false, "One step since this file was made.", 1}, []any{since.Same, since.Text, len(since.Steps)})
	_, err = h.Reopen(ctx, file.ID)
	require.NoError(t, err)
	doc, _, err := house.Store.Document(ctx, e)
	require.NoError(t, err)
	assert.Empty(t, doc.Markers)

	// Copied twice it is there twice, and what is sent is what was asked for.
	for _, want := range []string{file.File, "Harbour Hours - 07 - The Last Fog Signal (2).wav"} {
		name, err := h.Copy(ctx, file.ID)
		require.NoError(t, err)
		assert.Equal(t, want, name)
		info, err := os.Stat(filepath.Join(h.Folder, name))
		require.NoError(t, err)
		assert.Equal(t, file.Bytes, info.Size())
	}
	h.Folder = ""
	_, err = h.Copy(ctx, file.ID)
	assert.Equal(t, "no-folder", testkit.Code(t, err))
	_, err = h.Send(ctx, file.ID, "nowhere", "")
	assert.Equal(t, "unknown-host", testkit.Code(t, err))
	_, err = h.Send(ctx, file.ID, h.Hosts()[0].Key, "by pigeon")
	assert.Equal(t, "unknown-way", testkit.Code(t, err))
	sent, err := h.Send(ctx, file.ID, h.Hosts()[0].Key, "")
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		list, err := h.Sendings(ctx, e)
		return err == nil && len(list) == 1 && list[0].ID == sent.ID && list[0].State == store.SendingSent
	}, time.Minute, 10*time.Millisecond)

	_, err = h.TakeIn(ctx, stems.ID)
	assert.Equal(t, "no-sound", testkit.Code(t, err))
	job, err := h.TakeIn(ctx, file.ID)
	require.NoError(t, err)
	assert.Equal(t, store.Done, house.Ended(t, job.ID).State)

	require.NoError(t, h.Remove(ctx, file.ID))
	_, _, err = h.Open(ctx, file.ID)
	assert.True(t, store.IsNotFound(err))
	assert.True(t, store.IsNotFound(h.Remove(ctx, file.ID)))
	m, err := house.Store.Mixdown(ctx, stems.ID)
	require.NoError(t, err)
	require.NoError(t, house.Bucket.Delete(ctx, work.MixdownKey(m)))
	_, _, err = h.Open(ctx, stems.ID)
	assert.Equal(t, "file-missing", testkit.Code(t, err))
}

func TestAFileInMonoIsProposedTheTargetThatIsForIt(t *testing.T) {
	e := made(t)
	h := found()
	for _, c := range []struct {
		channels []int
		want     *handover.Instead
	}{
		{[]int{1, 1}, &handover.Instead{Target: "podcast-mono", Name: "Podcast, mono", Text: "“Podcast, stereo” is for files in stereo: one in mono sounds as loud at −19 LUFS."}},
		{[]int{2}, nil},
		{[]int{1, 2}, nil},
		{nil, nil},
	} {
		var files []media.Setting
		for _, channels := range c.channels {
			set, err := media.Set("mp3", "", 0, channels)
			require.NoError(t, err)
			files = append(files, set)
		}
		ahead, err := h.Ahead(ctx, e, handover.Stretch{}, files)
		require.NoError(t, err)
		assert.Equal(t, c.want, ahead.Instead, "%v", c.channels)
	}
}
