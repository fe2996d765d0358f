package speech

import (
	"ruvel/core/audio"
	"ruvel/core/session"
)

// Spoken gives the stretches of session time in which somebody can be heard to speak on
// the voice tracks, between two moments, in order and apart from each other.
func Spoken(doc session.Document, of Source, from, to audio.Frames) ([]session.Span, error) {
	var all []session.Span
	audible := doc.Audible()
	for i, t := range doc.Tracks {
		if t.Part != session.Voice || !audible[i] {
			continue
		}
		spans, err := OnTrack(doc, t, of, from, to)
		if err != nil {
			return nil, err
		}
		all = append(all, spans...)
	}
	return session.Joined(all), nil
}

// OnTrack gives those of the clips of a track.
func OnTrack(d session.Document, t session.Track, of Source, from, to audio.Frames) ([]session.Span, error) {
	var all []session.Span
	for _, c := range t.Clips {
		if c.Silent || c.Gain <= audio.Silence || c.Start >= to || c.End() <= from {
			continue
		}
		phrases, err := of.Phrases(c.Sound, d.Sounds[c.Sound].Sensitivity)
		if err != nil {
			return nil, err
		}
		for _, s := range InClip(c, phrases) {
			if s.From, s.To = max(from, s.From), min(to, s.To); s.From < s.To {
				all = append(all, s)
			}
		}
	}
	return session.Joined(all), nil
}

// InClip is where a clip that can be heard speaks, in session time and in order: of the phrases of its
// sound what lies in it and is not silenced.
func InClip(c session.Clip, phrases []Phrase) (out []session.Span) {
	end := c.Offset + c.Length
	add := func(from, to audio.Frames) {
		if from < to {
			out = append(out, session.Span{From: from - c.Offset + c.Start, To: to - c.Offset + c.Start})
		}
	}
	for _, p := range phrases {
		if p.From >= end {
			break
		}
		from, to := max(p.From, c.Offset), min(p.To, end)
		for _, h := range c.Hushed {
			if h.To <= from || h.From >= to {
				continue
			}
			add(from, h.From)
			from = h.To
		}
		add(from, to)
	}
	return out
}
