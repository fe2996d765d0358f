package session

import (
	"reflect"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/problem"
)

// WayBy is how it is said by how much a track makes way for speech.
type WayBy string

// The ways to say it.
const (
	ByLead WayBy = "lead" // so far that speech stands so many LU above everything else
	ByDrop WayBy = "drop" // by so many dB
)

// Way is how a track makes way for the speech of the voice tracks: down before a first word,
// up again after a last one. It is a line of its own, which follows from where speech is; no
// point of a level line is set by it. One that is not there is off.
type Way struct {
	On     bool     `json:"on"`
	By     WayBy    `json:"by" enum:"lead,drop"`
	Lead   float64  `json:"lead" minimum:"0" maximum:"30" doc:"LU by which speech is to stand above everything else"`
	Most   audio.DB `json:"most" minimum:"0" maximum:"48" doc:"dB by which it goes down at most to keep that lead"`
	Drop   audio.DB `json:"drop" minimum:"0" maximum:"48" doc:"dB by which it goes down where no lead is kept"`
	Down   Millis   `json:"down" minimum:"20" maximum:"10000" doc:"How long it goes down before the first word, which it reaches when it is down"`
	Up     Millis   `json:"up" minimum:"20" maximum:"20000" doc:"How long it comes up again after the last syllable"`
	Bridge Millis   `json:"bridge" minimum:"0" maximum:"30000" doc:"It stays down over pauses that are shorter than this"`
	Stay   Millis   `json:"stay" minimum:"0" maximum:"30000" doc:"And over those in which it would be up for less than this, so that it does not pump"`
	Turned bool     `json:"turned,omitempty" doc:"Its line was turned into points of the level line"`
	Before []Point  `json:"before,omitempty" nullable:"false" maxItems:"10000" doc:"What the level line was before that"`
	For    []string `json:"for,omitempty" nullable:"false" maxItems:"64" doc:"The voice tracks that it makes way for, by id; left out: all of them"`
}

// UsualWay are settings to begin with, off.
func UsualWay() Way {
	return Way{By: ByLead, Lead: 15, Most: 24, Drop: 14, Down: 700, Up: 1200, Bridge: 2500, Stay: 500}
}

// MakesWay says whether a track makes way for speech. A voice never does.
func (t Track) MakesWay() bool { return t.Way.On && t.Part != Voice }

// IsFor says whether it makes way for a voice track.
func (w Way) IsFor(track string) bool { return len(w.For) == 0 || slices.Contains(w.For, track) }

func (w Way) validate(where string) error {
	if reflect.ValueOf(w).IsZero() {
		return nil // it is not there
	}
	if w.By != ByLead && w.By != ByDrop {
		return problem.New("bad-way", where+".by", "A track makes way by a lead or by a drop, not by %q.", w.By)
	}
	if err := withinRanges(w, ranges["way"], "making way", where); err != nil {
		return err
	}
	if err := validateEnvelope(w.Before, where+".before"); err != nil {
		return err
	}
	if len(w.For) > MaxTracks {
		return problem.New("bad-way", where+".for", "A track makes way for at most %d others.", MaxTracks)
	}
	for i, id := range w.For {
		if !localID.MatchString(id) || slices.Contains(w.For[:i], id) {
			return problem.New("bad-way", where+".for", "The tracks that a track makes way for are named by their ids, each once.")
		}
	}
	return nil
}

func (w *Way) settle() {
	for _, level := range []*audio.DB{&w.Most, &w.Drop} {
		settle(level)
	}
	w.Before = settledLine(w.Before)
	settle(&w.Lead)
	settle(&w.Bridge)
	settle(&w.Stay)
}
