package session

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"ruvel/core/audio"
	"ruvel/core/problem"
)

// What a session may hold. The last four are bounds of the document as a whole, which
// edits are held to before they do any work.
const (
	MaxTracks    = 64
	MaxPoints    = 10000 // of one level line
	MaxHushed    = 1000  // silenced stretches of a clip
	MaxLength    = 12 * 3600 * audio.Second
	maxName      = 200
	MaxClips     = 5000
	MaxAllPoints = 200_000 // of all level lines
	MaxMarkers   = 2000
	MaxBytes     = 64 << 20 // of its JSON form
	maxLayer     = 1_000_000
)

var (
	soundID = regexp.MustCompile(`^[0-9a-f]{64}$`)
	localID = regexp.MustCompile(`^[a-z][0-9]{1,12}$`)
	parts   = []Part{Voice, Music, Effect}
	shapes  = []Shape{Linear, EqualPower, Smooth, Exponential}
	laws    = []Law{LaidOver, CrossGain, CrossPower}
)

// Validate says what is wrong with the document, or nil. Whatever passes can be rendered.
func (d Document) Validate() error {
	if d.Format != Format {
		return problem.New("unknown-format", "format", "This session is of the form %q; this version of Ruvel reads %q.", d.Format, Format)
	}
	if d.Next < 1 || len(d.Target) > 40 || len(d.Lead) > 40 {
		return problem.New("bad-header", "next", "The session's target or next number is out of range.")
	}
	if err := d.validateSounds(); err != nil {
		return err
	}
	if err := d.validateAside(); err != nil {
		return err
	}
	if err := d.Model.validate(); err != nil {
		return err
	}
	if d.Target == Own || d.Own != (OwnTarget{}) {
		if err := d.Own.Check("own"); err != nil {
			return err
		}
	}
	if err := d.validateMarkers(); err != nil {
		return err
	}
	return d.validateTracks()
}

func (d Document) validateSounds() error {
	for id, s := range d.Sounds {
		if !soundID.MatchString(id) || s.Channels < 1 || s.Channels > 2 || s.Length < 1 || s.Length > MaxLength {
			return problem.New("bad-sound", "sounds."+id, "A sound needs an id of 64 hex digits, one or two channels and a length.")
		}
		if s.Side != BothSides && (s.Channels != 2 || s.Side != LeftSide && s.Side != RightSide) {
			return problem.New("bad-side", "sounds."+id, "Of a sound in stereo the left or the right side is heard, or both.")
		}
		if !(math.Abs(s.Sensitivity) <= MostSensitive) {
			return problem.New("bad-sensitivity", "sounds."+id, "The sensitivity with which speech is found goes from -12 to 12 dB.")
		}
	}
	return nil
}

func (d Document) validateMarkers() error {
	for id, m := range d.Markers {
		if !localID.MatchString(id) || !within(m.At, 0, MaxLength) || !within(m.Length, 0, MaxLength) || !goodName(m.Name) {
			return problem.New("bad-marker", "markers."+id, "A marker needs a name of at most 200 characters and a place inside the session.")
		}
		if m.Picture != "" && !soundID.MatchString(m.Picture) {
			return problem.New("bad-picture", "markers."+id, "A picture of a chapter has an id of 64 hex digits.")
		}
		if err := CheckLink(m.Link); err != nil {
			return err
		}
		if m.Fills != "" && (m.Length == 0 || m.Chapter || d.FindTrack(m.Fills) < 0) {
			return problem.New("bad-place", "markers."+id, "An empty place lies on a track of the session, has a length, and is no chapter.")
		}
	}
	return nil
}

func (d Document) validateTracks() error {
	if len(d.Tracks) > MaxTracks {
		return problem.New("too-many-tracks", "tracks", "A session holds at most %d tracks.", MaxTracks)
	}
	seen := map[string]bool{}
	clips := 0
	for i, t := range d.Tracks {
		where := fmt.Sprintf("tracks.%d", i)
		if !localID.MatchString(t.ID) || seen[t.ID] {
			return problem.New("bad-id", where, "Two things in the session have the same id, or an id is malformed.")
		}
		seen[t.ID] = true
		if err := t.validate(where); err != nil {
			return err
		}
		for id, c := range t.Clips {
			if !localID.MatchString(id) || seen[id] {
				return problem.New("bad-id", where+".clips."+id, "Two things in the session have the same id, or an id is malformed.")
			}
			seen[id] = true
			if err := c.validate(where+".clips."+id, d.Sounds); err != nil {
				return err
			}
		}
		if clips += len(t.Clips); clips > MaxClips {
			return problem.New("too-many-clips", where, "A session holds at most %d clips.", MaxClips)
		}
	}
	return nil
}

// Check says what is wrong with a target.
func (t OwnTarget) Check(where string) error {
	if !goodName(t.Name) || t.Name == "" {
		return problem.New("bad-target", where, "A target needs a name of at most %d characters.", maxName)
	}
	if !(t.Integrated >= -40 && t.Integrated <= -5 && t.Tolerance >= 0.1 && t.Tolerance <= 5 && t.TruePeak >= -20 && t.TruePeak <= 0) {
		return problem.New("bad-target", where, "A target lies between -40 and -5 LUFS, with a tolerance of 0.1 to 5 LU and a true peak from -20 to 0 dBTP.")
	}
	return nil
}

// longestLink is how long an address may be.
const longestLink = 2000

// CheckLink says what is wrong with an address that listeners are to be led to. None is fine.
func CheckLink(link string) error {
	if link == "" {
		return nil
	}
	u, err := url.Parse(link)
	if err != nil || len(link) > longestLink || (u.Scheme != "https" && u.Scheme != "http") || u.Host == "" || strings.ContainsFunc(link, func(r rune) bool { return r <= ' ' || r > '~' }) {
		return problem.New("bad-link", "link", "%q is no address on the web. It begins with https:// and has no spaces; letters beyond English ones are written with %%.", link)
	}
	return nil
}

// MarkersInOrder gives the ids of markers by their places.
func MarkersInOrder(markers map[string]Marker) []string {
	return slices.SortedFunc(maps.Keys(markers), func(a, b string) int {
		return cmp.Or(cmp.Compare(markers[a].At, markers[b].At), cmp.Compare(markers[a].Length, markers[b].Length), strings.Compare(a, b))
	})
}

// MostAside is how many findings can be set aside, and longestReason how long the reason can be.
const (
	MostAside     = 2000
	longestReason = 500
	longestKey    = 200
)

func (d Document) validateAside() error {
	if len(d.Aside) > MostAside {
		return problem.New("too-many-aside", "aside", "At most %d findings can be set aside.", MostAside)
	}
	for key, a := range d.Aside {
		if key == "" || len(key) > longestKey || utf8.RuneCountInString(a.Reason) > longestReason || !utf8.ValidString(a.Reason) || math.IsNaN(a.By) || math.IsInf(a.By, 0) {
			return problem.New("bad-aside", "aside", "A finding is set aside by its key, with a reason of at most %d characters.", longestReason)
		}
	}
	return nil
}

// validate says what is wrong with how a session stands to its layout.
func (m Model) validate() error {
	if m.Version < 0 || len(m.Tracks) > mostStanding || len(m.Clips) > mostStanding || len(m.Markers) > mostStanding {
		return problem.New("bad-model", "model", "What a session has of its layout is at most %d tracks, clips and markers each.", mostStanding)
	}
	for _, stands := range []map[string]string{m.Tracks, m.Clips, m.Markers} {
		for theirs, ours := range stands {
			if !localID.MatchString(theirs) || !localID.MatchString(ours) {
				return problem.New("bad-model", "model", "Of what stands for what between a session and its layout, an id is malformed.")
			}
		}
	}
	return nil
}

// mostStanding is how many things of a kind can stand for those of a layout: as many as a session can have had of each, about.
const mostStanding = 20_000

func (t Track) validate(where string) error {
	if !goodName(t.Name) {
		return problem.New("bad-name", where+".name", "A track needs a name of at most 200 characters.")
	}
	if !slices.Contains(parts, t.Part) {
		return problem.New("bad-part", where+".part", "%q is not a part: a track is voice, music or effect.", t.Part)
	}
	if !goodLevel(t.Fader) {
		return problem.New("level-out-of-range", where+".fader", "A fader goes from silence (-120 dB) to +12 dB.")
	}
	if !(t.Pan >= -1 && t.Pan <= 1) {
		return problem.New("pan-out-of-range", where+".pan", "Pan goes from -1 (left) to 1 (right).")
	}
	if t.Group != "" && !localID.MatchString(t.Group) {
		return problem.New("bad-group", where+".group", "The name of the group of %q is malformed.", t.Name)
	}
	if err := t.Treatment.validate(where + ".treatment"); err != nil {
		return err
	}
	if err := t.Way.validate(where + ".way"); err != nil {
		return err
	}
	return validateEnvelope(t.Envelope, where+".envelope")
}

func (c Clip) validate(where string, sounds map[string]Sound) error {
	s, ok := sounds[c.Sound]
	switch {
	case !ok:
		return problem.New("unknown-sound", where+".sound", "The clip %q uses a sound that the session does not have.", c.Name)
	case !goodName(c.Name):
		return problem.New("bad-name", where+".name", "A clip needs a name of at most 200 characters.")
	case !within(c.Start, 0, MaxLength) || c.Length < 1 || c.End() > MaxLength:
		return problem.New("clip-outside-session", where+".start", "The clip %q would lie outside the session, which runs from 0 to 12 hours.", c.Name)
	case c.Offset < 0 || c.Length > s.Length || c.Offset > s.Length-c.Length:
		return problem.New("clip-outside-sound", where+".offset", "The clip %q would reach beyond its recording, which is %v long.", c.Name, s.Length)
	case !goodLevel(c.Gain):
		return problem.New("level-out-of-range", where+".gain", "A clip's gain goes from silence (-120 dB) to +12 dB.")
	case !slices.Contains(laws, c.Crossing):
		return problem.New("bad-crossing", where+".crossing", "%q is no way in which a clip takes over from another.", c.Crossing)
	case c.Layer < -maxLayer || c.Layer > maxLayer:
		return problem.New("bad-layer", where+".layer", "The layer of the clip %q is out of range.", c.Name)
	}
	for _, f := range []Fade{c.FadeIn, c.FadeOut} {
		if f.Length < 0 || f.Length > MaxLength || f.Past < 0 || f.Past > f.Length || !slices.Contains(shapes, f.Shape) {
			return problem.New("bad-fade", where, "A fade of the clip %q has an impossible length or an unknown shape.", c.Name)
		}
	}
	if err := c.validateHushed(where + ".hushed"); err != nil {
		return err
	}
	return validateEnvelope(c.Envelope, where+".envelope")
}

func (c Clip) validateHushed(where string) error {
	if len(c.Hushed) > MaxHushed {
		return problem.New("too-many-stretches", where, "A clip has at most %d silenced stretches.", MaxHushed)
	}
	for i, s := range c.Hushed {
		if s.From < 0 || s.To <= s.From || s.To > MaxLength || (i > 0 && s.From <= c.Hushed[i-1].To) {
			return problem.New("bad-stretch", where, "The silenced stretches of the clip %q overlap, touch, or lie outside its recording.", c.Name)
		}
	}
	return nil
}

func validateEnvelope(points []Point, where string) error {
	if len(points) > MaxPoints {
		return problem.New("too-many-points", where, "A level line holds at most %d points.", MaxPoints)
	}
	for i, p := range points {
		if !within(p.At, 0, MaxLength) || !goodLevel(p.Level) {
			return problem.New("level-out-of-range", where, "A point of a level line lies between silence (-120 dB) and +12 dB, inside the session.")
		}
		if !(p.Bend >= -1 && p.Bend <= 1) {
			return problem.New("bend-out-of-range", where, "The bend of a level line goes from -1 (early) to 1 (late).")
		}
		if i > 0 && p.At <= points[i-1].At {
			return problem.New("points-out-of-order", where, "Two points of a level line stand at the same time or in the wrong order.")
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
