package e2e

import (
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/session"
	"ruvel/internal/demo"
	"ruvel/internal/finish"
	"ruvel/internal/handover"
	"ruvel/internal/store"
)

// pressMixDown presses the button, and once more all the same if the check has something to say.
func pressMixDown(w *Window) {
	w.t.Helper()
	w.Until(`document.querySelector("aside .name")`)
	before := Eval[int](w, `document.querySelectorAll("aside .row, aside audio").length`)
	w.Press("Mix down")
	w.Until(fmt.Sprintf(`document.querySelector(".must") || document.querySelectorAll("aside .row, aside audio").length > %d`, before))
	if Eval[bool](w, `document.querySelector(".must") !== null`) {
		w.Press("Mix down all the same")
	}
}

// handIn chooses a file for a field.
func handIn(w *Window, label, path string) {
	w.t.Helper()
	w.Do(chromedp.SetUploadFiles(fmt.Sprintf(`input[aria-label=%q]`, label), []string{path}))
}

// photo is a JPEG file.
func photo(t *testing.T, width, height int) string {
	t.Helper()
	img := image.NewRGBA(image.Rect(0, 0, width, height))
	for y := range height {
		for x := range width {
			img.SetRGBA(x, y, color.RGBA{uint8(x * 255 / width), uint8(y * 255 / height), 120, 255})
		}
	}
	path := filepath.Join(t.TempDir(), "photo.jpg")
	f, err := os.Create(path)
	require.NoError(t, err)
	require.NoError(t, jpeg.Encode(f, img, nil))
	require.NoError(t, f.Close())
	return path
}

func TestAnEpisodeIsHandedOverAsAnMP3WithChaptersAndAPicture(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := copyOf(w, demo.EpisodeTitle, "To be handed over", nil)
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length > 0`)
	w.Press("Hand over")
	w.Press("Details")
	w.Until(`document.querySelector("#details-presenter")?.placeholder === "Ada Quill"`)
	w.Type("#details-guests", "Odd Marlow, Ines Sund")
	w.Type("#details-language", "not a tag")
	w.UntilText("is no language tag")
	assert.Equal(t, "not a tag", Eval[string](w, `document.querySelector("#details-language").value`), "what was typed is not lost")
	w.Type("#details-language", "de")
	w.Until(`!document.querySelector(".field .alarm")`)
	w.Press("Take in the credits of the sounds")
	w.Until(`document.querySelector("#details-credits").value.includes("Skerrow Point")`)

	small := photo(t, 800, 800)
	handIn(w, "Picture file for the artwork", small)
	w.UntilText("each side needs at least 1400")
	handIn(w, "Picture file for the artwork", photo(t, 1800, 1500))
	w.UntilText("1500 × 1500 pixels, cropped to a square")
	w.Type(`[aria-label="Link of Interview"]`, "https://example.org/keeper")
	d := untilKept(w, episode, func(d session.Document) bool {
		for _, m := range d.Markers {
			if m.Link != "" {
				return true
			}
		}
		return false
	})
	chapters := 0
	for _, m := range d.Markers {
		if m.Chapter {
			chapters++
		}
	}

	w.Press("Files")
	w.UntilText("already; the limiter has nothing to do")
	choose(w, "Quality", "Usual")
	dir := t.TempDir()
	w.DownloadsTo(dir)
	w.Press("Mix down")
	w.Until(`document.querySelectorAll("aside audio").length === 1`)
	row := Eval[string](w, `document.querySelector("aside li").innerText`)
	assert.Contains(t, row, "MP3, 128 kbit/s, stereo, 48 kHz")
	assert.Contains(t, row, "Podcast, stereo: meets the target")
	assert.Contains(t, row, "Harbour Hours - ")
	w.Click("aside li a[download]")
	path := waitForFile(t, dir)
	course, err := finish.Listen(t.Context(), path, 0, func(float64) {})
	require.NoError(t, err)
	assert.InDelta(t, -16, course.Loudness().Integrated, 0.1)
	assert.LessOrEqual(t, course.Loudness().TruePeak, -1.0)
	out, err := exec.Command("ffprobe", "-v", "error", "-show_format", "-show_chapters", "-show_streams", "-of", "json", path).Output()
	require.NoError(t, err)
	var read struct {
		Chapters []struct{ Tags map[string]string }
		Streams  []struct {
			Codec string `json:"codec_name"`
			Width int
		}
		Format struct{ Tags map[string]string }
	}
	require.NoError(t, json.Unmarshal(out, &read))
	require.Len(t, read.Chapters, chapters)
	assert.Equal(t, "Theme", read.Chapters[0].Tags["title"])
	assert.Equal(t, "To be handed over", read.Format.Tags["title"])
	assert.Equal(t, "Odd Marlow, Ines Sund", read.Format.Tags["GUESTS"])
	assert.Contains(t, read.Format.Tags["CREDITS"], "Skerrow Point")
	require.Len(t, read.Streams, 2)
	assert.Equal(t, 1500, read.Streams[1].Width, "the artwork")

	// It says what has changed since, and opens its session again.
	w.Press("Arrange")
	before := desk(t, episode).Document
	w.Press("Balance")
	w.Type(`[aria-label="Fader of Presenter in dB"]`, "-3")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Fader == -3 })
	w.Press("Hand over")
	w.Press("What has changed since")
	w.UntilText("One step since this file was made.")
	w.Press("Open that session again")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Fader == before.Tracks[0].Fader })
	w.Press("Undo")
	untilKept(w, episode, func(d session.Document) bool { return d.Tracks[0].Fader == -3 })
}

func TestSeveralFormatsAtOnceAndWhatMustBeMendedIsSaidFirst(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := copyOf(w, demo.RoughTitle, "Several at once", nil)
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length > 0`)
	w.Press("Hand over")
	w.Until(`document.querySelector("aside .name")`)
	w.Press("Mix down")
	w.UntilText("must be mended first")
	w.Press("Show it in Check")
	w.Until(`document.querySelector("[data-kind]")`)
	w.Press("Hand over")
	w.Press("Another format")
	choose(w, "Format 2", "Stems")
	choose(w, "Format", "FLAC, 16 bit")
	w.Press("Mix down")
	w.UntilText("must be mended first")
	w.Press("Mix down all the same")
	w.Until(`document.querySelectorAll("aside li strong").length === 2`)
	list := get[[]handover.Mixdown](t, "/api/episodes/"+episode+"/mixdowns")
	var names []string
	for _, m := range list {
		names = append(names, m.File)
		assert.InDelta(t, -16, m.Loudness.Integrated, 0.1)
	}
	assert.Contains(t, strings.Join(names, "\n"), " - stems.zip")
	assert.Equal(t, 1, Eval[int](w, `document.querySelectorAll("aside audio").length`), "an archive is not played")

	// A target of the show, to begin with.
	choose(w, "Target", "A target of this show")
	w.Click("#own-name")
	w.Do(chromedp.KeyEvent("Night programme"))
	w.Type("#own-loudness", "-27") // which confirms it
	untilKept(w, episode, func(d session.Document) bool { return d.Target == session.Own && d.Own.Integrated == -27 })
	w.UntilText("to reach −27.0 LUFS")
}

func TestAWholeEpisodeIsKeptInOneFileAndOpenedAgain(t *testing.T) {
	t.Parallel()
	w := OpenWindow(t, base)
	episode := copyOf(w, demo.EpisodeTitle, "To be kept", nil)
	w.Go("/episodes/" + episode)
	w.Until(`document.querySelectorAll(".clip").length > 0`)
	w.Press("Hand over")
	dir := t.TempDir()
	w.DownloadsTo(dir)
	w.Click(`aside a[href$="/archive"]`)
	path := waitForFile(t, dir)
	assert.True(t, strings.HasSuffix(path, "To be kept - archive.zip"), path)
	w.Press("Gather")
	w.Do(chromedp.SetUploadFiles("[data-files]", []string{path}))
	w.UntilText("is an episode of its own now")
	e, err := house.Store.Episode(t.Context(), episode)
	require.NoError(t, err)
	all, err := house.Store.Episodes(t.Context(), e.Show)
	require.NoError(t, err)
	opened := slices.DeleteFunc(all, func(other store.Episode) bool { return other.Title != "To be kept" || other.ID <= episode }) // ids grow
	require.Len(t, opened, 1)
	assert.True(t, string(desk(t, episode).Document.JSON()) == string(desk(t, opened[0].ID).Document.JSON()), "the same document")
}
