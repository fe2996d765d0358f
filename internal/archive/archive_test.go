package archive_test

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/archive"
)

func idOf(data string) string {
	sum := sha256.Sum256([]byte(data))
	return hex.EncodeToString(sum[:])
}

const voice, theme, cover = "a voice, as it was recorded", "a theme", "a picture"

// episode is a small one with two sounds and a picture, none of which is what it says; archives do not look inside them.
func episode() (archive.Manifest, session.Document) {
	doc := session.New()
	doc.Sounds[idOf(voice)] = session.Sound{Channels: 1, Length: audio.Second}
	doc.Tracks = append(doc.Tracks, session.Track{ID: "t1", Name: "Presenter", Part: session.Voice, Clips: map[string]session.Clip{
		"c2": {Name: "Link", Sound: idOf(voice), Length: audio.Second, FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear}},
	}})
	doc.Next = 3
	return archive.Manifest{
		Show: "Harbour Hours", Title: "The Last Fog Signal", Number: 12, Details: details.Details{Presenter: "Ada Quill", Artwork: idOf(cover)},
		Script:   &archive.Script{Text: "Two blasts.", Pace: 150},
		Sounds:   []archive.Sound{{ID: idOf(voice), Bytes: int64(len(voice)), Name: "Link", Part: session.Voice, Licence: "own"}, {ID: idOf(theme), Bytes: int64(len(theme)), Name: "Theme", Part: session.Music}},
		Pictures: []archive.Picture{{ID: idOf(cover), Bytes: int64(len(cover))}},
	}, doc
}

func opened(_ context.Context, id string, _ archive.Kind) (io.ReadCloser, error) {
	for _, data := range []string{voice, theme, cover} {
		if idOf(data) == id {
			return io.NopCloser(strings.NewReader(data)), nil
		}
	}
	return nil, errors.New("not there")
}

func written(t testing.TB) []byte {
	t.Helper()
	m, doc := episode()
	var out bytes.Buffer
	require.NoError(t, archive.Write(t.Context(), &out, m, doc, opened))
	return out.Bytes()
}

func TestWhatIsWrittenIsWhatIsOpened(t *testing.T) {
	t.Parallel()
	data := written(t)
	assert.Equal(t, data, written(t), "the same episode is the same bytes")
	a, err := archive.Open(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	m, doc := episode()
	m.Form = archive.Form
	assert.Equal(t, m, a.Manifest)
	assert.Equal(t, string(doc.JSON()), string(a.Document.JSON()), "byte for byte")
	for _, s := range a.Sounds {
		r, err := a.Sound(s)
		require.NoError(t, err)
		got, err := io.ReadAll(r)
		require.NoError(t, err)
		assert.Equal(t, s.ID, idOf(string(got)))
	}
	dir := t.TempDir()
	require.NoError(t, a.Unpack(t.Context(), dir))
	alone, err := os.ReadFile(filepath.Join(dir, "session.json"))
	require.NoError(t, err)
	read, err := session.Parse(alone)
	require.NoError(t, err)
	got, err := os.ReadFile(filepath.Join(dir, read.Sounds[idOf(voice)].Path))
	require.NoError(t, err)
	assert.Equal(t, voice, string(got), "the document can be used on its own")
}

// packed is an archive of what a stranger wants in it.
func packed(t testing.TB, method uint16, files ...[2]string) []byte {
	t.Helper()
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, f := range files {
		e, err := w.CreateHeader(&zip.FileHeader{Name: f[0], Method: method})
		require.NoError(t, err)
		_, err = e.Write([]byte(f[1]))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	return out.Bytes()
}

func TestAnArchiveOfAStrangerIsRefusedInWords(t *testing.T) {
	t.Parallel()
	m, doc := episode()
	m.Form = archive.Form
	said := func(change func(*archive.Manifest)) [2]string {
		own := m
		own.Sounds = append([]archive.Sound{}, m.Sounds...)
		change(&own)
		data, err := json.Marshal(own)
		require.NoError(t, err)
		return [2]string{"archive.json", string(data)}
	}
	session := [2]string{"session.json", string(doc.JSON())}
	asItIs := said(func(*archive.Manifest) {})
	sound := [2]string{"sounds/" + idOf(voice), voice}
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"nothing":                 {nil, "cannot be unpacked"},
		"no archive":              {[]byte("RIFF1234WAVE"), "cannot be unpacked"},
		"half of one":             {written(t)[:900], "cannot be unpacked"},
		"another archive":         {packed(t, zip.Deflate, [2]string{"photo.jpg", "x"}), "archive.json is missing"},
		"a path that leads out":   {packed(t, zip.Deflate, asItIs, session, [2]string{"../../etc/cron.d/x", "x"}), "lie outside"},
		"a path from the root":    {packed(t, zip.Deflate, asItIs, session, [2]string{"/etc/passwd", "x"}), "lie outside"},
		"a path of other systems": {packed(t, zip.Deflate, asItIs, session, [2]string{`..\x`, "x"}), "lie outside"},
		"two of a name":           {packed(t, zip.Deflate, asItIs, session, sound, sound), "two files of the same name"},
		"a list that is none":     {packed(t, zip.Deflate, [2]string{"archive.json", "[]"}, session), "cannot be read"},
		"another form":            {packed(t, zip.Deflate, said(func(m *archive.Manifest) { m.Form = "ruvel.archive/9" }), session), `the form "ruvel.archive/9"`},
		"a bomb for a list":       {packed(t, zip.Deflate, [2]string{"archive.json", strings.Repeat(" ", 17<<20)}, session), "larger than it may be"},
		"an id that is a path":    {packed(t, zip.Deflate, said(func(m *archive.Manifest) { m.Sounds[0].ID = "../x" }), session), "list of the sounds"},
		"a size below nothing":    {packed(t, zip.Deflate, said(func(m *archive.Manifest) { m.Sounds[0].Bytes = -1 }), session), "list of the sounds"},
		"sizes beyond all":        {packed(t, zip.Deflate, said(func(m *archive.Manifest) { m.Sounds[0].Bytes, m.Sounds[1].Bytes = 1<<62, 1<<62 }), session), "list of the sounds"},
		"a part there is not":     {packed(t, zip.Deflate, said(func(m *archive.Manifest) { m.Sounds[0].Part = "noise" }), session), "neither voice nor music"},
		"no title":                {packed(t, zip.Deflate, said(func(m *archive.Manifest) { m.Title = " \n" }), session), "no title"},
		"details that cannot be":  {packed(t, zip.Deflate, said(func(m *archive.Manifest) { m.Details.Language = "??" }), session), "cannot be used"},
		"artwork not there":       {packed(t, zip.Deflate, said(func(m *archive.Manifest) { m.Pictures = nil }), session), "artwork is missing"},
		"no session":              {packed(t, zip.Deflate, asItIs), "session.json is missing"},
		"a session that is none":  {packed(t, zip.Deflate, asItIs, [2]string{"session.json", "[]"}), "cannot be opened"},
		"a sound not there":       {packed(t, zip.Deflate, said(func(m *archive.Manifest) { m.Sounds = m.Sounds[1:] }), session), "not in this archive"},
	} {
		_, err := archive.Open(bytes.NewReader(c.data), int64(len(c.data)))
		var p problem.Problem
		require.ErrorAs(t, err, &p, name)
		assert.Equal(t, "bad-archive", p.Code, name)
		assert.Contains(t, p.Message, c.says, name)
	}

	for name, c := range map[string]struct{ inside, says string }{
		"another file":     {"a voice, as it was recorder", "checksum is wrong"},
		"a longer one":     {voice + ".", "larger than the archive says"},
		"a shorter one":    {voice[:9], "checksum is wrong"},
		"an endless one":   {strings.Repeat("\x00", 32<<20), "larger than the archive says"},
		"one that is gone": {"", "is missing"},
	} {
		files := [][2]string{asItIs, session}
		if c.inside != "" {
			files = append(files, [2]string{sound[0], c.inside})
		}
		data := packed(t, zip.Deflate, files...)
		a, err := archive.Open(bytes.NewReader(data), int64(len(data)))
		require.NoError(t, err, name)
		r, err := a.Sound(a.Sounds[0])
		if err == nil {
			var n int64
			n, err = io.Copy(io.Discard, r)
			assert.LessOrEqual(t, n, int64(len(voice)), "no more is unfolded than was said")
		}
		require.ErrorContains(t, err, c.says, name)
	}
	damaged := written(t)
	at := bytes.Index(damaged, []byte(voice))
	damaged[at] ^= 1
	a, err := archive.Open(bytes.NewReader(damaged), int64(len(damaged)))
	require.NoError(t, err)
	assert.ErrorContains(t, a.Unpack(t.Context(), t.TempDir()), "damaged")
}

func FuzzOpen(f *testing.F) {
	f.Add(written(f))
	m, doc := episode()
	told, err := json.Marshal(m)
	require.NoError(f, err)
	f.Add(packed(f, zip.Store, [2]string{"archive.json", string(told)}, [2]string{"session.json", string(doc.JSON())}))
	f.Fuzz(func(t *testing.T, data []byte) {
		a, err := archive.Open(bytes.NewReader(data), int64(len(data)))
		if err != nil {
			var p problem.Problem
			require.ErrorAs(t, err, &p, "in words")
			return
		}
		for _, s := range a.Sounds {
			if r, err := a.Sound(s); err == nil {
				got, err := io.ReadAll(io.LimitReader(r, 1<<20))
				if err == nil && int64(len(got)) == s.Bytes {
					require.Equal(t, s.ID, idOf(string(got)))
				}
			}
		}
	})
}

func TestAnArchiveOfManySoundsIsRefusedAtOnce(t *testing.T) {
	m := archive.Manifest{Title: "Many"}
	doc := session.New()
	for i := range 60_000 {
		id := fmt.Sprintf("%064x", i)
		m.Sounds = append(m.Sounds, archive.Sound{ID: id, Bytes: 1, Part: session.Voice})
		doc.Sounds[id] = session.Sound{Channels: 1, Length: 1}
	}
	var out bytes.Buffer
	told, err := json.Marshal(m)
	require.NoError(t, err)
	told = bytes.Replace(told, []byte(`"form":""`), []byte(`"form":"`+archive.Form+`"`), 1)
	z := zip.NewWriter(&out)
	for name, data := range map[string][]byte{"archive.json": told, "session.json": doc.JSON()} {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write(data)
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	begun := time.Now()
	_, err = archive.Open(bytes.NewReader(out.Bytes()), int64(out.Len()))
	var p problem.Problem
	require.ErrorAs(t, err, &p)
	assert.Less(t, time.Since(begun), 3*time.Second)
}

func TestFilesInAnArchiveHaveADate(t *testing.T) {
	var out bytes.Buffer
	require.NoError(t, archive.Write(t.Context(), &out, archive.Manifest{Title: "Fog"}, session.New(), nil))
	z, err := zip.NewReader(bytes.NewReader(out.Bytes()), int64(out.Len()))
	require.NoError(t, err)
	for _, f := range z.File {
		assert.Equal(t, 1980, f.Modified.UTC().Year(), f.Name)
	}
	assert.Equal(t, archive.Mark(archive.Manifest{Title: "Fog"}, session.New()), archive.MarkOf(bytes.NewReader(out.Bytes()), int64(out.Len())))
	assert.Empty(t, archive.MarkOf(strings.NewReader("PK"), 2))
}
