// Package archive keeps a whole episode in one file, which opens again anywhere: a ZIP archive with the document, the
// originals of all sounds that it uses with what is known of them, script, details and pictures. Its form is written down in
// docs/archive.md. An archive may come from a stranger: nothing in it is believed that is not checked.
package archive

import (
	"archive/zip"
	"compress/flate"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"ruvel/core/details"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/disk"
)

// Form is what archives are written in.
const Form = "ruvel.archive/1"

// Names of what is in an archive. A sound lies under its id in a folder, a picture in another.
const (
	manifestName = "archive.json"
	documentName = "session.json"
	soundFolder  = "sounds/"
	pictures     = "pictures/"
	finished     = "finished/"
	sums         = "SHA256SUMS"
)

// Kind is what lies under an id.
type Kind int

// The kinds of what an archive holds.
const (
	OfSound Kind = iota
	OfPicture
	OfFile // a finished one
)

// PathOf is where the file of a sound lies in an archive.
func PathOf(sound string) string { return soundFolder + sound }

// Manifest says what an archive holds, besides the document.
type Manifest struct {
	Form     string          `json:"form"`
	Show     string          `json:"show"`
	Title    string          `json:"title"`
	Number   int             `json:"number,omitempty"`
	Layout   bool            `json:"layout,omitempty"` // of the house sound of its show, and no episode
	Details  details.Details `json:"details" doc:"Also those that hold for all episodes of its show"`
	Script   *Script         `json:"script,omitempty"`
	Sounds   []Sound         `json:"sounds"`
	Pictures []Picture       `json:"pictures,omitempty"`
	Files    []File          `json:"files,omitempty"` // finished ones, if they were wanted
}

// settled is the list as it is written.
func (m Manifest) settled() Manifest {
	m.Form = Form
	if m.Sounds == nil {
		m.Sounds = []Sound{}
	}
	return m
}

// File is a finished file. It is there for whoever unpacks the archive, and stays behind when it is opened: what it was
// made from is all there.
type File struct {
	ID         string  `json:"-"`
	Name       string  `json:"name"` // in its folder
	Bytes      int64   `json:"bytes"`
	Setting    string  `json:"setting"`    // its format, in words
	Integrated float64 `json:"integrated"` // LUFS
	TruePeak   float64 `json:"truePeak"`   // dBTP
}

// Script is the text that is read.
type Script struct {
	Text     string          `json:"text"`
	Pace     int             `json:"pace"`
	Recorded map[string]bool `json:"recorded,omitempty"`
}

// Sound is what is known of a sound. Its id is the SHA-256 of its file.
type Sound struct {
	ID      string       `json:"id"`
	Bytes   int64        `json:"bytes"`
	Name    string       `json:"name"`
	Part    session.Part `json:"part"`
	Title   string       `json:"title,omitempty"`
	Author  string       `json:"author,omitempty"`
	Source  string       `json:"source,omitempty"`
	Licence string       `json:"licence,omitempty"`
	Notes   string       `json:"notes,omitempty"`
	Words   string       `json:"words,omitempty"`
	Tempo   float64      `json:"tempo,omitempty"`
}

// Picture is one that details or chapters name. Its id is the SHA-256 of its file.
type Picture struct {
	ID    string `json:"id"`
	Bytes int64  `json:"bytes"`
}

// Write writes an archive. Open gives what lies under an id. The same episode is the same bytes.
func Write(ctx context.Context, to io.Writer, m Manifest, doc session.Document, open func(ctx context.Context, id string, of Kind) (io.ReadCloser, error)) error {
	m = m.settled()
	told, err := json.MarshalIndent(m, "", "  ")
	if err != nil {
		return err
	}
	out := zip.NewWriter(to)
	if err := out.SetComment(Mark(m, doc)); err != nil {
		return err
	}
	if err := pack(out, manifestName, told); err != nil {
		return err
	}
	if err := pack(out, documentName, withPaths(doc).JSON()); err != nil {
		return err
	}
	var sealed strings.Builder // sums of finished files, in the form that sha256sum checks
	copyIn := func(name, id string, bytes int64, of Kind) error {
		from, err := open(ctx, id, of)
		if err != nil {
			return err
		}
		defer from.Close()
		w, err := out.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store, Modified: dated})
		if err != nil {
			return err
		}
		sum := sha256.New()
		n, err := io.Copy(io.MultiWriter(w, sum), disk.Until(ctx, from))
		if of == OfFile {
			fmt.Fprintf(&sealed, "%x  %s\n", sum.Sum(nil), name)
		}
		if err == nil && n != bytes {
			err = fmt.Errorf("%s has %d bytes instead of %d", name, n, bytes)
		}
		return err
	}
	for _, s := range m.Sounds {
		if err := copyIn(soundFolder+s.ID, s.ID, s.Bytes, OfSound); err != nil {
			return err
		}
	}
	for _, p := range m.Pictures {
		if err := copyIn(pictures+p.ID, p.ID, p.Bytes, OfPicture); err != nil {
			return err
		}
	}
	for _, f := range m.Files {
		if err := copyIn(finished+f.Name, f.ID, f.Bytes, OfFile); err != nil {
			return err
		}
	}
	if sealed.Len() > 0 {
		if err := pack(out, sums, []byte(sealed.String())); err != nil {
			return err
		}
	}
	return out.Close()
}

// dated is what all files in an archive are dated, since the same episode is the same bytes: the first day that the form
// can name. Without a date some programs take the first of no month.
var dated = time.Date(1980, 1, 1, 0, 0, 0, 0, time.UTC)

// Mark is the one mark of change of an episode: a digest of all that its archive holds, files by their own digests.
// Whatever changes in one moves the other. It stands in the archive as its comment.
func Mark(m Manifest, doc session.Document) string {
	m = m.settled()
	told, err := json.Marshal(m)
	if err != nil {
		panic(fmt.Sprintf("archive: a list could not be written: %v", err)) // only NaN or Inf can cause it
	}
	h := sha256.New()
	fmt.Fprintf(h, "%d\n%s\n%s", len(told), told, doc.JSON())
	return "ruvel " + hex.EncodeToString(h.Sum(nil))
}

// MarkOf is the mark of an archive that was written before; nothing if it has none, or is not whole.
func MarkOf(r io.ReaderAt, size int64) string {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return ""
	}
	return z.Comment
}

func pack(out *zip.Writer, name string, data []byte) error {
	w, err := out.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: dated})
	if err == nil {
		_, err = w.Write(data)
	}
	return err
}

// withPaths is a document that can be used on its own where the archive is unpacked.
func withPaths(doc session.Document) session.Document {
	out := doc
	out.Sounds = make(map[string]session.Sound, len(doc.Sounds))
	for id, s := range doc.Sounds {
		s.Path = soundFolder + id
		out.Sounds[id] = s
	}
	return out
}

// Limits of what is opened. There is room for the longest episodes; what is larger was made to fill a disk.
const (
	mostEntries  = 10_000
	mostTold     = 16 << 20 // bytes of the manifest
	mostDocument = 64 << 20
	mostPicture  = 32 << 20
	mostScript   = 1_000_000 // characters
	mostMarks    = 1200
	mostBytes    = 64 << 30 // of all sounds
)

// Archive is one that was opened. It is used by one goroutine.
type Archive struct {
	Manifest
	Document session.Document // without paths: its sounds lie under their ids
	files    map[string]*zip.File
}

var isID = regexp.MustCompile(`^[0-9a-f]{64}$`)

func bad(format string, args ...any) error {
	return problem.New("bad-archive", "file", format, args...)
}

// Open opens an archive of so many bytes. What is wrong with it is told as a problem.Problem.
func Open(r io.ReaderAt, size int64) (*Archive, error) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, bad("This is no archive of an episode, or it is not whole: it cannot be unpacked.")
	}
	if len(z.File) > mostEntries {
		return nil, bad("This archive holds %d files, far more than an episode has.", len(z.File))
	}
	a := &Archive{files: map[string]*zip.File{}}
	for _, f := range z.File {
		if !filepath.IsLocal(strings.TrimSuffix(f.Name, "/")) || strings.Contains(f.Name, `\`) {
			return nil, bad("This archive holds a file that would lie outside it. It is not opened.")
		}
		if a.files[f.Name] != nil {
			return nil, bad("This archive holds two files of the same name.")
		}
		a.files[f.Name] = f
	}
	if err := a.readManifest(); err != nil {
		return nil, err
	}
	return a, a.readDocument()
}

func (a *Archive) readManifest() error {
	data, err := a.small(manifestName, mostTold)
	if err != nil {
		return err
	}
	if json.Unmarshal(data, &a.Manifest) != nil {
		return bad("The list of what this archive holds (%s) cannot be read.", manifestName)
	}
	if a.Form != Form {
		return bad("This archive has the form %q; this version of Ruvel opens %s.", problem.Short(a.Form, 80), Form)
	}
	if err := a.Details.Check(); err != nil {
		return bad("What this archive says of its episode cannot be used: %v", err)
	}
	name, err := session.NewName(a.Title, "title")
	if err != nil || a.Number < 0 || a.Number > 1_000_000 {
		return bad("The episode in this archive has no title that can be used.")
	}
	a.Title = name
	if s := a.Script; s != nil && (utf8.RuneCountInString(s.Text) > mostScript || len(s.Recorded) > mostMarks) {
		return bad("The script in this archive is longer than it may be.")
	}
	if len(a.Sounds) > mostEntries || len(a.Pictures) > mostEntries {
		return bad("This archive lists %d sounds and %d pictures, far more than an episode has.", len(a.Sounds), len(a.Pictures))
	}
	if art := a.Details.Artwork; art != "" && !slices.ContainsFunc(a.Pictures, func(p Picture) bool { return p.ID == art }) {
		return bad("The artwork is missing in this archive.")
	}
	var all int64
	seen := map[string]bool{}
	for _, s := range a.Sounds {
		if !isID.MatchString(s.ID) || seen[s.ID] || s.Bytes <= 0 || s.Bytes > mostBytes-all {
			return bad("The list of the sounds in this archive cannot be right.")
		}
		if s.Part != session.Voice && s.Part != session.Music && s.Part != session.Effect {
			return bad("A sound in this archive is neither voice nor music nor an effect.")
		}
		seen[s.ID] = true
		all += s.Bytes
	}
	for _, p := range a.Pictures {
		if !isID.MatchString(p.ID) || seen[p.ID] || p.Bytes <= 0 || p.Bytes > mostPicture {
			return bad("The list of the pictures in this archive cannot be right.")
		}
		seen[p.ID] = true
	}
	return nil
}

func (a *Archive) readDocument() error {
	data, err := a.small(documentName, mostDocument)
	if err != nil {
		return err
	}
	if a.Document, err = session.Parse(data); err != nil {
		return bad("The session in this archive cannot be opened: %v", err)
	}
	listed := make(map[string]bool, len(a.Sounds))
	for _, s := range a.Sounds {
		listed[s.ID] = true
	}
	a.Document.Settle()
	for id, s := range a.Document.Sounds {
		if !listed[id] {
			return bad("A sound that the session uses is not in this archive.")
		}
		s.Path = ""
		a.Document.Sounds[id] = s
	}
	return nil
}

// small reads a file of at most so many bytes.
func (a *Archive) small(name string, most int64) ([]byte, error) {
	f := a.files[name]
	if f == nil {
		return nil, bad("This is no archive of an episode: %s is missing in it.", name)
	}
	r, err := f.Open()
	if err != nil {
		return nil, bad("%s cannot be unpacked.", name)
	}
	defer r.Close()
	data, err := io.ReadAll(io.LimitReader(r, most+1))
	if err != nil {
		return nil, bad("%s cannot be unpacked; the archive is damaged.", name)
	}
	if int64(len(data)) > most {
		return nil, bad("%s is larger than it may be.", name)
	}
	return data, nil
}

// Bytes is how many all sounds and pictures take.
func (a *Archive) Bytes() (all int64) {
	for _, s := range a.Sounds {
		all += s.Bytes
	}
	for _, p := range a.Pictures {
		all += p.Bytes
	}
	return all
}

// Sound gives the file of a sound. Reading it fails where it is not what its id says.
func (a *Archive) Sound(s Sound) (io.ReadCloser, error) {
	return a.checked(soundFolder+s.ID, s.ID, s.Bytes)
}

// Picture is the same for a picture.
func (a *Archive) Picture(p Picture) (io.ReadCloser, error) {
	return a.checked(pictures+p.ID, p.ID, p.Bytes)
}

func (a *Archive) checked(name, id string, bytes int64) (io.ReadCloser, error) {
	f := a.files[name]
	if f == nil {
		return nil, bad("%s is missing in this archive.", name)
	}
	r, err := f.Open()
	if err != nil {
		return nil, bad("%s cannot be unpacked.", name)
	}
	return &checked{ReadCloser: r, id: id, left: bytes, sum: sha256.New()}, nil
}

// checked reads a file that must be so long, and be called by its sum.
type checked struct {
	io.ReadCloser
	id   string
	left int64
	sum  hash.Hash
}

func (c *checked) Read(p []byte) (int, error) {
	n, err := c.ReadCloser.Read(p)
	c.sum.Write(p[:n])
	c.left -= int64(n)
	var corrupt flate.CorruptInputError
	switch {
	case c.left < 0:
		return 0, bad("A file in this archive is larger than the archive says.")
	case errors.Is(err, zip.ErrChecksum), errors.As(err, &corrupt), errors.Is(err, io.ErrUnexpectedEOF):
		return 0, bad("A file in this archive is damaged. Copy the archive again from where it came from.")
	case errors.Is(err, io.EOF) && (c.left > 0 || hex.EncodeToString(c.sum.Sum(nil)) != c.id):
		return 0, bad("A file in this archive is not the one that it should be: its checksum is wrong.")
	}
	return n, err
}

// Unpack writes the document, its sounds and its pictures into an empty folder, where the document can be used on its own.
func (a *Archive) Unpack(ctx context.Context, dir string) error {
	if err := os.WriteFile(filepath.Join(dir, documentName), withPaths(a.Document).JSON(), 0o600); err != nil {
		return err
	}
	write := func(folder, id string, open func() (io.ReadCloser, error)) error {
		if err := os.MkdirAll(filepath.Join(dir, folder), 0o700); err != nil {
			return err
		}
		from, err := open()
		if err != nil {
			return err
		}
		defer from.Close()
		to, err := os.Create(filepath.Join(dir, folder, id))
		if err != nil {
			return err
		}
		_, err = io.Copy(to, disk.Until(ctx, from))
		return errors.Join(err, to.Close())
	}
	for _, s := range a.Sounds {
		if err := write(soundFolder, s.ID, func() (io.ReadCloser, error) { return a.Sound(s) }); err != nil {
			return err
		}
	}
	for _, p := range a.Pictures {
		if err := write(pictures, p.ID, func() (io.ReadCloser, error) { return a.Picture(p) }); err != nil {
			return err
		}
	}
	return nil
}
