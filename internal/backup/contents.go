package backup

import (
	"context"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"ruvel/core/session"
	"ruvel/internal/archive"
	"ruvel/internal/store"
	"ruvel/internal/work"
)

// Open opens what lies under an id in an archive. Whoever asks closes it.
func (k *Keeper) Open(ctx context.Context, id string, of archive.Kind) (io.ReadCloser, error) {
	switch of {
	case archive.OfPicture:
		return k.Bucket.NewReader(ctx, work.PictureFolder+id, nil)
	case archive.OfFile:
		m, err := k.Store.Mixdown(ctx, id)
		if err != nil {
			return nil, err
		}
		return k.Bucket.NewReader(ctx, work.MixdownKey(m), nil)
	}
	return k.Sounds.Original(ctx, id)
}

// Files are the finished files of an episode, each under a name of its own.
func (k *Keeper) Files(ctx context.Context, episode string) (out []archive.File, err error) {
	all, err := k.Store.Mixdowns(ctx, episode)
	for _, m := range all {
		name := filepath.Base(m.File)
		for n := 2; slices.ContainsFunc(out, func(f archive.File) bool { return strings.EqualFold(f.Name, name) }); n++ {
			ext := filepath.Ext(m.File)
			name = fmt.Sprintf("%s (%d)%s", strings.TrimSuffix(filepath.Base(m.File), ext), n, ext)
		}
		out = append(out, archive.File{ID: m.ID, Name: name, Bytes: m.Bytes, Setting: m.Made.Of.Setting, Integrated: m.Loudness.Of.Integrated, TruePeak: m.Loudness.Of.TruePeak})
	}
	return out, err
}

// Contents is what an archive of an episode holds, and what it is called.
func (k *Keeper) Contents(ctx context.Context, episode string) (name string, m archive.Manifest, doc session.Document, err error) {
	e, err := k.Store.Episode(ctx, episode)
	if err != nil {
		return name, m, doc, err
	}
	if doc, _, err = k.Store.Document(ctx, episode); err != nil {
		return name, m, doc, err
	}
	sheet, err := k.Sheet(ctx, e, doc, 0, doc.Length())
	if err != nil {
		return name, m, doc, err
	}
	m = archive.Manifest{Show: sheet.Show, Title: e.Title, Number: e.Number, Layout: e.Layout, Details: sheet.Details}
	text, err := k.Store.Script(ctx, episode)
	if err != nil {
		return name, m, doc, err
	}
	if text.Version > 0 {
		m.Script = &archive.Script{Text: text.Text, Pace: int(text.Pace), Recorded: text.Recorded.Of}
	}
	for _, id := range doc.SoundsInOrder() {
		sound, err := k.Store.Sound(ctx, e.Show, id)
		if err != nil {
			return name, m, doc, err
		}
		m.Sounds = append(m.Sounds, archive.Sound{
			ID: id, Bytes: sound.Bytes, Name: sound.Name, Part: sound.Part, Title: sound.Title, Author: sound.Author, Source: sound.Source,
			Licence: sound.Licence, Notes: sound.Notes, Words: sound.Words, Tempo: sound.Tempo,
		})
	}
	if m.Pictures, err = k.pictures(ctx, e.Show, sheet.Artwork, doc); err != nil {
		return name, m, doc, err
	}
	if !slices.ContainsFunc(m.Pictures, func(p archive.Picture) bool { return p.ID == sheet.Artwork }) { // it was taken away from its show
		m.Details.Artwork = ""
	}
	return sheet.FileName("archive"), m, doc, nil
}

// pictures are those of an episode that are still there.
func (k *Keeper) pictures(ctx context.Context, show, artwork string, doc session.Document) (out []archive.Picture, err error) {
	ids := []string{artwork}
	for _, marker := range doc.Markers {
		ids = append(ids, marker.Picture)
	}
	slices.Sort(ids)
	for _, id := range slices.Compact(ids) {
		if id == "" {
			continue
		}
		p, err := k.Store.Picture(ctx, show, id)
		if store.IsNotFound(err) {
			continue
		}
		if err != nil {
			return nil, err
		}
		out = append(out, archive.Picture{ID: id, Bytes: p.Bytes})
	}
	return out, nil
}
