// Package session is the document of an episode: tracks with clips on them, level
// envelopes, fades and markers. One session is one JSON document in the form
// "ruvel.session/1", the same in the database, the API, the archive and here.
// Positions and lengths are whole frames at 48 kHz, levels are dB.
package session

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/problem"
)

// Format names the document's form and its version.
const Format = "ruvel.session/1"

// Part says what a track is for.
type Part string

// The parts a track can have.
const (
	Voice  Part = "voice"
	Music  Part = "music"
	Effect Part = "effect"
)

// Shape is the course of a fade.
type Shape string

// The shapes of a fade; their formulas stand in core/fade.
const (
	Linear      Shape = "linear"
	EqualPower  Shape = "equal-power"
	Smooth      Shape = "smooth"
	Exponential Shape = "exponential"
)

// Law is how a clip takes over from the one that it begins in.
type Law string

// The laws of a crossing. Without one, both are heard at their full level.
const (
	LaidOver   Law = ""
	CrossGain  Law = "equal-gain"  // the gains add up to 1: within one recording
	CrossPower Law = "equal-power" // their squares do: for unlike sounds
)

// Document is a whole session.
type Document struct {
	Format  string            `json:"format" enum:"ruvel.session/1" doc:"The document's form and version"`
	Target  string            `json:"target" doc:"The delivery target, by its key" maxLength:"40"`
	Own     OwnTarget         `json:"own,omitzero" doc:"The target by itself, if its key is own"`
	Lead    string            `json:"lead,omitempty" doc:"The voice lead that it is to have, by its key; left out: clear" maxLength:"40"`
	Next    int               `json:"next" minimum:"1" doc:"The number that the next new track, clip or marker is named with"`
	Sounds  map[string]Sound  `json:"sounds" doc:"The sounds that clips are cut from, by id (the SHA-256 of the original file, in hex)"`
	Tracks  []Track           `json:"tracks" nullable:"false" maxItems:"64" doc:"The tracks from top to bottom"`
	Markers map[string]Marker `json:"markers" doc:"Markers and named ranges, by id"`
	Aside   map[string]Aside  `json:"aside,omitempty" doc:"Findings of the check that are to be left as they are, by their keys"`
	Model   Model             `json:"model,omitzero" doc:"Of a session that began as a layout of the house sound: what stands for what"`
}

// Model says how a session stands to the layout that it began as. Both number what is new by themselves, so that
// equal ids mean nothing after the first change of either: which thing of the session stands for which of the layout is
// written down here, and undone with the step that has changed it.
type Model struct {
	Version int64             `json:"version" doc:"Of the layout, that the session was last brought in line with"`
	Tracks  map[string]string `json:"tracks,omitempty" doc:"By the id of a track of the layout, that of the one that stands for it here, which may be gone"`
	Clips   map[string]string `json:"clips,omitempty" doc:"The same of clips"`
	Markers map[string]string `json:"markers,omitempty" doc:"The same of markers"`
}

// Clone is a copy that shares nothing.
func (m Model) Clone() Model {
	m.Tracks, m.Clips, m.Markers = maps.Clone(m.Tracks), maps.Clone(m.Clips), maps.Clone(m.Markers)
	return m
}

// Aside is why a finding of the check is to be left as it is.
type Aside struct {
	Reason string  `json:"reason" maxLength:"500"`
	By     float64 `json:"by" doc:"How far beyond its limit the finding lay then, in its own unit; if it gets worse, it comes back"`
}

// Side is one side of a sound in stereo.
type Side string

// The sides that a sound can be heard of.
const (
	BothSides Side = ""
	LeftSide  Side = "left"
	RightSide Side = "right"
)

// Here gives what stands here for tracks of the layout. What nothing stands for is left out.
func (m Model) Here(tracks []string) (out []string) {
	for _, id := range tracks {
		if own, there := m.Tracks[id]; there {
			out = append(out, own)
		}
	}
	return out
}

// Sound is what the document must know of a sound to be complete in itself.
type Sound struct {
	Channels int          `json:"channels" minimum:"1" maximum:"2"`
	Length   audio.Frames `json:"length" minimum:"1" doc:"Frames at 48 kHz"`
	// Sensitivity is with how much of it speech is looked for in it: for the exceptional recording alone.
	Sensitivity float64 `json:"sensitivity,omitempty" minimum:"-12" maximum:"12" doc:"dB by which a voice may be softer than usual, or must be louder, to be taken for one that speaks"`
	// Side is the one that is heard of a recording in stereo of which the other is empty or cancels it.
	Side Side   `json:"side,omitempty" enum:"left,right" doc:"Of a sound in stereo the one side that is heard, in the middle as if it was mono; left out: both"`
	Path string `json:"path,omitempty" doc:"Where the file lies, relative to the document, when it stands alone"`
}

// Heard is how many channels are heard of a sound.
func (s Sound) Heard() int {
	if s.Side != BothSides {
		return 1
	}
	return s.Channels
}

// MostSensitive is the highest sensitivity, in dB, and its negative the lowest.
const MostSensitive = 12.0

// Track is a row of clips that share a fader.
type Track struct {
	ID        string          `json:"id" maxLength:"20"`
	Name      string          `json:"name" maxLength:"200"`
	Part      Part            `json:"part" enum:"voice,music,effect"`
	Fader     audio.DB        `json:"fader" minimum:"-120" maximum:"12" doc:"dB; -120 is silence"`
	Pan       float64         `json:"pan" minimum:"-1" maximum:"1" doc:"-1 left, 0 middle, 1 right"`
	Mute      bool            `json:"mute"`
	Solo      bool            `json:"solo"`
	Group     string          `json:"group,omitempty" maxLength:"20" doc:"Tracks of one group move their faders together"`
	Envelope  []Point         `json:"envelope" nullable:"false" maxItems:"10000" doc:"Level over session time"`
	Treatment Treatment       `json:"treatment,omitzero" doc:"What is done to the sum of its clips, before its level line and fader"`
	Way       Way             `json:"way,omitzero" doc:"How it makes way for speech, besides its level line; a voice never does"`
	Clips     map[string]Clip `json:"clips" doc:"The clips by id"`
}

// Clip is a stretch of a sound placed on a track.
type Clip struct {
	Name     string       `json:"name" maxLength:"200"`
	Sound    string       `json:"sound" doc:"The id of its sound"`
	Start    audio.Frames `json:"start" minimum:"0" doc:"Where it begins in the session"`
	Offset   audio.Frames `json:"offset" minimum:"0" doc:"Where it begins in its sound"`
	Length   audio.Frames `json:"length" minimum:"1"`
	Gain     audio.DB     `json:"gain" minimum:"-120" maximum:"12" doc:"dB; -120 is silence"`
	FadeIn   Fade         `json:"fadeIn"`
	FadeOut  Fade         `json:"fadeOut"`
	Envelope []Point      `json:"envelope" nullable:"false" maxItems:"10000" doc:"Level over the time of the sound: it moves with the clip and stays with what is heard when the clip is trimmed or split"`
	Crossing Law          `json:"crossing,omitempty" enum:"equal-gain,equal-power" doc:"How it takes over from the clip of its track that it begins in and that ends in it; left out: both are heard at their full level"`
	Silent   bool         `json:"silent,omitempty" doc:"It keeps its place and is not heard"`
	Hushed   []Span       `json:"hushed,omitempty" nullable:"false" maxItems:"1000" doc:"Stretches that keep their place and are not heard, in order, over the time of the sound as the level line is"`
	Layer    int          `json:"layer,omitempty" minimum:"-1000000" maximum:"1000000" doc:"Of overlapping clips the one with the higher layer is drawn in front; it changes nothing in the sound"`
}

// End is the frame after the clip's last one.
func (c Clip) End() audio.Frames { return c.Start + c.Length }

// Fade is a rise at a clip's beginning or a fall at its end. Past is how much of it
// lies outside the clip because a cut fell into it: of a rise the beginning, of a
// fall the end. A length of zero is no fade.
type Fade struct {
	Length audio.Frames `json:"length" minimum:"0"`
	Past   audio.Frames `json:"past,omitempty" minimum:"0"`
	Shape  Shape        `json:"shape" enum:"linear,equal-power,smooth,exponential"`
}

// Point is a point of a level envelope.
type Point struct {
	At    audio.Frames `json:"at" minimum:"0"`
	Level audio.DB     `json:"level" minimum:"-120" maximum:"12" doc:"dB; -120 is silence"`
	// Bend is that of the line from here to the next point: straight at 0, late at 1, early at -1.
	Bend float64 `json:"bend,omitempty" minimum:"-1" maximum:"1" doc:"How the line goes on to the next point: straight at 0, ever faster at 1, ever slower at -1"`
}

// Span is a stretch of time, From included and To not.
type Span struct {
	From audio.Frames `json:"from" minimum:"0"`
	To   audio.Frames `json:"to" minimum:"1"`
}

// Marker is a named place, or a named range if it has a length.
type Marker struct {
	Name   string       `json:"name" maxLength:"200"`
	At     audio.Frames `json:"at" minimum:"0"`
	Length audio.Frames `json:"length" minimum:"0"`
	// Chapter says that a listener is to be shown it.
	Chapter bool   `json:"chapter,omitempty" doc:"It is a chapter of the finished episode"`
	Link    string `json:"link,omitempty" maxLength:"2000" doc:"An address on the web that belongs to the chapter"`
	Picture string `json:"picture,omitempty" maxLength:"64" doc:"The id of a picture that is shown with the chapter"`
	// Fills makes the range a place on a track. While no clip of that begins in it, it is empty: what comes to
	// begin in it then fills it, and all that follows moves along.
	Fills string `json:"fills,omitempty" maxLength:"20" doc:"The id of the track on which this range is a place that a recording or a file fills; it is empty while no clip of the track begins in it"`
}

// IsEmpty says whether a range is a place that nothing fills.
func (d Document) IsEmpty(m Marker) bool {
	i := d.FindTrack(m.Fills)
	if m.Fills == "" || i < 0 {
		return false
	}
	for _, c := range d.Tracks[i].Clips {
		if c.Start >= m.At && c.Start < m.At+m.Length {
			return false
		}
	}
	return true
}

// EmptyPlaces are the places that nothing fills, by their times.
func (d Document) EmptyPlaces() []string {
	empty := map[string]Marker{}
	for id, m := range d.Markers {
		if d.IsEmpty(m) {
			empty[id] = m
		}
	}
	return MarkersInOrder(empty)
}

// OwnTarget is a delivery target that a show has made for itself.
type OwnTarget struct {
	Name       string  `json:"name" maxLength:"60"`
	Integrated float64 `json:"integrated" minimum:"-40" maximum:"-5" doc:"LUFS"`
	Tolerance  float64 `json:"tolerance" minimum:"0.1" maximum:"5" doc:"LU either way"`
	TruePeak   float64 `json:"truePeak" minimum:"-20" maximum:"0" doc:"Highest true peak, dBTP"`
}

// Own is the key that a document has for a target of its own.
const Own = "own"

// Aim is what the mix is to be delivered at.
func (d Document) Aim() (t loudness.Target, known bool) {
	if d.Target == Own {
		return loudness.Target{Key: Own, Name: d.Own.Name, Integrated: d.Own.Integrated, Tolerance: d.Own.Tolerance, TruePeak: d.Own.TruePeak, Source: "Of this show"}, true
	}
	return loudness.FindTarget(d.Target)
}

// Goal is Aim, or where that is not known, as of a version that had other targets, the first that is offered.
func (d Document) Goal() loudness.Target {
	if t, known := d.Aim(); known {
		return t
	}
	return loudness.Targets()[0]
}

// New is an empty session.
func New() Document {
	return Document{
		Format: Format, Target: "podcast-stereo", Next: 1,
		Sounds: map[string]Sound{}, Tracks: []Track{}, Markers: map[string]Marker{},
	}
}

// Parse reads a document and validates it whole. Unknown fields are refused, so that
// nothing a newer version wrote is lost silently.
func Parse(data []byte) (Document, error) {
	if len(data) > MaxBytes {
		return Document{}, problem.New("session-too-large", "document", "The session is %d MB large; a session has at most %d MB.", len(data)>>20, MaxBytes>>20)
	}
	d := New()
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&d); err != nil {
		if _, field, unknown := strings.Cut(err.Error(), "unknown field "); unknown {
			return Document{}, problem.New("newer-session", strings.Trim(field, `"`),
				"The session has a field %s that this version of Ruvel does not know. It was probably written by a newer version; open it with that one.", field)
		}
		return Document{}, problem.New("not-a-session", "document", "This is not a Ruvel session: %v.", err)
	}
	if dec.More() {
		return Document{}, problem.New("not-a-session", "document", "There is something after the end of the session.")
	}
	if err := d.Validate(); err != nil {
		return Document{}, err
	}
	d.Settle()
	return d, nil
}

// Settle turns negative zeros into zeros, so that documents which are equal are
// written alike, byte for byte, and brings names onto one line.
func (d *Document) Settle() {
	for id, m := range d.Markers {
		if name := onOneLine(m.Name); name != m.Name {
			m.Name = name
			d.Markers[id] = m
		}
	}
	for i := range d.Tracks {
		t := &d.Tracks[i]
		t.Name = onOneLine(t.Name)
		settle(&t.Fader)
		settle(&t.Pan)
		t.Envelope = settledLine(t.Envelope)
		t.Treatment.settle()
		t.Way.settle()
		for id, c := range t.Clips {
			line, name := settledLine(c.Envelope), onOneLine(c.Name)
			if unsettled(c.Gain) || name != c.Name || len(line) > 0 && &line[0] != &c.Envelope[0] {
				c.Name, c.Gain, c.Envelope = name, c.Gain+0, line // a negative zero and zero are zero
				t.Clips[id] = c
			}
		}
	}
}

// settledLine is a line without negative zeros: the same, or a copy, since several documents may share a line.
func settledLine(points []Point) []Point {
	if !slices.ContainsFunc(points, func(p Point) bool { return unsettled(p.Level) || unsettled(p.Bend) }) {
		return points
	}
	out := slices.Clone(points)
	for i := range out {
		settle(&out[i].Level)
		settle(&out[i].Bend)
	}
	return out
}

// unsettled says whether a value is a negative zero.
func unsettled[T ~float64](v T) bool { return v == 0 && math.Signbit(float64(v)) }

func settle[T ~float64](v *T) {
	if *v == 0 { // as a negative zero is, too
		*v = 0
	}
}

// JSON writes the document in its one canonical form: fields in the order of the
// types, map keys sorted, no empty lists left out.
func (d Document) JSON() []byte {
	data, err := json.Marshal(d.Draft())
	if err != nil {
		panic(fmt.Sprintf("session: a valid document could not be written: %v", err)) // only NaN or Inf can cause it
	}
	return data
}

// Clone is a copy that shares nothing with d. Missing lists and maps become empty ones.
func (d Document) Clone() Document {
	d = d.Draft()
	for i := range d.Tracks {
		t := &d.Tracks[i]
		t.Envelope = append([]Point{}, t.Envelope...)
		for id, c := range t.Clips {
			c.Envelope = append([]Point{}, c.Envelope...)
			t.Clips[id] = c
		}
	}
	return d
}

// Draft is a copy to be changed that shares with d the points of level lines alone:
// whoever changes a line gives it a new list.
func (d Document) Draft() Document {
	d.Sounds = cloneMap(d.Sounds)
	d.Markers = cloneMap(d.Markers)
	if d.Aside != nil {
		d.Aside = maps.Clone(d.Aside)
	}
	d.Model = d.Model.Clone()
	d.Tracks = append([]Track{}, d.Tracks...)
	for i := range d.Tracks {
		t := &d.Tracks[i]
		if t.Envelope == nil {
			t.Envelope = []Point{}
		}
		t.Clips = cloneMap(t.Clips)
		for id, c := range t.Clips {
			if c.Envelope == nil {
				c.Envelope = []Point{}
				t.Clips[id] = c
			}
		}
	}
	return d
}

// Size is how many clips and points of level lines a document has.
func (d Document) Size() (clips, points int) {
	for _, t := range d.Tracks {
		clips += len(t.Clips)
		points += len(t.Envelope)
		for _, c := range t.Clips {
			points += len(c.Envelope)
		}
	}
	return clips, points
}

func cloneMap[V any](m map[string]V) map[string]V {
	if m == nil {
		return map[string]V{}
	}
	return maps.Clone(m)
}

// Length is the end of the last clip, in frames.
func (d Document) Length() audio.Frames {
	var end audio.Frames
	for _, t := range d.Tracks {
		for _, c := range t.Clips {
			end = max(end, c.End())
		}
	}
	return end
}

// FindClip gives the index of the track that holds a clip, and the clip.
func (d Document) FindClip(id string) (track int, clip Clip, found bool) {
	for i, t := range d.Tracks {
		if c, ok := t.Clips[id]; ok {
			return i, c, true
		}
	}
	return 0, Clip{}, false
}

// FindTrack gives the index of a track, or -1.
func (d Document) FindTrack(id string) int {
	return slices.IndexFunc(d.Tracks, func(t Track) bool { return t.ID == id })
}

// ClipsInOrder lists the ids of a track's clips by start, then id.
func (t Track) ClipsInOrder() []string {
	ids := slices.Collect(maps.Keys(t.Clips))
	slices.SortFunc(ids, func(a, b string) int {
		if d := t.Clips[a].Start - t.Clips[b].Start; d != 0 {
			return int(max(-1, min(1, d)))
		}
		return bytes.Compare([]byte(a), []byte(b))
	})
	return ids
}

// Used is the set of the ids of all sounds that clips are cut from.
func (d Document) Used() map[string]bool {
	used := map[string]bool{}
	for _, t := range d.Tracks {
		for _, c := range t.Clips {
			used[c.Sound] = true
		}
	}
	return used
}

// SoundsInOrder lists the ids of all sounds that clips are cut from, in the order in
// which they begin in the session.
func (d Document) SoundsInOrder() []string {
	first := map[string]audio.Frames{}
	for _, t := range d.Tracks {
		for _, c := range t.Clips {
			if at, seen := first[c.Sound]; !seen || c.Start < at {
				first[c.Sound] = c.Start
			}
		}
	}
	return slices.SortedFunc(maps.Keys(first), func(a, b string) int {
		return cmp.Or(cmp.Compare(first[a], first[b]), cmp.Compare(a, b))
	})
}

// Audible says for each track whether it can be heard, given everybody's mute and solo.
// A muted track stays silent even when it is soloed.
func (d Document) Audible() []bool {
	solo := slices.ContainsFunc(d.Tracks, func(t Track) bool { return t.Solo })
	out := make([]bool, len(d.Tracks))
	for i, t := range d.Tracks {
		out[i] = !t.Mute && (t.Solo || !solo)
	}
	return out
}
