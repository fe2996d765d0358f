package session

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"unicode/utf8"

	"ruvel/core/audio"
)

// Problem is what is wrong with a document or an edit, in words for the person at the desk.
type Problem struct {
	Code    string `json:"code" doc:"Stays the same between versions, for programs"`
	Where   string `json:"where" doc:"The path in the document, or the field of the edit"`
	Message string `json:"message" doc:"What is wrong and what to do"`
}

func (p Problem) Error() string { return p.Message }

// What a session may hold.
const (
	MaxTracks = 64
	MaxClips  = 5000
	MaxPoints = 10000
	MaxLength = 12 * 3600 * audio.Second
	maxName   = 200
)

var (
	soundID = regexp.MustCompile(`^[0-9a-f]{64}$`)
	localID = regexp.MustCompile(`^[a-z][0-9]{1,12}$`)
	parts   = []Part{Voice, Music, Effect}
	shapes  = []Shape{Linear, EqualPower, Smooth, Exponential}
)

// Validate says what is wrong with the document, or nil. Whatever passes can be rendered.
func (d Document) Validate() error {
	if d.Format != Format {
		return Problem{"unknown-format", "format", fmt.Sprintf("This session is of the form %q; this version of Ruvel reads %q.", d.Format, Format)}
	}
	if d.Next < 1 || len(d.Target) > 40 {
		return Problem{"bad-header", "next", "The session's target or next number is out of range."}
	}
	for id, s := range d.Sounds {
		if !soundID.MatchString(id) || s.Channels < 1 || s.Channels > 2 || s.Length < 1 || s.Length > MaxLength {
			return Problem{"bad-sound", "sounds." + id, "A sound needs an id of 64 hex digits, one or two channels and a length."}
		}
	}
	for id, m := range d.Markers {
		if !localID.MatchString(id) || !within(m.At, 0, MaxLength) || !within(m.Length, 0, MaxLength) || !goodName(m.Name) {
			return Problem{"bad-marker", "markers." + id, "A marker needs a name of at most 200 characters and a place inside the session."}
		}
	}
	if len(d.Tracks) > MaxTracks {
		return Problem{"too-many-tracks", "tracks", fmt.Sprintf("A session holds at most %d tracks.", MaxTracks)}
	}
	seen := map[string]bool{}
	clips := 0
	for i, t := range d.Tracks {
		where := fmt.Sprintf("tracks.%d", i)
		if !localID.MatchString(t.ID) || seen[t.ID] {
			return Problem{"bad-id", where, "Two things in the session have the same id, or an id is malformed."}
		}
		seen[t.ID] = true
		if err := t.validate(where); err != nil {
			return err
		}
		for id, c := range t.Clips {
			if !localID.MatchString(id) || seen[id] {
				return Problem{"bad-id", where + ".clips." + id, "Two things in the session have the same id, or an id is malformed."}
			}
			seen[id] = true
			if err := c.validate(where+".clips."+id, d.Sounds); err != nil {
				return err
			}
		}
		if clips += len(t.Clips); clips > MaxClips {
			return Problem{"too-many-clips", where, fmt.Sprintf("A session holds at most %d clips.", MaxClips)}
		}
	}
	return nil
}

func (t Track) validate(where string) error {
	if !goodName(t.Name) {
		return Problem{"bad-name", where + ".name", "A track needs a name of at most 200 characters."}
	}
	if !slices.Contains(parts, t.Part) {
		return Problem{"bad-part", where + ".part", fmt.Sprintf("%q is not a part: a track is voice, music or effect.", t.Part)}
	}
	if !goodLevel(t.Fader) {
		return Problem{"level-out-of-range", where + ".fader", "A fader goes from silence (-120 dB) to +12 dB."}
	}
	if !(t.Pan >= -1 && t.Pan <= 1) {
		return Problem{"pan-out-of-range", where + ".pan", "Pan goes from -1 (left) to 1 (right)."}
	}
	return validateEnvelope(t.Envelope, where+".envelope")
}

func (c Clip) validate(where string, sounds map[string]Sound) error {
	s, ok := sounds[c.Sound]
	switch {
	case !ok:
		return Problem{"unknown-sound", where + ".sound", fmt.Sprintf("The clip %q uses a sound that the session does not have.", c.Name)}
	case !goodName(c.Name):
		return Problem{"bad-name", where + ".name", "A clip needs a name of at most 200 characters."}
	case !within(c.Start, 0, MaxLength) || c.Length < 1 || c.End() > MaxLength:
		return Problem{"clip-outside-session", where + ".start", fmt.Sprintf("The clip %q would lie outside the session, which runs from 0 to 12 hours.", c.Name)}
	case c.Offset < 0 || c.Length > s.Length || c.Offset > s.Length-c.Length:
		return Problem{"clip-outside-sound", where + ".offset", fmt.Sprintf("The clip %q would reach beyond its recording, which is %v long.", c.Name, s.Length)}
	case !goodLevel(c.Gain):
		return Problem{"level-out-of-range", where + ".gain", "A clip's gain goes from silence (-120 dB) to +12 dB."}
	}
	for _, f := range []Fade{c.FadeIn, c.FadeOut} {
		if f.Length < 0 || f.Length > MaxLength || f.Past < 0 || f.Past > f.Length || !slices.Contains(shapes, f.Shape) {
			return Problem{"bad-fade", where, fmt.Sprintf("A fade of the clip %q has an impossible length or an unknown shape.", c.Name)}
		}
	}
	return validateEnvelope(c.Envelope, where+".envelope")
}

func validateEnvelope(points []Point, where string) error {
	if len(points) > MaxPoints {
		return Problem{"too-many-points", where, fmt.Sprintf("A level line holds at most %d points.", MaxPoints)}
	}
	for i, p := range points {
		if !within(p.At, 0, MaxLength) || !goodLevel(p.Level) {
			return Problem{"level-out-of-range", where, "A point of a level line lies between silence (-120 dB) and +12 dB, inside the session."}
		}
		if i > 0 && p.At <= points[i-1].At {
			return Problem{"points-out-of-order", where, "Two points of a level line stand at the same time or in the wrong order."}
		}
	}
	return nil
}

func within(f, low, high audio.Frames) bool { return f >= low && f <= high }

func goodLevel(d audio.DB) bool {
	return !math.IsNaN(float64(d)) && d >= audio.Silence && d <= audio.Loudest
}

func goodName(s string) bool {
	return s != "" && utf8.ValidString(s) && utf8.RuneCountInString(s) <= maxName
}
