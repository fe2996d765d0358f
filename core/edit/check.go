package edit

import (
	"strings"

	"ruvel/core/problem"
	"ruvel/core/session"
)

// SideOf says which side is heard of a sound.
type SideOf struct {
	Sound string       `json:"sound"`
	Side  session.Side `json:"side,omitempty" enum:"left,right" doc:"Left out: both"`
}

// SetSides sets which side is heard of sounds in stereo, wherever they are used in the episode.
type SetSides struct {
	Kind
	Sides []SideOf `json:"sides" nullable:"false" minItems:"1" maxItems:"5000"`
}

func (o SetSides) apply(d *draft) (string, error) {
	sides := once(o.Sides, func(s SideOf) string { return s.Sound })
	if err := chosen(sides, "sides"); err != nil {
		return "", err
	}
	var name string
	for _, of := range sides {
		s, there := d.Sounds[of.Sound]
		switch {
		case !there:
			return "", problem.New("unknown-sound", "sides", "That sound is not in the session any more.")
		case s.Channels != 2:
			return "", problem.New("one-side", "sides", "A sound in mono has no sides to choose from.")
		}
		s.Side = of.Side
		d.Sounds[of.Sound] = s
		name = "Hear the " + string(of.Side) + " side of a recording, in the middle"
		if of.Side == session.BothSides {
			name = "Hear both sides of a recording"
		}
	}
	return oneOrMany(len(sides), name, "Choose the sides of", "recording"), nil
}

// AsideFinding is a finding that is set aside.
type AsideFinding struct {
	Key  string  `json:"key" minLength:"1" maxLength:"200" doc:"Of the finding"`
	Name string  `json:"name" maxLength:"200" doc:"What it is, for the history"`
	By   float64 `json:"by" doc:"How far beyond its limit it lies"`
}

// SetAside has findings of the check left as they are, with a reason.
type SetAside struct {
	Kind
	Findings []AsideFinding `json:"findings" nullable:"false" minItems:"1" maxItems:"2000"`
	Reason   string         `json:"reason" maxLength:"500"`
}

func (o SetAside) apply(d *draft) (string, error) {
	findings := once(o.Findings, func(f AsideFinding) string { return f.Key })
	if err := chosen(findings, "findings"); err != nil {
		return "", err
	}
	if d.Aside == nil {
		d.Aside = map[string]session.Aside{}
	}
	var name string
	for _, f := range findings {
		d.Aside[f.Key] = session.Aside{Reason: strings.TrimSpace(o.Reason), By: f.By}
		name = "Set aside: " + session.ShortName(f.Name)
	}
	return oneOrMany(len(findings), name, "Set aside", "finding"), nil
}

// TakeUp has findings that were set aside count again.
type TakeUp struct {
	Kind
	Findings []string `json:"findings" nullable:"false" minItems:"1" maxItems:"2000"`
}

func (o TakeUp) apply(d *draft) (string, error) {
	if err := chosen(o.Findings, "findings"); err != nil {
		return "", err
	}
	for _, key := range o.Findings {
		if _, there := d.Aside[key]; !there {
			return "", problem.New("not-aside", "findings", "That finding is not set aside any more.")
		}
		delete(d.Aside, key)
	}
	if len(d.Aside) == 0 {
		d.Aside = nil
	}
	return oneOrMany(len(o.Findings), "Take up a finding again", "Take up again", "finding"), nil
}
