package house

import (
	"cmp"
	"fmt"
	"reflect"

	"ruvel/core/edit"
	"ruvel/core/session"
)

// Change is something that has changed in a layout since a session was made from it.
type Change struct {
	What string `json:"what" doc:"In words"`
	Kept bool   `json:"kept,omitempty" doc:"The session has something of its own there, which stays"`
}

// along compares three documents: the layout as it was, as it is, and a session made of the first.
type along struct {
	was, now, own session.Document
	model         session.Model // what stands for what
	changes       []Change
	ops           []edit.Op
}

// Along says what has changed in a layout since a session was in line with it, and gives the edit
// that brings the session along with the layout's version, nil if nothing is to be brought. What has been changed in the session
// itself stays as it is there. What stands for what is written in the session's model.
func Along(was, now session.Document, version int64, own session.Document) ([]Change, *edit.BringAlong) {
	a := &along{was: was, now: now, own: own, changes: []Change{}, model: own.Model}
	if own.Model.Version == 0 { // it was made before that was written down
		a.model = standing(was, own)
	}
	a.target()
	for i, t := range now.Tracks {
		before, mine := was.FindTrack(t.ID), -1
		if id, stands := a.model.Tracks[t.ID]; stands {
			mine = own.FindTrack(id)
		}
		switch {
		case before < 0:
			a.brought("The track "+t.Name+" comes to it", edit.WholeTrack{Track: now.Tracks[i]})
		case mine >= 0:
			a.track(was.Tracks[before], t, own.Tracks[mine])
		case !reflect.DeepEqual(settings(was.Tracks[before]), settings(t)):
			a.kept("The track " + t.Name + " was changed, and is not in this episode any more")
		}
	}
	for _, t := range was.Tracks {
		if id, stands := a.model.Tracks[t.ID]; stands && now.FindTrack(t.ID) < 0 && own.FindTrack(id) >= 0 {
			a.kept("The track " + t.Name + " is not in the house sound any more; it stays in this episode")
		}
	}
	if len(a.ops) == 0 {
		return a.changes, nil
	}
	model := a.model.Clone()
	model.Version = version
	return a.changes, &edit.BringAlong{Ops: a.ops, Model: model}
}

func (a *along) brought(what string, op edit.Op) {
	a.changes, a.ops = append(a.changes, Change{What: what}), append(a.ops, op)
}

func (a *along) kept(what string) { a.changes = append(a.changes, Change{What: what, Kept: true}) }

// one compares one thing of a layout, as it was and is, with that of the session.
func one[T any](a *along, was, now, own T, what string, op edit.Op) {
	switch {
	case reflect.DeepEqual(was, now), reflect.DeepEqual(now, own):
	case reflect.DeepEqual(was, own):
		a.brought(what, op)
	default:
		a.kept(what)
	}
}

func (a *along) target() {
	type aim struct {
		key string
		own session.OwnTarget
	}
	of := func(d session.Document) aim { return aim{d.Target, d.Own} }
	now, _ := a.now.Aim()
	one(a, of(a.was), of(a.now), of(a.own), "The target becomes "+now.Name, edit.SetTarget{Target: a.now.Target, Own: ownOf(a.now)})
	one(a, a.was.Lead, a.now.Lead, a.own.Lead, "The voice lead asked for changes", edit.SetLead{Lead: cmp.Or(a.now.Lead, "clear")})
}

func ownOf(d session.Document) *session.OwnTarget {
	if d.Target != session.Own {
		return nil
	}
	return &d.Own
}

// settings are what is set on a track besides its clips.
func settings(t session.Track) session.Track {
	t.Clips, t.Mute, t.Solo = nil, false, false
	return t
}

func (a *along) track(was, now, own session.Track) {
	set := func(c edit.TrackChange) edit.Op {
		c.Track = own.ID
		return edit.SetTracks{Tracks: []edit.TrackChange{c}}
	}
	named := own.Name
	one(a, was.Name, now.Name, own.Name, "The track "+named+" is called "+now.Name, set(edit.TrackChange{Name: &now.Name}))
	one(a, was.Fader, now.Fader, own.Fader, fmt.Sprintf("The fader of %s goes to %.1f dB", named, float64(now.Fader)), set(edit.TrackChange{Fader: &now.Fader}))
	one(a, was.Pan, now.Pan, own.Pan, "The pan of "+named, set(edit.TrackChange{Pan: &now.Pan}))
	one(a, was.Treatment, now.Treatment, own.Treatment, "The treatment of "+named, set(edit.TrackChange{Treatment: &now.Treatment}))
	was.Way.For, now.Way.For = a.model.Here(was.Way.For), a.model.Here(now.Way.For)
	one(a, was.Way, now.Way, own.Way, "How "+named+" makes way for speech", set(edit.TrackChange{Way: &now.Way}))
	one(a, was.Envelope, now.Envelope, own.Envelope, "The level line over "+named, edit.Several{Ops: lineOps(edit.Line{Track: own.ID}, now.Envelope)})
	swapped := map[string]bool{}
	for _, id := range now.ClipsInOrder() {
		before, there := was.Clips[id]
		standing, stands := a.model.Clips[id]
		_, mine, here := a.own.FindClip(standing)
		if c := now.Clips[id]; there && stands && here {
			a.clip(standing, before, c, mine, swapped)
		}
	}
}

// clip compares the sound of a clip, which has an id in the session, and what was done to it; where it lies is the session's own.
func (a *along) clip(id string, was, now, own session.Clip, swapped map[string]bool) {
	if was.Sound != now.Sound && !swapped[was.Sound] {
		swapped[was.Sound] = true
		one(a, was.Sound, now.Sound, own.Sound, now.Name+" is played instead of "+was.Name, edit.ReplaceSound{Sound: was.Sound, With: now.Sound, Name: now.Name})
	}
	one(a, was.Gain, now.Gain, own.Gain, fmt.Sprintf("The gain of %s goes to %.1f dB", now.Name, float64(now.Gain)), edit.SetClips{Clips: []edit.ClipChange{{Clip: id, Gain: &now.Gain}}})
	one(a, was.Envelope, now.Envelope, own.Envelope, "The level line of "+now.Name, edit.Several{Ops: lineOps(edit.Line{Clip: id}, now.Envelope)})
	fades := func(c session.Clip) [2]session.Fade { return [2]session.Fade{c.FadeIn, c.FadeOut} }
	one(a, fades(was), fades(now), fades(own), "The fades of "+now.Name, edit.SetFades{Fades: []edit.ClipFades{{
		Clip: id,
		In:   &edit.NewFade{Length: now.FadeIn.Length, Shape: now.FadeIn.Shape}, Out: &edit.NewFade{Length: now.FadeOut.Length, Shape: now.FadeOut.Shape},
	}}})
}

// lineOps give a level line other points.
func lineOps(line edit.Line, points []session.Point) (ops []edit.Op) {
	ops = append(ops, edit.ClearLines{Lines: []edit.Line{line}})
	add := edit.AddPoints{}
	for _, p := range points {
		add.Points = append(add.Points, edit.NewPoint{Line: line, At: p.At, Level: p.Level, Bend: p.Bend})
	}
	if len(add.Points) > 0 {
		ops = append(ops, add)
	}
	return ops
}
