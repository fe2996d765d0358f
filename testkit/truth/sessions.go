package truth

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"

	"ruvel/core/audio"
	"ruvel/core/lead"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/testkit"
)

// Session is one that is made up: narration over music, with what is known of it.
type Session struct {
	Document session.Document
	Source   mix.Source
}

// source gives phrases as they were laid.
type source struct {
	mix.Source
	phrases map[string][]speech.Phrase
}

func (s source) Phrases(id string, _ float64) ([]speech.Phrase, error) { return s.phrases[id], nil }

// NewSession makes one of about so many seconds: one to three voices, of which some sentences are softer, on tracks of their own, in turn
// or over each other, above one to three tracks of music and effects. The parts lie where speech was laid; nothing makes way yet.
func NewSession(seed uint64, seconds float64, voices [][]audio.PCM, music []audio.PCM) Session {
	random := rand.New(rand.NewPCG(seed, 9))
	between := func(low, high float64) float64 { return low + (high-low)*random.Float64() }
	doc, sounds, phrases := session.New(), map[string]audio.PCM{}, map[string][]speech.Phrase{}
	track := func(name string, part session.Part, pcm audio.PCM, start audio.Frames, fader float64) {
		n := len(doc.Tracks)
		id := testkit.ID(n)
		sounds[id] = pcm
		doc.Sounds[id] = session.Sound{Channels: 1, Length: pcm.Length()}
		doc.Tracks = append(doc.Tracks, session.Track{
			ID: fmt.Sprintf("t%d", n+1), Name: name, Part: part, Fader: audio.DB(math.Round(fader)),
			Clips: map[string]session.Clip{fmt.Sprintf("c%d", n+50): {
				Name: name, Sound: id, Start: start, Length: pcm.Length(), FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear},
			}},
		})
	}
	longest := between(0.6, 3)
	for v := range 1 + random.IntN(3) {
		said := voices[random.IntN(len(voices))]
		var sentences []audio.PCM
		for at := 0.0; at < seconds; {
			s := said[random.IntN(len(said))]
			sentences = append(sentences, s)
			at += s.Length().Seconds() + math.Sqrt(0.3*longest)
		}
		k := Laid(random.Uint64(), between(-28, -18), 0.3, longest, sentences)
		k.Softer(0.3, between(3, 10)).Room(between(40, 60))
		for _, s := range k.Spoken {
			phrases[testkit.ID(v)] = append(phrases[testkit.ID(v)], speech.Phrase(s))
		}
		track(fmt.Sprintf("Voice %d", v+1), session.Voice, k.PCM, audio.Seconds(between(0, 6)), between(-3, 3))
	}
	for m := range 1 + random.IntN(3) {
		of := music[random.IntN(len(music))]
		start, length := between(0, seconds/3), between(seconds/4, seconds)
		if m == 0 {
			start, length = 0, seconds
		}
		pcm := audio.NewPCM(1, min(of.Length(), audio.Seconds(length)))
		gain := float32(math.Pow(10, (between(-26, -14)-RMS(of[0]))/20))
		for i := range pcm[0] {
			pcm[0][i] = gain * of[0][i]
		}
		part := session.Music
		if m == 2 {
			part = session.Effect
		}
		track(fmt.Sprintf("Music %d", m+1), part, pcm, audio.Seconds(start), between(-6, 0))
	}
	return Session{doc, source{mix.Known(func(id string) (audio.PCM, error) { return sounds[id], nil }), phrases}}
}

// Heard is a session as it is measured.
type Heard struct {
	mix.Measured
	Balance mix.Balance
	Spoken  []session.Span
	Course  lead.Course
	Misses  []lead.Miss // of the session's aim
}

// Heard measures the session.
func (s Session) Heard(ctx context.Context) (h Heard, err error) {
	plan, err := mix.CompileFrom(s.Document, s.Source, nil)
	if err != nil {
		return h, err
	}
	if h.Measured, err = plan.Measure(ctx); err != nil {
		return h, err
	}
	if h.Balance, err = plan.Balance(); err != nil {
		return h, err
	}
	if h.Spoken, err = speech.Spoken(s.Document, s.Source, 0, session.MaxLength); err != nil {
		return h, err
	}
	aim, _ := lead.FindAim(s.Document.Lead)
	h.Course = lead.Along(h.Voices, h.Rest, h.Spoken)
	h.Misses = h.Course.Misses(aim)
	return h, nil
}
