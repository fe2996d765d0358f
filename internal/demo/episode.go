package demo

import (
	"bytes"
	"context"
	"embed"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"gocloud.dev/blob"
	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/details"
	"ruvel/core/duck"
	"ruvel/core/edit"
	"ruvel/core/script"
	"ruvel/core/session"
	"ruvel/core/treat"
	"ruvel/internal/media"
	"ruvel/internal/sounds"
	"ruvel/internal/standin"
	"ruvel/internal/store"
)

//go:embed voices/*.flac voices/*.txt
var voices embed.FS

// Names in the sample series.
const (
	ShowName     = "Harbour Hours"
	EpisodeTitle = "The Last Fog Signal"
	RoughTitle   = "Rough cut"
	// Layouts of its house sound.
	FeatureLayout = "Feature"
	NewsLayout    = "Short news"
)

// item is a sound of the series: a recording that ships with the program, or a piece computed by make.
type item struct {
	key, name string
	part      session.Part
	make      func() audio.PCM
	left      bool // the voice is on the left side alone
	about     about
}

// about is what people have written down about a sound.
type about struct {
	author, licence, source, words string
	tempo                          float64
}

var (
	house = about{author: "Harbour Hours house band", licence: "own", words: "theme, harbour, plucked strings, bells", tempo: tempo}
	field = about{author: "Skerrow Point field recordings", licence: "cc-by-4.0", source: "Skerrow Point sound archive, reel 12", words: "harbour, outside, water"}
	ours  = about{licence: "own", words: "narration"}
)

func items() []item {
	return []item{
		{key: "link-1", name: "Presenter, link 1", part: session.Voice, about: ours},
		{key: "keeper", name: "Keeper, winter of the storm", part: session.Voice, about: ours},
		{key: "link-2", name: "Presenter, link 2", part: session.Voice, about: ours},
		{key: "archivist", name: "Archivist, the log books", part: session.Voice, about: ours},
		{key: "sign-off", name: "Presenter, sign-off", part: session.Voice, about: ours},
		{key: "bed", name: "Harbour theme, bed", part: session.Music, make: themeBed, about: house},
		{key: "outro", name: "Harbour theme, outro", part: session.Music, make: themeOutro, about: house},
		{key: "sting", name: "Harbour theme, sting", part: session.Music, make: themeSting, about: house},
		{key: "sign-off-left", name: "Presenter, sign-off (left)", part: session.Voice, left: true, about: ours},
		{key: "reel", name: "Pier reel", part: session.Music, make: pierReel, about: about{licence: "cc-by-4.0", words: "reel, quick"}},
		{key: "fog", name: "Fog signal, two blasts", part: session.Effect, make: fogSignal, about: field},
		{key: "gulls", name: "Gulls and swell", part: session.Effect, make: gulls, about: field},
	}
}

// Fill puts the sample series into a store that has no show yet, and says whether it
// did. One that was interrupted is completed.
func Fill(ctx context.Context, st *store.Store, library *sounds.Sounds, bucket *blob.Bucket, say func(string)) (bool, error) {
	show, wanted, err := begin(ctx, st)
	if err != nil || !wanted {
		return false, err
	}
	ids, err := addSounds(ctx, st, library, show.ID, say)
	if err != nil {
		return false, err
	}
	catalogue := func(id string) (session.Sound, bool) {
		s, err := st.Sound(ctx, show.ID, id)
		return session.Sound{Channels: s.Channels, Length: s.Length}, err == nil
	}
	rough, err := Rough(ids, catalogue)
	if err != nil {
		return false, err
	}
	doc, err := Episode(ids, catalogue)
	if err != nil {
		return false, err
	}
	if err := addLayouts(ctx, st, show.ID, doc); err != nil {
		return true, err
	}
	episode, err := st.AddEpisode(ctx, show.ID, EpisodeTitle, 12, doc)
	if err != nil {
		return true, err
	}
	if err := addScript(ctx, st, episode.ID); err != nil {
		return true, err
	}
	unfinished, err := st.AddEpisode(ctx, show.ID, RoughTitle, 13, rough)
	if err != nil {
		return true, err
	}
	if err := describe(ctx, st, bucket, show.ID); err != nil {
		return true, err
	}
	for id, about := range map[string]string{
		episode.ID:    "For ninety years a fog signal called across Skerrow Point. We visit the man who switched it off, and the archive that kept its log.",
		unfinished.ID: "The next visit to Skerrow Point, not finished yet.",
	} {
		if err := st.Describe(ctx, id, details.Details{Description: about}); err != nil {
			return true, err
		}
	}
	return true, nil
}

// addSounds makes the sounds of the series and gives their ids by their keys.
func addSounds(ctx context.Context, st *store.Store, library *sounds.Sounds, show string, say func(string)) (map[string]string, error) {
	all := items()
	made := make([]string, len(all))
	g, each := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, it := range all {
		g.Go(func() (err error) {
			say("the sound “" + it.name + "”")
			if made[i], err = add(each, st, library, show, it); err != nil {
				return fmt.Errorf("sample sound %s: %w", it.key, err)
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	ids := map[string]string{}
	for i, it := range all {
		ids[it.key] = made[i]
	}
	return ids, nil
}

// addScript gives the episode the text that its voices read; only the trailer, which
// the stand-in microphone reads, has still to be recorded.
func addScript(ctx context.Context, st *store.Store, episode string) error {
	text, err := Script()
	if err != nil {
		return err
	}
	_, err = st.EditScript(ctx, episode, 0, func(sc *store.Script) {
		sc.Text = text
		trailer := false
		for _, p := range script.Read(text, script.Usual, nil).Parts {
			trailer = trailer || p.Text == trailerHeading
			sc.Recorded.Of[p.Key] = p.Kind == script.Spoken && !trailer
		}
	})
	return err
}

const trailerHeading = "Trailer"

// Script is the text of the finished episode, in Markdown.
func Script() (string, error) {
	var b strings.Builder
	fmt.Fprintf(&b, "# %s\n\n[theme, then under]\n", EpisodeTitle)
	for _, part := range []struct{ heading, voice string }{
		{"Link 1, presenter", "link-1"},
		{"Keeper", "keeper"},
		{"Link 2, presenter", "link-2"},
		{"Archivist", "archivist"},
		{"Sign-off, presenter", "sign-off"},
	} {
		words, err := voices.ReadFile("voices/" + part.voice + ".txt")
		if err != nil {
			return "", err
		}
		fmt.Fprintf(&b, "\n## %s\n\n%s\n", part.heading, bytes.TrimSpace(words))
	}
	fmt.Fprintf(&b, "\n[theme to its end]\n\n## %s\n\n%s\n", trailerHeading, strings.TrimSpace(standin.Text))
	return b.String(), nil
}

// begin gives the show to fill: a new one, or one whose filling broke off.
func begin(ctx context.Context, st *store.Store) (show store.Show, wanted bool, err error) {
	shows, err := st.Shows(ctx)
	if err != nil {
		return show, false, err
	}
	if len(shows) == 0 {
		show, err = st.AddShow(ctx, ShowName)
		return show, err == nil, err
	}
	show = shows[0]
	have, err := st.Sounds(ctx, show.ID)
	return show, len(shows) == 1 && show.Name == ShowName && show.Episodes == 0 && len(have) < len(items()), err
}

func add(ctx context.Context, st *store.Store, library *sounds.Sounds, show string, it item) (string, error) {
	data, err := file(ctx, it)
	if err != nil {
		return "", err
	}
	id, size, err := library.Put(ctx, bytes.NewReader(data))
	if err != nil {
		return "", err
	}
	facts, err := library.Import(ctx, id, func(float64) {})
	if err != nil {
		return "", err
	}
	sound := store.Sound{
		Show: show, ID: id, Name: it.name, Part: it.part, Channels: facts.Channels, Rate: facts.Rate, Format: facts.Format,
		Bytes: size, Length: facts.Loudness.Length, Title: it.name,
		Author: it.about.author, Licence: it.about.licence, Source: it.about.source, Words: it.about.words, Tempo: it.about.tempo,
	}
	sound.Loudness.Of = facts.Loudness
	return id, st.AddSound(ctx, sound)
}

// file is the bytes of a sound file.
func file(ctx context.Context, it item) ([]byte, error) {
	if it.make == nil && !it.left {
		return voices.ReadFile("voices/" + it.key + ".flac")
	}
	dir, err := os.MkdirTemp("", "ruvel-demo")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, it.key+".wav")
	pcm, err := it.samples(ctx, dir)
	if err != nil {
		return nil, err
	}
	e, err := media.CreateWAV(path, 24, 2, audio.Rate)
	if err != nil {
		return nil, err
	}
	if err := errors.Join(e.Write(pcm), e.Close()); err != nil {
		return nil, err
	}
	return os.ReadFile(path)
}

// samples are those of a piece that is computed, or of a voice that was recorded on one side.
func (it item) samples(ctx context.Context, dir string) (audio.PCM, error) {
	if it.make != nil {
		return it.make(), nil
	}
	data, err := voices.ReadFile("voices/" + strings.TrimSuffix(it.key, "-left") + ".flac")
	if err != nil {
		return nil, err
	}
	path := filepath.Join(dir, "voice.flac")
	if err := os.WriteFile(path, data, 0o600); err != nil {
		return nil, err
	}
	info, err := media.Probe(ctx, path)
	if err != nil {
		return nil, err
	}
	var out []float32
	if _, err := media.Decode(ctx, path, info, func(pcm audio.PCM) error {
		out = append(out, pcm[0]...)
		return nil
	}); err != nil {
		return nil, err
	}
	return audio.PCM{out, make([]float32, len(out))}, nil
}

// Write puts the sound files and the documents of the finished episode, session.json, and of the
// rough cut, rough-cut.json, into a folder, for rendering without a server.
func Write(ctx context.Context, dir string) error {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	all := items()
	made := make([]session.Sound, len(all))
	g, each := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, it := range all {
		g.Go(func() (err error) {
			made[i], err = write(each, dir, it)
			return err
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	known := map[string]session.Sound{}
	ids := map[string]string{}
	for i, it := range all {
		ids[it.key] = fmt.Sprintf("%064x", i+1)
		known[ids[it.key]] = made[i]
	}
	doc, err := Episode(ids, func(id string) (session.Sound, bool) { s, ok := known[id]; return s, ok })
	if err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(dir, "session.json"), doc.JSON(), 0o644); err != nil {
		return err
	}
	rough, err := Rough(ids, func(id string) (session.Sound, bool) { s, ok := known[id]; return s, ok })
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(dir, "rough-cut.json"), rough.JSON(), 0o644)
}

// write puts the file of a sound into a folder.
func write(ctx context.Context, dir string, it item) (session.Sound, error) {
	data, err := file(ctx, it)
	if err != nil {
		return session.Sound{}, err
	}
	name := it.key + ".wav"
	if it.make == nil && !it.left {
		name = it.key + ".flac"
	}
	path := filepath.Join(dir, name)
	if err := os.WriteFile(path, data, 0o644); err != nil {
		return session.Sound{}, err
	}
	info, err := media.Probe(ctx, path)
	if err != nil {
		return session.Sound{}, err
	}
	length, err := media.Decode(ctx, path, info, func(audio.PCM) error { return nil })
	return session.Sound{Channels: info.Channels, Length: length, Path: name}, err
}

// score builds a document edit by edit; the first error stays.
type score struct {
	doc       session.Document
	catalogue edit.Catalogue
	err       error
}

func (s *score) do(op edit.Op) {
	if s.err != nil {
		return
	}
	s.doc, _, s.err = edit.Apply(s.doc, op, s.catalogue)
}

// last is the id that the next number was given to most recently.
func (s *score) last(kind string) string { return fmt.Sprintf("%s%d", kind, s.doc.Next-1) }

func (s *score) track(part session.Part, name string, fader audio.DB) string {
	s.do(edit.AddTrack{Part: part, Name: name})
	id := s.last("t")
	s.do(edit.SetTracks{Tracks: []edit.TrackChange{{Track: id, Fader: &fader}}})
	return id
}

func (s *score) clip(track, sound, name string, start, length float64, in, out float64, points ...point) {
	s.do(edit.InsertClip{Sound: sound, Track: track, Name: name, Start: audio.Seconds(start), Length: audio.Seconds(length)})
	id := s.last("c")
	s.do(edit.SetFades{Fades: []edit.ClipFades{{
		Clip: id, In: &edit.NewFade{Length: audio.Seconds(in), Shape: session.EqualPower},
		Out: &edit.NewFade{Length: audio.Seconds(out), Shape: session.Smooth},
	}}})
	if len(points) == 0 {
		return
	}
	add := edit.AddPoints{}
	for _, p := range points {
		add.Points = append(add.Points, edit.NewPoint{Line: edit.Line{Clip: id}, At: audio.Seconds(p.at), Level: p.level})
	}
	s.do(add)
}

// way has a track make way for speech, with settings to begin with.
func (s *score) way(track, start string, set func(w *session.Way)) {
	all := duck.Starts()
	w := all[slices.IndexFunc(all, func(st duck.Start) bool { return st.Key == start })].Way
	set(&w)
	s.do(edit.SetTracks{Tracks: []edit.TrackChange{{Track: track, Way: &w}}})
}

// ordinary is the level of ordinary speech in the recordings, in dBFS.
const ordinary = -16.5

// treat gives a track a treatment to begin with, laid for its voice.
func (s *score) treat(track, start string, lay func(t *session.Treatment)) {
	all := treat.Starts()
	t := all[slices.IndexFunc(all, func(st treat.Start) bool { return st.Key == start })].Treatment
	t.Compressor.Speech, t.Limiter.Ceiling = ordinary, -3 // so that the mix stays under its own
	lay(&t)
	s.do(edit.SetTracks{Tracks: []edit.TrackChange{{Track: track, Treatment: &t}}})
}

// point is a place on a level line, in seconds.
type point struct {
	at    float64
	level audio.DB
}

// Episode is the finished episode, made of sounds whose ids are given by key.
func Episode(ids map[string]string, catalogue edit.Catalogue) (session.Document, error) {
	s := &score{doc: session.New(), catalogue: catalogue}
	presenter := s.track(session.Voice, "Presenter", 4.5)
	keeper := s.track(session.Voice, "Keeper", 4.5)
	archivist := s.track(session.Voice, "Archivist", 4.5)
	first := s.track(session.Music, "Music 1", -3)
	second := s.track(session.Music, "Music 2", -3)
	shore := s.track(session.Effect, "Shoreline", -6)

	s.clip(presenter, ids["link-1"], "Link 1", 11.5, 0, 0.02, 0.02)
	s.clip(keeper, ids["keeper"], "Keeper, winter of the storm", 37.5, 0, 0.02, 0.02)
	s.clip(presenter, ids["link-2"], "Link 2", 64.5, 0, 0.02, 0.02)
	s.clip(archivist, ids["archivist"], "Archivist, the log books", 73.5, 0, 0.02, 0.02)
	s.clip(presenter, ids["sign-off"], "Sign-off", 88, 0, 0.02, 0.02)
	s.clip(first, ids["bed"], "Harbour theme, bed", 0, 65, 0.3, 5,
		point{29.7, 0}, point{30.7, -4})
	s.way(first, "narration", func(w *session.Way) { w.Lead, w.Down = 18, 900 })
	s.clip(second, ids["outro"], "Harbour theme, outro", 84.5, 43, 1.5, 3,
		point{2.4, -14}, point{3.4, -20}, point{13.3, -20}, point{14.5, -1.6})
	s.clip(shore, ids["fog"], "Fog signal", 30.2, 0, 0, 2)
	s.clip(shore, ids["gulls"], "Gulls and swell", 61.9, 12.6, 1.5, 4, point{1.6, -2}, point{2.6, -12})

	for _, r := range []struct {
		name     string
		from, to float64
	}{
		{"Theme", 0, 11.5},
		{"Link", 11.5, 30.2},
		{"Fog signal", 30.2, 37.5},
		{"Interview", 37.5, 62},
		{"Link", 64.5, 72.5},
		{"Archive", 73.5, 85.5},
		{"Outro", 88, 126},
	} {
		s.do(edit.AddMarker{Name: r.name, At: audio.Seconds(r.from), Length: audio.Seconds(r.to - r.from), Chapter: true})
	}
	s.treat(presenter, "narration", func(t *session.Treatment) { t.Expander.Threshold, t.Compressor.Threshold = -40, -22.5 })
	s.treat(keeper, "room", func(t *session.Treatment) { t.Gate.Open, t.Gate.Close, t.Compressor.Threshold = -35, -41, -23 })
	s.treat(archivist, "narration", func(t *session.Treatment) { t.Expander.Threshold, t.Compressor.Threshold = -32.5, -22.5 })
	s.do(edit.AddMarker{Name: "First blast", At: audio.Seconds(30.3)})
	return s.doc, s.err
}
