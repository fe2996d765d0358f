// Package pause finds the pauses in the speech of a session and how they can be tightened:
// where nobody speaks for longer than a chosen time, the middle can go, so that a pause
// of a chosen length is left. Times are frames of the session at 48 kHz.
package pause

import (
	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/core/speech"
)

// Settings say which pauses are tightened and to what.
type Settings struct {
	Longer audio.Frames `json:"longer" doc:"Pauses longer than this are tightened"`
	To     audio.Frames `json:"to" doc:"What is left of them"`
	// Meant says that a pause is one on purpose, such as a stretch of music alone.
	Meant audio.Frames `json:"meant" doc:"Pauses longer than this are listed, but left as they are unless they are chosen"`
}

// Default is what is asked for if nobody says otherwise (common practice): pauses over 0.8 s
// become 0.5 s, and what is longer than 5 s is left alone.
func Default() Settings {
	return Settings{Longer: 8 * audio.Second / 10, To: audio.Second / 2, Meant: 5 * audio.Second}
}

// Pause is a stretch in which nobody speaks, and what would be taken out of it.
type Pause struct {
	From    audio.Frames `json:"from" doc:"After the last word before it"`
	To      audio.Frames `json:"to" doc:"At the first word after it"`
	CutFrom audio.Frames `json:"cutFrom"`
	CutTo   audio.Frames `json:"cutTo"`
	Chosen  bool         `json:"chosen" doc:"False for one that is probably meant"`
}

// Find lists the pauses between the first and the last word of some tracks, by their
// ids, that are longer than wanted. A pause is where none of them speaks.
func Find(d session.Document, tracks []string, source speech.Source, s Settings) ([]Pause, error) {
	if s.To < audio.Second/50 || s.Longer <= s.To {
		return nil, problem.New("bad-pauses", "to", "What is left of a pause is at least 0.02 s and less than the pauses that are tightened.")
	}
	words, err := spoken(d, tracks, source)
	if err != nil {
		return nil, err
	}
	out := []Pause{}
	for i := 1; i < len(words); i++ {
		from, to := words[i-1].To, words[i].From
		if to-from <= s.Longer {
			continue
		}
		before := s.To / 2
		out = append(out, Pause{
			From: from, To: to, CutFrom: from + before, CutTo: to - (s.To - before),
			Chosen: s.Meant == 0 || to-from <= s.Meant,
		})
	}
	return out, nil
}

// spoken are the stretches of the session in which one of the tracks speaks, united.
func spoken(d session.Document, tracks []string, source speech.Source) ([]session.Span, error) {
	var all []session.Span
	for _, id := range tracks {
		i := d.FindTrack(id)
		if i < 0 {
			return nil, problem.New("unknown-track", "tracks", "That track is not in the session any more.")
		}
		for _, c := range d.Tracks[i].Clips {
			if c.Silent || c.Gain <= audio.Silence {
				continue
			}
			phrases, err := source.Phrases(c.Sound, d.Sounds[c.Sound].Sensitivity)
			if err != nil {
				return nil, err
			}
			for _, p := range phrases {
				from, to := max(p.From, c.Offset), min(p.To, c.Offset+c.Length)
				if from < to {
					all = append(all, session.Span{From: from - c.Offset + c.Start, To: to - c.Offset + c.Start})
				}
			}
		}
	}
	return session.Joined(all), nil
}
