// Package even brings clips, or the speakers whose clips lie on a track, to the same loudness or
// to the same peak, by the gains of their clips alone.
package even

import (
	"slices"

	"ruvel/core/audio"
	"ruvel/core/loudness"
)

// By is what is made the same.
type By string

// What can be made the same.
const (
	Loudness By = "loudness" // the gated loudness, in LUFS
	Peak     By = "peak"     // the highest sample, in dBFS
)

// Thing is a clip, or the clips of a track, as they are heard now.
type Thing struct {
	ID       string              // of the clip or the track
	Loudness float64             // LUFS; loudness.Floor if it is too short or too soft to be measured
	Peak     audio.DB            // dBFS
	Gains    map[string]audio.DB // of its clips
}

// Row says what becomes of a thing.
type Row struct {
	ID      string              `json:"id" doc:"Of the clip or the track"`
	Now     float64             `json:"now" doc:"LUFS or dBFS, as it is heard; -120 if it cannot be measured"`
	Then    float64             `json:"then"`
	Change  audio.DB            `json:"change" doc:"By which its clips become louder, in dB"`
	Gains   map[string]audio.DB `json:"gains" nullable:"false" doc:"The gains of its clips then"`
	Over    bool                `json:"over,omitempty" doc:"Its peak then lies over the ceiling"`
	Held    bool                `json:"held,omitempty" doc:"It would need more gain than a clip can have, and gets as much as there is"`
	Outlier bool                `json:"outlier,omitempty" doc:"It is so far from the others that it is better left out"`
	Unknown bool                `json:"unknown,omitempty" doc:"It is too short or too soft to be measured, and stays"`
}

// far is how many dB a thing may be changed by before it is taken for something else than speech.
const far = 15

// Plan says what becomes of things that are brought to a target, or, if that is nil, to the
// one of them that stands in the middle. The ceiling is a peak in dBFS.
func Plan(things []Thing, by By, target *float64, ceiling audio.DB) (float64, []Row) {
	to := middle(things, by)
	if target != nil {
		to = *target
	}
	rows := []Row{}
	for _, thing := range things {
		rows = append(rows, thing.row(by, to, ceiling))
	}
	return to, rows
}

func (t Thing) value(by By) float64 {
	if by == Peak {
		return float64(t.Peak)
	}
	return t.Loudness
}

// middle is the median of what can be measured.
func middle(things []Thing, by By) float64 {
	var all []float64
	for _, t := range things {
		if v := t.value(by); v > loudness.Floor {
			all = append(all, v)
		}
	}
	if len(all) == 0 {
		return loudness.Floor
	}
	slices.Sort(all)
	return (all[(len(all)-1)/2] + all[len(all)/2]) / 2
}

func (t Thing) row(by By, to float64, ceiling audio.DB) Row {
	now := t.value(by)
	r := Row{ID: t.ID, Now: now, Then: now, Gains: map[string]audio.DB{}}
	for id, gain := range t.Gains {
		r.Gains[id] = gain
	}
	if now <= loudness.Floor || to <= loudness.Floor {
		r.Unknown = true
		return r
	}
	change := audio.DB(to - now)
	for _, gain := range t.Gains {
		if gain > audio.Silence && gain+change > audio.Loudest { // all clips by as much, so that they stay as they are to each other
			change, r.Held = audio.Loudest-gain, true
		}
	}
	for id, gain := range t.Gains {
		if gain > audio.Silence {
			r.Gains[id] = max(audio.Silence, gain+change)
		}
	}
	r.Change, r.Then = change, now+float64(change)
	r.Over = change > 0 && t.Peak+change > ceiling
	r.Outlier = change > far || change < -far
	return r
}
