// Package edit holds the operations on a session: each takes a document and gives a
// new, valid one together with a name for the history. An operation is plain data and
// has one JSON form, {"type": "...", ...}. Positions in it are absolute, so an
// operation that is sent twice does no harm and a drag is a row of them.
package edit

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
	"strconv"
	"strings"
	"unicode/utf8"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Op is one operation. Its apply method may change the document it is given, which
// is a copy, and returns the name of the step.
type Op interface {
	apply(d *draft) (name string, err error)
}

// Catalogue finds a sound that the document does not hold yet.
type Catalogue func(id string) (session.Sound, bool)

// Apply carries an operation out on a copy of the document and validates the result.
// On an error, always a session.Problem, the document stays as it was.
func Apply(doc session.Document, op Op, catalogue Catalogue) (session.Document, string, error) {
	d := &draft{Document: doc.Clone(), catalogue: catalogue}
	name, err := op.apply(d)
	if err != nil {
		return doc, "", err
	}
	d.forgetUnusedSounds()
	d.Settle()
	if err := d.Validate(); err != nil {
		return doc, "", err
	}
	return d.Document, name, nil
}

// Ops lists an empty operation of every type, for decoding and for the API's description.
func Ops() []Op {
	return []Op{
		AddTrack{},
		SetTrack{},
		MoveTrack{},
		RemoveTrack{},
		InsertClip{},
		MoveClips{},
		TrimClip{},
		SplitClips{},
		CopyClips{},
		RemoveClips{},
		SetClip{},
		SetFades{},
		AddPoint{},
		MovePoint{},
		RemovePoints{},
		AddMarker{},
		SetMarker{},
		RemoveMarker{},
		SetTarget{},
		PlaceTake{},
		UseSound{},
		ReplaceSound{},
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
		return nil, problem("bad-edit", "op", "The edit is not valid JSON: %v.", err)
	}
	for _, op := range Ops() {
		if TypeOf(op) != head.Type {
			continue
		}
		fresh := reflect.New(reflect.TypeOf(op))
		dec := json.NewDecoder(bytes.NewReader(data))
		dec.DisallowUnknownFields()
		if err := dec.Decode(fresh.Interface()); err != nil {
			return nil, problem("bad-edit", "op", "The edit %q cannot be read: %v.", head.Type, err)
		}
		return fresh.Elem().Interface().(Op), nil
	}
	return nil, problem("unknown-edit", "op.type", "There is no edit of the type %q.", head.Type)
}

// Kind is embedded in every operation and carries the type's name in the JSON form.
type Kind struct {
	Type string `json:"type"`
}

// draft is a document being changed.
type draft struct {
	session.Document
	catalogue Catalogue
}

func problem(code, where, format string, args ...any) session.Problem {
	return session.Problem{Code: code, Where: where, Message: fmt.Sprintf(format, args...)}
}

// id names a new thing: a letter for its kind and the document's next number.
func (d *draft) id(kind string) string {
	d.Next++
	return kind + strconv.Itoa(d.Next-1)
}

func (d *draft) track(id string) (*session.Track, error) {
	i := d.FindTrack(id)
	if i < 0 {
		return nil, problem("unknown-track", "track", "That track is not in the session any more.")
	}
	return &d.Tracks[i], nil
}

func (d *draft) clip(id string) (*session.Track, session.Clip, error) {
	i, c, found := d.FindClip(id)
	if !found {
		return nil, session.Clip{}, problem("unknown-clip", "clip", "That clip is not in the session any more.")
	}
	return &d.Tracks[i], c, nil
}

func (d *draft) marker(id string) (session.Marker, error) {
	m, ok := d.Markers[id]
	if !ok {
		return m, problem("unknown-marker", "marker", "That marker is not in the session any more.")
	}
	return m, nil
}

// bring makes sure that the document knows a sound.
func (d *draft) bring(id string) (session.Sound, error) {
	if s, ok := d.Sounds[id]; ok {
		return s, nil
	}
	if d.catalogue != nil {
		if s, ok := d.catalogue(id); ok {
			d.Sounds[id] = s
			return s, nil
		}
	}
	return session.Sound{}, problem("unknown-sound", "sound", "That sound is not among this show's sounds.")
}

func (d *draft) forgetUnusedSounds() {
	used := d.Used()
	for id := range d.Sounds {
		if !used[id] {
			delete(d.Sounds, id)
		}
	}
}

// short cuts a name to what fits into a document.
func short(name string) string {
	name = strings.TrimSpace(strings.ToValidUTF8(name, "?"))
	for utf8.RuneCountInString(name) > 200 {
		_, size := utf8.DecodeLastRuneInString(name)
		name = name[:len(name)-size]
	}
	return name
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
