// Package mix turns a document into a plan and renders any window of it: source x
// clip gain x fades x clip envelope, summed on the track, x track envelope x fader,
// panned, summed to stereo. Every gain is computed from its position, never carried
// along, so a window is bit-identical to the same frames of the whole render.
package mix

import (
	"fmt"
	"sort"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/fade"
	"ruvel/core/pan"
	"ruvel/core/session"
)

// Sounds gives the whole planar samples of a sound by its id. The slices are read only.
type Sounds func(id string) (audio.PCM, error)

// Plan is a document compiled for rendering. It is immutable and safe for use by many goroutines.
type Plan struct {
	tracks []track // those that can be heard and hold clips
	length audio.Frames
}

type track struct {
	clips       []clip // by start
	longest     audio.Frames
	channels    int
	fader       float32
	left, right float32
	envelope    envelope.Curve
}

type clip struct {
	session.Clip
	source   audio.PCM
	gain     float32
	envelope envelope.Curve
	fades    bool
}

// Compile prepares a valid document. A sound that cannot be had or that is shorter
// than the document says is an error.
func Compile(doc session.Document, sounds Sounds) (*Plan, error) {
	p := &Plan{length: doc.Length()}
	audible := doc.Audible()
	for i, t := range doc.Tracks {
		if !audible[i] || len(t.Clips) == 0 || t.Fader <= audio.Silence {
			continue
		}
		compiled, err := compileTrack(t, doc.Sounds, sounds)
		if err != nil {
			return nil, err
		}
		p.tracks = append(p.tracks, compiled)
	}
	return p, nil
}

func compileTrack(t session.Track, facts map[string]session.Sound, sounds Sounds) (track, error) {
	out := track{channels: channels(t, facts), fader: float32(t.Fader.Gain()), envelope: envelope.New(t.Envelope)}
	left, right := pan.Balance(t.Pan)
	if out.channels == 1 {
		left, right = pan.Mono(t.Pan)
	}
	out.left, out.right = float32(left), float32(right)
	for _, id := range t.ClipsInOrder() {
		c := t.Clips[id]
		source, err := sounds(c.Sound)
		if err != nil {
			return track{}, fmt.Errorf("sound of the clip %q: %w", c.Name, err)
		}
		if source.Length() < c.Offset+c.Length || len(source) != facts[c.Sound].Channels {
			return track{}, fmt.Errorf("the recording of the clip %q has %d channels and %v; the session expects %d and at least %v",
				c.Name, len(source), source.Length(), facts[c.Sound].Channels, c.Offset+c.Length)
		}
		out.clips = append(out.clips, clip{
			Clip: c, source: source.Slice(c.Offset, c.Offset+c.Length), gain: float32(c.Gain.Gain()),
			envelope: envelope.New(c.Envelope), fades: c.FadeIn.Length > 0 || c.FadeOut.Length > 0,
		})
		out.longest = max(out.longest, c.Length)
	}
	return out, nil
}

// channels is 1 for a track of mono clips alone, else 2.
func channels(t session.Track, facts map[string]session.Sound) int {
	n := 1
	for _, c := range t.Clips {
		n = max(n, facts[c.Sound].Channels)
	}
	return n
}

// Length is the end of the last clip, muted ones included, in frames.
func (p *Plan) Length() audio.Frames { return p.length }

// between gives the clips that may sound in a window.
func (t *track) between(from, to audio.Frames) []clip {
	first := sort.Search(len(t.clips), func(i int) bool { return t.clips[i].Start > from-t.longest })
	last := sort.Search(len(t.clips), func(i int) bool { return t.clips[i].Start >= to })
	return t.clips[first:max(first, last)]
}

// Levels is what acts on one clip at one moment, in dB.
type Levels struct {
	ClipGain      audio.DB `json:"clipGain"`
	Fade          audio.DB `json:"fade"`
	ClipEnvelope  audio.DB `json:"clipEnvelope"`
	TrackEnvelope audio.DB `json:"trackEnvelope"`
	Fader         audio.DB `json:"fader"`
	Total         audio.DB `json:"total" doc:"The sum, or silence if the track cannot be heard"`
	Audible       bool     `json:"audible" doc:"False while the track is muted or others are soloed"`
	Inside        bool     `json:"inside" doc:"False if the moment lies outside the clip; then the nearest of its frames is meant"`
}

// LevelsAt breaks down the level of a clip at a session time.
func LevelsAt(doc session.Document, clipID string, at audio.Frames) (Levels, error) {
	i, c, found := doc.FindClip(clipID)
	if !found {
		return Levels{}, session.Problem{Code: "unknown-clip", Where: "clip", Message: "That clip is not in the session any more."}
	}
	t := doc.Tracks[i]
	inside := min(max(at, c.Start), c.End()-1)
	own := inside - c.Start
	l := Levels{
		ClipGain:      c.Gain,
		Fade:          audio.Level(fade.In(c.FadeIn, own) * fade.Out(c.FadeOut, own, c.Length)),
		ClipEnvelope:  audio.Level(envelope.New(c.Envelope).GainAt(own + c.Offset)),
		TrackEnvelope: audio.Level(envelope.New(t.Envelope).GainAt(inside)),
		Fader:         t.Fader,
		Audible:       doc.Audible()[i],
		Inside:        inside == at,
	}
	l.Total = audio.Silence
	if l.Audible {
		l.Total = max(audio.Silence, l.ClipGain+l.Fade+l.ClipEnvelope+l.TrackEnvelope+l.Fader)
	}
	for _, part := range []audio.DB{l.ClipGain, l.Fade, l.ClipEnvelope, l.TrackEnvelope, l.Fader} {
		if part <= audio.Silence {
			l.Total = audio.Silence
		}
	}
	return l, nil
}
