package review_test

import (
	"context"
	"fmt"
	"math"
	"slices"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"ruvel/core/audio"
	"ruvel/core/credits"
	"ruvel/core/edit"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/review"
	"ruvel/core/session"
	"ruvel/core/speech"
	"ruvel/testkit"
)

// studio is sounds with what is known of them.
type studio struct {
	pcm     map[string]audio.PCM
	phrases map[string][]speech.Phrase
	papers  map[string]credits.Sound
}

func (s *studio) Samples(id string) (audio.PCM, error) {
	if pcm, there := s.pcm[id]; there {
		return pcm, nil
	}
	return nil, fmt.Errorf("no sound %s", id)
}

func (s *studio) Phrases(id string, _ float64) ([]speech.Phrase, error) { return s.phrases[id], nil }

func (s *studio) Powers(id string) (loudness.Series, error) { return loudness.Powers(s.pcm[id]), nil }

// add puts a sound into the studio and the document.
func (s *studio) add(d *session.Document, n int, pcm audio.PCM, phrases ...speech.Phrase) string {
	id := testkit.ID(n)
	s.pcm[id], s.phrases[id] = pcm, phrases
	s.papers[id] = credits.Sound{ID: id, Name: fmt.Sprintf("Sound %d", n), Title: "A title", Author: "Somebody", Licence: "own"}
	d.Sounds[id] = session.Sound{Channels: len(pcm), Length: pcm.Length()}
	return id
}

func sec(s float64) audio.Frames { return audio.Seconds(s) }

func phrase(from, to float64) speech.Phrase { return speech.Phrase{From: sec(from), To: sec(to)} }

// spoken is a made-up voice: loud in its phrases, with a room of a level in between.
func spoken(length float64, amplitude, room float64, phrases ...speech.Phrase) audio.PCM {
	pcm := testkit.Noise(1, room, sec(length), 31)
	loud := testkit.Noise(1, amplitude, sec(length), 32)
	for _, p := range phrases {
		for i := p.From; i < p.To; i++ {
			edge := min(1, float32(min(i-p.From, p.To-1-i))/480)
			pcm[0][i] += edge * loud[0][i]
		}
	}
	return pcm
}

func faded(in, out float64) func(*session.Clip) {
	return func(c *session.Clip) {
		c.FadeIn = session.Fade{Length: sec(in), Shape: session.Smooth}
		c.FadeOut = session.Fade{Length: sec(out), Shape: session.Smooth}
	}
}

func clip(name, sound string, start, offset, length float64, change ...func(*session.Clip)) session.Clip {
	c := session.Clip{Name: name, Sound: sound, Start: sec(start), Offset: sec(offset), Length: sec(length), FadeIn: session.Fade{Shape: session.Linear}, FadeOut: session.Fade{Shape: session.Linear}, Envelope: []session.Point{}}
	for _, do := range change {
		do(&c)
	}
	return c
}

// What is heard in it, and where somebody speaks.
var (
	phrasesOfGood = []speech.Phrase{phrase(1, 6), phrase(7, 12), phrase(13, 18), phrase(19, 23)}
	voiceOfGood   = sync.OnceValue(func() audio.PCM { return spoken(24, 0.2, 0.0002, phrasesOfGood...) })
	bedOfGood     = sync.OnceValue(func() audio.PCM { return testkit.Noise(2, 0.02, sec(40), 33) })
)

// copied is a sound that may be changed.
func copied(p audio.PCM) audio.PCM {
	out := make(audio.PCM, len(p))
	for c := range p {
		out[c] = slices.Clone(p[c])
	}
	return out
}

// good is a session in which nothing is wrong: somebody speaks over a soft bed.
func good() (*studio, session.Document, review.Material) {
	s := &studio{map[string]audio.PCM{}, map[string][]speech.Phrase{}, map[string]credits.Sound{}}
	d := session.New()
	voice := s.add(&d, 0, copied(voiceOfGood()), slices.Clone(phrasesOfGood)...)
	bed := s.add(&d, 1, copied(bedOfGood()))
	d.Tracks = []session.Track{
		{ID: "t1", Name: "Presenter", Part: session.Voice, Envelope: []session.Point{}, Clips: map[string]session.Clip{"c1": clip("Link", voice, 0.2, 0, 24, faded(0.02, 0.02))}},
		{ID: "t2", Name: "Music", Part: session.Music, Envelope: []session.Point{}, Clips: map[string]session.Clip{"c2": clip("Bed", bed, 0, 0, 26, faded(0.6, 2))}},
	}
	d.Next = 10
	m := review.Material{Limits: review.Usual(), Details: &review.Details{Title: "A title", Description: "What it is about", Language: "en"}}
	return s, d, m
}

// reviewed has a session measured and reviewed.
func reviewed(t require.TestingT, s *studio, d session.Document, m review.Material) []review.Finding {
	require.NoError(t, d.Validate())
	m.Document, m.Source = d, s
	plan, err := mix.CompileFrom(d, s, nil)
	if err == nil {
		of, err := plan.Measure(context.Background())
		require.NoError(t, err)
		m.Plan, m.Mix = plan, &of
	}
	m.Examined = func(id string) (review.Examined, error) { return review.Examine(s.pcm[id], s.phrases[id]), nil }
	for _, id := range d.SoundsInOrder() {
		m.Credits = append(m.Credits, s.papers[id])
	}
	found, err := review.Of(m)
	require.NoError(t, err)
	return found
}

func kinds(found []review.Finding) (out []string) {
	for _, f := range found {
		if !f.Aside {
			out = append(out, f.Kind)
		}
	}
	return out
}

func applied(t require.TestingT, d session.Document, op edit.Op) session.Document {
	again, err := edit.Decode(edit.Encode(op)) // as it comes from outside
	require.NoError(t, err)
	out, _, err := edit.Apply(d, again, nil)
	require.NoError(t, err)
	return out
}

func TestNothingIsSaidOfASessionInWhichNothingIsWrong(t *testing.T) {
	s, d, m := good()
	assert.Empty(t, reviewed(t, s, d, m))
}

// fault is a session made to have just one kind of thing wrong.
type fault struct {
	kind   string
	weight review.Weight
	spoil  func(s *studio, d *session.Document, m *review.Material)
	says   string // in its sentence
	mends  bool   // its fix, once or twice, leaves nothing to say
}

func change(d *session.Document, track int, id string, do func(*session.Clip)) {
	c := d.Tracks[track].Clips[id]
	do(&c)
	d.Tracks[track].Clips[id] = c
}

func faults() []fault {
	type doc = session.Document
	type mat = review.Material
	line := func(points ...session.Point) []session.Point { return points }
	at := func(s float64, level audio.DB) session.Point { return session.Point{At: sec(s), Level: level} }
	return []fault{
		{"covered", review.Should, func(_ *studio, d *doc, _ *mat) {
			d.Tracks[1].Envelope = line(at(12.3, 0), at(12.9, 8), at(18.4, 8), at(19, 0))
		}, "“Bed” covers Presenter for", true},
		{"covered", review.Must, func(_ *studio, d *doc, _ *mat) {
			d.Tracks[1].Envelope = line(at(12.3, 0), at(12.9, 12), at(18.4, 12), at(19, 0))
		}, "15 are aimed at", true},
		{"ramp", review.Should, func(_ *studio, d *doc, _ *mat) {
			d.Tracks[1].Envelope = line(at(0, 8), at(0.9, 8), at(1.8, 0))
		}, "still goes down by", true},
		{"ramp", review.Should, func(_ *studio, d *doc, _ *mat) {
			change(d, 1, "c2", func(c *session.Clip) { c.Envelope = line(at(22.4, -2), at(23, 4)) })
		}, "under the last syllable", true},
		{"ramp", review.Should, func(s *studio, d *doc, _ *mat) { // the fade of a theme that ends in the first words
			theme := s.add(d, 2, testkit.Noise(2, 0.05, sec(9), 41))
			d.Tracks = append(d.Tracks, session.Track{ID: "t3", Name: "Themes", Part: session.Music, Envelope: []session.Point{}, Clips: map[string]session.Clip{"c3": clip("Theme", theme, 0, 0, 2, faded(0.3, 1.2))}})
		}, "still goes down by", true},
		{"ramp", review.Should, func(s *studio, d *doc, _ *mat) { // and that of one that comes in before the last
			theme := s.add(d, 2, testkit.Noise(2, 0.05, sec(9), 41))
			d.Tracks = append(d.Tracks, session.Track{ID: "t3", Name: "Themes", Part: session.Music, Envelope: []session.Point{}, Clips: map[string]session.Clip{"c3": clip("Theme", theme, 22.4, 0, 5, faded(1.2, 2))}})
		}, "under the last syllable", true},
		{"true-peak", review.Look, func(s *studio, d *doc, _ *mat) {
			for i := range sec(0.002) { // a burst
				s.pcm[testkit.ID(0)][0][sec(9)+i] = 1.4 * float32(math.Sin(float64(i)*math.Pi/4+0.4))
			}
		}, "dB over the ceiling of −1", true},
		{"true-peak", review.Look, func(s *studio, d *doc, _ *mat) {
			d.Tracks[0].Fader = -0.9
			for i := range sec(0.002) {
				s.pcm[testkit.ID(0)][0][sec(9)+i] = 1.6 * float32(math.Sin(float64(i)*math.Pi/4+0.4))
			}
		}, "over the ceiling", true},
		{"true-peak", review.Look, func(s *studio, d *doc, _ *mat) {
			blow := s.add(d, 2, testkit.Sine(1, 700, -2, 0, sec(0.1))) // on two tracks, so that no one limiter does it
			for i, id := range []string{"3", "4"} {
				d.Tracks = append(d.Tracks, session.Track{ID: "t" + id, Name: "Blow", Part: session.Effect, Fader: -3, Envelope: []session.Point{}, Clips: map[string]session.Clip{
					"c" + id: clip("Blow", blow, 24.4+float64(i), 0, 0.1, faded(0.03, 0.05), func(c *session.Clip) { c.Gain = 9 }),
				}})
			}
			d.Tracks[0].Fader = -0.9
		}, "over the ceiling", true},
		{"clipped", review.Should, func(s *studio, _ *doc, _ *mat) {
			pcm := s.pcm[testkit.ID(0)][0]
			for i := sec(9); i < sec(9.01); i++ {
				pcm[i] = max(-0.42, min(0.42, pcm[i]*3))
			}
		}, "stays at its full scale for", false},
		{"loudness", review.Look, func(_ *studio, d *doc, _ *mat) { d.Tracks[0].Fader, d.Tracks[1].Fader = -5, -5 }, "too soft for Podcast, stereo", true},
		{"loudness", review.Look, func(_ *studio, d *doc, _ *mat) { d.Target = "radio-europe" }, "too loud", true},
		{"loudness", review.Must, func(_ *studio, d *doc, _ *mat) { d.Tracks[0].Fader, d.Tracks[1].Fader = -48, -48 }, "That is all that can be done: the mix is too soft", true},
		{"apart", review.Should, func(s *studio, d *doc, _ *mat) {
			guest := s.add(d, 2, spoken(8, 0.095, 0.0001, phrase(0.5, 3.5), phrase(4.2, 7.5)), phrase(0.5, 3.5), phrase(4.2, 7.5))
			change(d, 1, "c2", func(c *session.Clip) { c.Length = sec(35); c.Envelope = line(at(23.6, 0), at(24.2, -7)) })
			d.Tracks = append(d.Tracks, session.Track{ID: "t3", Name: "Guest", Part: session.Voice, Envelope: []session.Point{}, Clips: map[string]session.Clip{"c3": clip("Guest", guest, 24.5, 0, 8, faded(0.02, 0.02))}})
		}, "Guest speaks 6.", true},
		{"drift", review.Should, func(_ *studio, d *doc, _ *mat) {
			change(d, 0, "c1", func(c *session.Clip) { c.Envelope = line(at(12.3, 0), at(12.8, -5.5), at(18.2, -5.5), at(18.7, 0)) })
			d.Tracks[1].Fader = -7
		}, "softer than usual", true},
		{"dead-air", review.Must, func(s *studio, d *doc, _ *mat) {
			extra := s.add(d, 2, spoken(6, 0.2, 0.0002, phrase(0.3, 5.5)), phrase(0.3, 5.5))
			d.Tracks[0].Clips["c3"] = clip("Sign-off", extra, 32, 0, 6, faded(0.02, 0.02))
		}, "nothing comes within 40 LU", true},
		{"dead-air", review.Should, func(_ *studio, d *doc, _ *mat) {
			for i := range d.Tracks {
				for id, c := range d.Tracks[i].Clips {
					c.Start += sec(2)
					d.Tracks[i].Clips[id] = c
				}
			}
		}, "before the show starts", true},
		{"dead-air", review.Should, func(s *studio, d *doc, _ *mat) {
			quiet := s.add(d, 2, testkit.Noise(1, 0.00001, sec(9), 5))
			d.Tracks[0].Clips["c3"] = clip("Silence", quiet, 24.4, 0, 9, faded(0.02, 0.02))
		}, "after the show has ended", true},
		{"abrupt", review.Should, func(_ *studio, d *doc, _ *mat) {
			change(d, 0, "c1", func(c *session.Clip) { c.Length, c.FadeOut.Length = sec(21.5), 0 })
			change(d, 1, "c2", func(c *session.Clip) { c.Length = sec(24.5) })
		}, "without a fade", true},
		{"join", review.Should, func(s *studio, d *doc, _ *mat) {
			change(d, 0, "c1", func(c *session.Clip) { c.Length, c.FadeOut.Length = sec(15), 0 })
			hum := s.pcm[testkit.ID(0)][0]
			for i := range hum { // a slow wave, so that only the step is steep
				hum[i] = hum[i]*0.02 + float32(0.35*math.Sin(2*math.Pi*110*float64(i)/48000)*gate(i))
			}
			rest := clip("Link, second half", testkit.ID(0), 15.2, 15.3023, 8.5)
			rest.FadeOut.Length = sec(0.02)
			d.Tracks[0].Clips["c3"] = rest
			d.Tracks[0].Fader = -2
		}, "makes a step of", true},
		{"join", review.Should, func(s *studio, d *doc, _ *mat) {
			change(d, 0, "c1", func(c *session.Clip) { c.Length, c.FadeOut.Length = sec(12.5), 0 })
			other := s.add(d, 2, spoken(12, 0.2, 0.0015, phrase(1, 5), phrase(6, 10)), phrase(1, 5), phrase(6, 10))
			d.Tracks[0].Clips["c3"] = clip("Link, another day", other, 12.7, 0.5, 10.5, faded(0, 0.02))
			change(d, 1, "c2", func(c *session.Clip) { c.Length = sec(25.4) })
		}, "the background jumps by", true},
		{"one-sided", review.Must, func(s *studio, d *doc, _ *mat) {
			mono := s.pcm[testkit.ID(0)][0]
			s.pcm[testkit.ID(0)] = audio.PCM{mono, make([]float32, len(mono))}
			d.Sounds[testkit.ID(0)] = session.Sound{Channels: 2, Length: sec(24)}
		}, "on the left side alone", true},
		{"cancels", review.Must, func(s *studio, d *doc, _ *mat) {
			mono := s.pcm[testkit.ID(0)][0]
			other := slices.Clone(mono)
			for i := range other {
				other[i] = -other[i]
			}
			for i := range mono {
				mono[i], other[i] = mono[i]*0.71, other[i]*0.71
			}
			s.pcm[testkit.ID(0)] = audio.PCM{mono, other}
			d.Sounds[testkit.ID(0)] = session.Sound{Channels: 2, Length: sec(24)}
			d.Tracks[1].Fader = -3
		}, "cancel each other", false},
		{"noise", review.Look, func(s *studio, d *doc, _ *mat) {
			said := s.phrases[testkit.ID(0)]
			s.pcm[testkit.ID(0)] = spoken(24, 0.2, 0.012, said...)
		}, "stands 2", true},
		{"hum", review.Look, func(s *studio, _ *doc, _ *mat) {
			pcm := s.pcm[testkit.ID(0)][0]
			for i := range pcm {
				pcm[i] += float32(0.003 * math.Sin(2*math.Pi*50*float64(i)/48000))
			}
		}, "hums at 50 Hz", true},
		{"music-ends", review.Should, func(_ *studio, d *doc, _ *mat) {
			change(d, 1, "c2", func(c *session.Clip) { c.Length, c.FadeOut.Length = sec(15), sec(0.3) })
		}, "before the speech over it does", true},
		{"music-edge", review.Should, func(_ *studio, d *doc, _ *mat) {
			change(d, 1, "c2", func(c *session.Clip) { c.FadeOut.Length = 0 })
		}, "“Bed” ends at 0:26.0", true},
		{"place", review.Must, func(_ *studio, d *doc, _ *mat) {
			d.Markers["m9"] = session.Marker{Name: "Sign-off", At: sec(20), Length: sec(3), Fills: "t1"}
		}, "“Sign-off” on “Presenter”", true},
		{"solo", review.Must, func(_ *studio, d *doc, _ *mat) { d.Tracks[0].Solo, d.Tracks[1].Solo = true, true }, "“Presenter” and “Music” are soloed", true},
		{"mute", review.Look, func(_ *studio, d *doc, _ *mat) {
			d.Tracks = append(d.Tracks, session.Track{ID: "t3", Name: "Spare", Part: session.Music, Mute: true, Envelope: []session.Point{}, Clips: map[string]session.Clip{"c3": clip("Spare bed", testkit.ID(1), 3, 10, 9, faded(1, 2), func(c *session.Clip) { c.Gain = -20 })}})
		}, "“Spare” is muted and holds one clip", true},
		{"loop", review.Look, func(_ *studio, _ *doc, m *mat) { m.Loop = &session.Span{From: sec(3), To: sec(5)} }, "over and over", false},
		{"take", review.Should, func(_ *studio, _ *doc, m *mat) { m.Takes = []review.Take{{Track: "t1", At: sec(4)}} }, "neither kept nor thrown away", false},
		{"hidden", review.Look, func(_ *studio, d *doc, _ *mat) {
			d.Tracks[1].Clips["c3"] = clip("Bed again", testkit.ID(1), 2, 20, 4, faded(1, 1), func(c *session.Clip) { c.Layer = -1; c.Gain = -20 })
		}, "lies wholly under “Bed”", true},
		{"missing", review.Must, func(s *studio, d *doc, m *mat) {
			delete(s.pcm, testkit.ID(1))
			m.Missing = []string{testkit.ID(1)}
		}, "The sound of “Bed” is missing", false},
		{"credit", review.Must, func(s *studio, _ *doc, _ *mat) {
			s.papers[testkit.ID(1)] = credits.Sound{ID: testkit.ID(1), Name: "Bed", Title: "Bed", Licence: "cc-by-4.0", Part: session.Music}
		}, "“Bed” lacks its author and source", false},
		{"licence", review.Must, func(s *studio, _ *doc, _ *mat) {
			s.papers[testkit.ID(1)] = credits.Sound{ID: testkit.ID(1), Name: "Bed", Title: "Bed", Author: "A", Source: "S", Licence: "cc-by-nd-4.0"}
		}, "may not be cut or mixed", false},
		{"details", review.Should, func(_ *studio, _ *doc, m *mat) { m.Details = &review.Details{Title: "A title"} }, "no description and language", false},
	}
}

// gate opens in the phrases of the good session.
func gate(i int) float64 {
	for _, p := range []speech.Phrase{phrase(1, 6), phrase(7, 12), phrase(13, 18), phrase(19, 23)} {
		if at := audio.Frames(i); at >= p.From && at < p.To {
			return math.Min(1, float64(min(at-p.From, p.To-1-at))/4800)
		}
	}
	return 0
}

func TestEveryFaultIsFoundOnceMendedAndThenGone(t *testing.T) {
	seen := map[string]bool{}
	for i, f := range faults() {
		seen[f.kind] = true
		t.Run(fmt.Sprintf("%d %s", i, f.kind), func(t *testing.T) {
			s, d, m := good()
			f.spoil(s, &d, &m)
			found := reviewed(t, s, d, m)
			require.NotEmpty(t, found)
			for _, one := range found {
				assert.Equal(t, f.kind, one.Kind, one.Text)
			}
			assert.Equal(t, f.weight, found[0].Weight, found[0].Text)
			assert.Contains(t, found[0].Text, f.says)
			assert.NotEmpty(t, found[0].Why)
			assert.GreaterOrEqual(t, found[0].By, 0.0)
			assert.LessOrEqual(t, found[0].From, found[0].To)
			if !f.mends {
				return
			}
			for range 2 {
				op, n := review.Together(found)
				require.NotNil(t, op, "it can be mended")
				assert.LessOrEqual(t, n, len(found))
				d = applied(t, d, op)
				if found = reviewed(t, s, d, m); len(found) == 0 {
					break
				}
			}
			for _, one := range found {
				t.Error("still: ", one.Text)
			}
		})
	}
	for _, r := range review.Rules() {
		assert.True(t, seen[r.Kind] || r.Kind == "range", "there is a session with the fault %s", r.Kind)
	}
}
