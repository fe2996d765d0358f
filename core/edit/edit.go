// Package edit holds the operations on a session: each takes a document and gives a
// new, valid one together with a name for the history. An operation is plain data and
// has one JSON form, {"type": "...", ...}. Positions in it are absolute, so a drag is a
// row of operations. It names what it means by what stays true when somebody else has
// edited meanwhile: tracks, clips and markers by id, points of a level line by their
// time. What it names and does not find is refused, and nothing changes. It may name
// several things, and one that is named twice counts once, as it is named last.
package edit

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
	"strconv"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// Op is one operation. Its apply method may change the document it is given, which
// is a draft, and returns the name of the step.
type Op interface {
	apply(d *draft) (name string, err error)
}

// Catalogue finds a sound that the document does not hold yet.
type Catalogue func(id string) (session.Sound, bool)

// Material is what is known of sounds outside the document.
type Material struct {
	Sound Catalogue
	// Samples gives frames of a sound, from (included) to (excluded), which lie within it.
	// They are the caller's. Nil, or an error: joins stand exactly where they were asked for.
	Samples func(id string, from, to audio.Frames) (audio.PCM, error)
	// Name is what a sound is called, or nothing. Nil: nothing is known of that.
	Name func(sound string) string
}

// Apply carries an operation out on a copy of the document and validates the result.
// On an error, always a problem.Problem, the document stays as it was. Both documents
// may share level lines, which nobody may write into.
func Apply(doc session.Document, op Op, catalogue Catalogue) (session.Document, string, error) {
	return ApplyFrom(doc, doc.Next, op, Material{Sound: catalogue})
}

// ApplyFrom is Apply in an episode where all numbers below first have been used for ids
// at some time: what is new gets none of them, even if what had them is gone.
func ApplyFrom(doc session.Document, first int, op Op, material Material) (session.Document, string, error) {
	d := &draft{Document: doc.Draft(), material: material}
	d.Next = max(d.Next, first)
	fresh := d.Next
	d.clips, d.points = d.Size()
	name, err := op.apply(d)
	if err != nil {
		return doc, "", err
	}
	if d.Next == fresh { // nothing new was named
		d.Next = doc.Next
	}
	d.forgetUnusedSounds()
	d.forgetPlaces()
	d.Settle()
	if err := d.Validate(); err != nil {
		return doc, "", err
	}
	if err := d.settleOverlaps(doc); err != nil {
		return doc, "", err
	}
	return d.Document, name, nil
}

// Ops lists an empty operation of every type, for decoding and for the API's description.
func Ops() []Op {
	return []Op{
		AddTrack{},
		SetTracks{},
		MoveTracks{},
		RemoveTracks{},
		DuplicateTracks{},
		InsertClip{},
		MoveClips{},
		TrimClips{},
		SplitClips{},
		CopyClips{},
		RemoveClips{},
		SlipClips{},
		JoinClips{},
		LayerClips{},
		SetCrossings{},
		RemoveRanges{},
		TightenPauses{},
		CloseGap{},
		InsertTime{},
		PasteClips{},
		RepeatStretch{},
		LoopClip{},
		FitClips{},
		MoveSegment{},
		SetClips{},
		SetFades{},
		AddPoints{},
		MovePoints{},
		RemovePoints{},
		ShiftLines{},
		ClearLines{},
		BendLines{},
		DrawRamp{},
		LiftStretch{},
		HushStretch{},
		SetStage{},
		FadeOutBy{},
		GroupTracks{},
		MoveFaders{},
		AddMarker{},
		AddMarkers{},
		AddPlace{},
		SetMarkers{},
		RemoveMarkers{},
		SetTarget{},
		SetLead{},
		SetSensitivity{},
		SetSides{},
		SetAside{},
		TakeUp{},
		TurnWays{},
		TakeWaysBack{},
		PlaceTake{},
		UseSound{},
		ReplaceSound{},
		PlaceRendering{},
	}
}

// TypeOf is an operation's type as it stands in its JSON form: the Go name in lower
// case with hyphens.
func TypeOf(op Op) string {
	var b strings.Builder
	for i, r := range reflect.TypeOf(op).Name() {
		if r >= 'A' && r <= 'Z' {
			if i > 0 {
				b.WriteByte('-')
			}
			r += 'a' - 'A'
		}
		b.WriteRune(r)
	}
	return b.String()
}

// Decode reads the JSON form of an operation. Unknown types and fields are refused.
func Decode(data []byte) (Op, error) {
	var head struct {
		Type string `json:"type"`
	}
	if err := json.Unmarshal(data, &head); err != nil {
		return nil, problem.New("bad-edit", "op", "The edit is not valid JSON: %v.", err)
	}
	for _, op := range Ops() {
		if TypeOf(op) != head.Type {
			continue
		}
		fresh := reflect.New(reflect.TypeOf(op))
		dec := json.NewDecoder(bytes.NewReader(data))
		dec.DisallowUnknownFields()
		if err := dec.Decode(fresh.Interface()); err != nil {
			return nil, problem.New("bad-edit", "op", "The edit %q cannot be read: %v.", head.Type, err)
		}
		return fresh.Elem().Interface().(Op), nil
	}
	return nil, problem.New("unknown-edit", "op.type", "There is no edit of the type %q.", head.Type)
}

// Encode writes the JSON form of an operation.
func Encode(op Op) json.RawMessage {
	fresh := reflect.New(reflect.TypeOf(op)).Elem()
	fresh.Set(reflect.ValueOf(op))
	fresh.FieldByName("Type").SetString(TypeOf(op))
	data, err := json.Marshal(fresh.Interface())
	if err != nil {
		panic(fmt.Sprintf("edit: an operation could not be written: %v", err)) // only NaN or Inf can cause it
	}
	return data
}

// Kind is embedded in every operation and carries the type's name in the JSON form.
type Kind struct {
	Type string `json:"type"`
}

// draft is a document being changed. Its level lines may be shared with others.
type draft struct {
	session.Document
	material      Material
	clips, points int // that it holds, or has been promised room for
	// still says that the edit lays nothing over anything else, so that crossings are as it made them.
	still bool
}

// fits says that the session would become too large with so many new clips and points,
// before any work is done for them.
func (d *draft) fits(clips, points int) error {
	if n := d.clips + clips; n > session.MaxClips {
		return problem.New("too-many-clips", "clips", "A session holds at most %d clips; this would make it %d.", session.MaxClips, n)
	}
	if n := d.points + points; n > session.MaxAllPoints {
		return problem.New("too-many-points", "points", "A session holds at most %d points on all its level lines; this would make it %d.", session.MaxAllPoints, n)
	}
	return nil
}

// room promises room for new clips and points, if they fit.
func (d *draft) room(clips, points int) error {
	if err := d.fits(clips, points); err != nil {
		return err
	}
	d.clips += clips
	d.points += points
	return nil
}

// add puts a new clip on a track, if there is room, and gives its id.
func (d *draft) add(t *session.Track, c session.Clip) (string, error) {
	if err := d.room(1, len(c.Envelope)); err != nil {
		return "", err
	}
	id := d.id("c")
	t.Clips[id] = c
	return id, nil
}

// once leaves of things that are named alike only the last.
func once[T any, K comparable](all []T, name func(T) K) []T {
	last := map[K]int{}
	for i, v := range all {
		last[name(v)] = i
	}
	if len(last) == len(all) {
		return all
	}
	out := make([]T, 0, len(last))
	for i, v := range all {
		if last[name(v)] == i {
			out = append(out, v)
		}
	}
	return out
}

func itself(id string) string { return id }

// chosen is an error if nothing was named.
func chosen[T any](all []T, what string) error {
	if len(all) == 0 {
		return problem.New("nothing-chosen", what, "Nothing was chosen for this. Choose something first.")
	}
	return nil
}

// oneOrMany is the name of a step: of one thing its own, of several how many there were.
func oneOrMany(n int, one, many, what string) string {
	if n == 1 {
		return one
	}
	return many + " " + count(n, what)
}

// id names a new thing: a letter for its kind and the document's next number.
func (d *draft) id(kind string) string {
	d.Next++
	return kind + strconv.Itoa(d.Next-1)
}

func (d *draft) track(id string) (*session.Track, error) {
	i := d.FindTrack(id)
	if i < 0 {
		return nil, problem.New("unknown-track", "track", "That track is not in the session any more.")
	}
	return &d.Tracks[i], nil
}

func (d *draft) clip(id string) (*session.Track, session.Clip, error) {
	i, c, found := d.FindClip(id)
	if !found {
		return nil, session.Clip{}, problem.New("unknown-clip", "clip", "That clip is not in the session any more.")
	}
	return &d.Tracks[i], c, nil
}

func (d *draft) marker(id string) (session.Marker, error) {
	m, ok := d.Markers[id]
	if !ok {
		return m, problem.New("unknown-marker", "marker", "That marker is not in the session any more.")
	}
	return m, nil
}

// bring makes sure that the document knows a sound.
func (d *draft) bring(id string) (session.Sound, error) {
	if s, ok := d.Sounds[id]; ok {
		return s, nil
	}
	if d.material.Sound != nil {
		if s, ok := d.material.Sound(id); ok {
			d.Sounds[id] = s
			return s, nil
		}
	}
	return session.Sound{}, problem.New("unknown-sound", "sound", "That sound is not among this show's sounds.")
}

func (d *draft) forgetUnusedSounds() {
	used := d.Used()
	for id := range d.Sounds {
		if !used[id] {
			delete(d.Sounds, id)
		}
	}
}

// quote is a name as the history writes it.
func quote(name string) string {
	if r := []rune(name); len(r) > 40 {
		name = string(r[:39]) + "…"
	}
	return "“" + name + "”"
}

func levelText(l audio.DB) string {
	if l <= audio.Silence {
		return "silence"
	}
	return strings.ReplaceAll(fmt.Sprintf("%+.1f dB", float64(l)), "-", "−")
}

func count(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}
