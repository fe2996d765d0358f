package demo

import (
	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
)

// Rough is an episode that is not finished: it has the faults that are made most often, each once.
//
//   - the music is too loud under the keeper
//   - the outro rises over the last syllable
//   - the archivist is 8 dB too soft
//   - there is a click at a hard cut in the first link
//   - six seconds of dead air before the outro
//   - the sign-off was recorded on the left side alone
//   - the Pier reel must be credited, and nobody has written down to whom
func Rough(ids map[string]string, catalogue edit.Catalogue) (session.Document, error) {
	s := &score{doc: session.New(), catalogue: catalogue}
	presenter := s.track(session.Voice, "Presenter", 4.5)
	keeper := s.track(session.Voice, "Keeper", 4.5)
	archivist := s.track(session.Voice, "Archivist", 4.5-8)
	first := s.track(session.Music, "Music 1", -3)
	second := s.track(session.Music, "Music 2", -3)
	shore := s.track(session.Effect, "Shoreline", -6)

	s.clip(presenter, ids["link-1"], "Link 1", 11.5, cutAt, 0.02, 0)
	s.cut(presenter, ids["link-1"], "Link 1, second half", 11.5+cutAt, cutAt+cutOut, 0.02)
	s.clip(keeper, ids["keeper"], "Keeper, winter of the storm", 37.5, 0, 0.02, 0.02)
	s.clip(presenter, ids["link-2"], "Link 2", 64.5, 0, 0.02, 0.02)
	s.clip(archivist, ids["archivist"], "Archivist, the log books", 73.5, 0, 0.02, 0.02)
	spoken, _ := catalogue(ids["archivist"])
	outro := 73.5 + spoken.Length.Seconds() + deadAir
	s.clip(presenter, ids["sign-off-left"], "Sign-off", outro+3.5, 0, 0.02, 0.02)
	s.clip(first, ids["bed"], "Harbour theme, bed", 0, 62, 0.3, 3,
		point{10.5, 0}, point{11.4, -18}, point{29.2, -18}, point{30.2, -4}, point{36.5, -4}, point{38, 4.4}, point{58, 4.4})
	s.clip(second, ids["reel"], "Pier reel", 62.2, 2.8, 0.5, 1)
	last, _ := catalogue(ids["sign-off-left"])
	end := 3.5 + last.Length.Seconds()
	s.clip(second, ids["outro"], "Harbour theme, outro", outro, 43, 0.01, 3,
		point{2.4, -12}, point{3.4, -20}, point{end - 1.4, -20}, point{end - 0.6, -1.6})
	s.clip(shore, ids["fog"], "Fog signal", 30.2, 0, 0, 2)

	s.treat(presenter, "narration", func(t *session.Treatment) {
		t.Expander.Threshold, t.Compressor.Threshold = -40, -22.5
		t.Limiter = session.Limiter{On: true, Ceiling: -6.5, Release: 80}
	})
	s.treat(keeper, "room", func(t *session.Treatment) {
		t.Gate.Open, t.Gate.Close, t.Compressor.Threshold = -35, -41, -23
		t.Limiter = session.Limiter{On: true, Ceiling: -5, Release: 80}
	})
	s.treat(archivist, "narration", func(t *session.Treatment) { t.Expander.Threshold, t.Compressor.Threshold = -32.5, -22.5 })
	return s.doc, s.err
}

// Seconds: where the first link is cut and how much of it is cut out, and how long nothing is heard.
const (
	cutAt   = 6.2
	cutOut  = 0.41
	deadAir = 6.0
)

// cut places the rest of a sound from a second on, without a fade at its beginning.
func (s *score) cut(track, sound, name string, start, offset, out float64) {
	s.do(edit.InsertClip{Sound: sound, Track: track, Name: name, Start: audio.Seconds(start), Offset: audio.Seconds(offset)})
	s.do(edit.SetFades{Fades: []edit.ClipFades{{Clip: s.last("c"), Out: &edit.NewFade{Length: audio.Seconds(out), Shape: session.Smooth}}}})
}
