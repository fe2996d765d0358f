package server_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/session"
	"ruvel/internal/archive"
	"ruvel/internal/backup"
	"ruvel/internal/episodes"
	"ruvel/internal/work"
	"ruvel/testkit"
)

// archivesOf are the archives in a folder that are of an episode of a title.
func archivesOf(t *testing.T, folder, title string) (out []string) {
	t.Helper()
	all, err := filepath.Glob(filepath.Join(folder, "*"))
	require.NoError(t, err)
	for _, path := range all {
		if strings.HasSuffix(path, ".zip") && strings.Contains(path, title) {
			out = append(out, path)
		}
		require.NotContains(t, path, ".part", "nothing half-made is left")
	}
	return out
}

func TestABackupKeepsWhatHasChangedAndRemovesNothing(t *testing.T) {
	show, episode := newEpisode(t)
	title := "Kept by the clock"
	want[any](t, "PATCH", "/episodes/"+episode, map[string]any{"title": title})
	sound := imported(t, show, episode, "theme", testkit.Noise(2, 0.25, 2*audio.Second, 6))
	want[any](t, "POST", "/shows/"+show+"/layouts", map[string]any{"name": title + ", layout", "from": episode})
	folder := filepath.Join(t.TempDir(), "kept")
	_, err := house.Backup.Write(t.Context(), folder)
	require.NoError(t, err)
	kept := archivesOf(t, folder, title)
	require.Len(t, kept, 2, "the episode and the layout")
	again, err := house.Backup.Write(t.Context(), folder)
	require.NoError(t, err)
	assert.Zero(t, again, "nothing has changed")

	open := func() *archive.Archive {
		for _, path := range archivesOf(t, folder, title) {
			if strings.Contains(path, "layout") {
				continue
			}
			f, err := os.Open(path)
			require.NoError(t, err)
			t.Cleanup(func() { _ = f.Close() })
			info, err := f.Stat()
			require.NoError(t, err)
			a, err := archive.Open(f, info.Size())
			require.NoError(t, err)
			return a
		}
		return nil
	}
	before := len(open().Document.Markers)
	desk := want[episodes.Desk](t, "GET", "/episodes/"+episode, nil)
	want[work.ChangeEvent](t, "POST", "/episodes/"+episode+"/edits", map[string]any{"base": desk.Version, "op": map[string]any{"type": "add-marker", "at": 4800, "name": "Later"}})
	written, err := house.Backup.Write(t.Context(), folder)
	require.NoError(t, err)
	assert.Equal(t, 1, written)
	assert.Len(t, open().Document.Markers, before+1)

	// Whatever the archive holds moves the mark: also what no edit touches.
	for what, change := range map[string]func(){
		"script": func() {
			want[any](t, "PATCH", "/episodes/"+episode+"/script", map[string]any{"text": "The lamp is lit.", "base": 0})
		},
		"details": func() {
			want[any](t, "PATCH", "/episodes/"+episode+"/details", testkit.Revised(t, map[string]any{"description": "Of a lamp"}))
		},
		"credits": func() { want[any](t, "PATCH", "/shows/"+show+"/sounds/"+sound, map[string]any{"author": "Ada Quill"}) },
		"show": func() {
			want[any](t, "PATCH", "/shows/"+show+"/details", testkit.Revised(t, map[string]any{"presenter": "Ada Quill"}))
		},
		"name": func() { want[any](t, "PATCH", "/episodes/"+episode, map[string]any{"title": title, "number": 7}) },
	} {
		change()
		written, err := house.Backup.Write(t.Context(), folder)
		require.NoError(t, err)
		assert.GreaterOrEqual(t, written, 1, what)
		written, err = house.Backup.Write(t.Context(), folder)
		require.NoError(t, err)
		assert.Zero(t, written, what)
	}

	// An episode that is removed stays kept.
	count := len(archivesOf(t, folder, title))
	want[any](t, "DELETE", "/episodes/"+episode, nil)
	_, err = house.Backup.Write(t.Context(), folder)
	require.NoError(t, err)
	assert.Len(t, archivesOf(t, folder, title), count)

	_, err = house.Backup.Write(t.Context(), filepath.Join(kept[0], "no folder"))
	require.Error(t, err)
}

func TestTheSettingsOfAShowAreKeptAndGivenToAnother(t *testing.T) {
	show, _ := newEpisode(t)
	want[any](t, "PATCH", "/shows/"+show+"/details", testkit.Revised(t, map[string]any{"presenter": "Ada Quill", "language": "en"}))
	want[any](t, "PATCH", "/shows/"+show+"/targets", testkit.Revised(t, []session.OwnTarget{{Name: "Our own", Integrated: -18, Tolerance: 1, TruePeak: -2}}))
	settings := want[backup.ShowSettings](t, "GET", "/shows/"+show+"/settings", nil)
	want[any](t, "POST", "/shows/"+show+"/treatments", map[string]any{"name": "Keeper", "treatment": compressing()})
	want[any](t, "PATCH", "/shows/"+show+"/feed", testkit.Revised(t, map[string]any{"name": "", "description": "Of a harbour", "category": "Society"}))
	settings = want[backup.ShowSettings](t, "GET", "/shows/"+show+"/settings", nil)
	other, _ := newEpisode(t)
	settings.Details.Artwork = strings.Repeat("b", 64) // which the other does not have
	want[any](t, "PUT", "/shows/"+other+"/settings", settings)
	got := want[backup.ShowSettings](t, "GET", "/shows/"+other+"/settings", nil)
	assert.Equal(t, settings.Targets, got.Targets)
	assert.Equal(t, settings.Limits, got.Limits)
	assert.Equal(t, []string{"Ada Quill", ""}, []string{got.Details.Presenter, got.Details.Artwork})
	require.Len(t, got.Treatments, 1)
	assert.Equal(t, settings.Treatments, got.Treatments)
	require.NotNil(t, got.Feed)
	assert.Equal(t, "Of a harbour", got.Feed.Description)
	settings.Form = "ruvel.show/9"
	refused(t, 422, "PUT", "/shows/"+other+"/settings", settings)
}
