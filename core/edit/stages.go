package edit

import (
	"cmp"
	"encoding/json"
	"errors"
	"maps"
	"reflect"
	"slices"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// SetStage changes settings of a stage of the treatment of a track, and gives the whole treatment that this makes to all tracks that are meant.
// What is not named stays. The two thresholds of a gate push each other along, and where a compressor makes up by itself or goes by another
// detector, it takes the level of ordinary speech for what that one sees.
type SetStage struct {
	Kind
	Tracks   []string                      `json:"tracks" nullable:"false" minItems:"1" maxItems:"64" doc:"The first one is the one whose treatment is changed"`
	Stage    string                        `json:"stage" enum:"lowCut,gate,expander,compressor,limiter"`
	Settings map[string]any                `json:"settings" nullable:"false" doc:"By their names in the document"`
	Ordinary map[session.Detector]audio.DB `json:"ordinary,omitempty" doc:"dBFS of ordinary speech of the first track, as each detector sees it, if that is known"`
}

func (o SetStage) apply(d *draft) (string, error) {
	tracks := once(o.Tracks, itself)
	if err := chosen(tracks, "tracks"); err != nil {
		return "", err
	}
	first, err := d.track(tracks[0])
	if err != nil {
		return "", err
	}
	now := first.Treatment.Whole()
	if err := o.set(&now); err != nil {
		return "", err
	}
	set := SetTracks{}
	for _, id := range tracks {
		set.Tracks = append(set.Tracks, TrackChange{Track: id, Treatment: &now})
	}
	return set.apply(d)
}

// set changes the stage of a treatment.
func (o SetStage) set(t *session.Treatment) error {
	stages := map[string]any{"lowCut": &t.LowCut, "gate": &t.Gate, "expander": &t.Expander, "compressor": &t.Compressor, "limiter": &t.Limiter}
	stage, there := stages[o.Stage]
	if !there {
		return problem.New("unknown-stage", "stage", "A treatment has no stage %q.", problem.Short(o.Stage, 40))
	}
	if err := o.read(stage); err != nil {
		return err
	}
	o.follow(t)
	return nil
}

// read puts the settings into a stage, given by its address; those that are not named stay as they are there.
func (o SetStage) read(stage any) error {
	of := reflect.TypeOf(stage).Elem()
	var takes []string
	for i := range of.NumField() {
		name, _, _ := strings.Cut(of.Field(i).Tag.Get("json"), ",")
		takes = append(takes, name)
	}
	for _, name := range slices.Sorted(maps.Keys(o.Settings)) {
		if !slices.Contains(takes, name) {
			return problem.New("bad-settings", "settings."+name, "The stage %s has no setting %q. It has %s.", o.Stage, problem.Short(name, 40), strings.Join(takes, ", "))
		}
	}
	text, err := json.Marshal(o.Settings)
	if err == nil {
		err = json.Unmarshal(text, stage)
	}
	if wrong := (*json.UnmarshalTypeError)(nil); errors.As(err, &wrong) {
		kind := map[reflect.Kind]string{reflect.Bool: "true or false", reflect.String: "a word"}[wrong.Type.Kind()]
		return problem.New("bad-settings", "settings."+wrong.Field, "The setting %s of the stage %s takes %s, not a %s.", wrong.Field, o.Stage, cmp.Or(kind, "a number"), wrong.Value)
	}
	if err != nil {
		return problem.New("bad-settings", "settings", "The settings of the stage %s cannot be read.", o.Stage)
	}
	return nil
}

// follow has settings go with those that were changed.
func (o SetStage) follow(t *session.Treatment) {
	changed := func(name string) bool { _, there := o.Settings[name]; return there }
	switch o.Stage {
	case "gate":
		if changed("open") {
			t.Gate.Close = min(t.Gate.Close, t.Gate.Open)
		}
		if changed("close") {
			t.Gate.Open = max(t.Gate.Close, t.Gate.Open)
		}
	case "compressor":
		ordinary, known := o.Ordinary[t.Compressor.Detector]
		if known && (changed("auto") || changed("detector")) {
			t.Compressor.Speech = ordinary
		}
	}
}

// FadeOutBy lets a clip end at a time, with a fade of three seconds, or of half of what is left of it if that is shorter.
type FadeOutBy struct {
	Kind
	Clip string       `json:"clip"`
	At   audio.Frames `json:"at" minimum:"0" doc:"Session time"`
}

// longestEnding is how long a fade is that a piece ends with that does not come to an end by itself.
const longestEnding = 3 * audio.Second

func (o FadeOutBy) apply(d *draft) (string, error) {
	if _, err := (TrimClips{Trims: []Trim{{Clip: o.Clip, Edge: "end", At: o.At}}}).apply(d); err != nil {
		return "", err
	}
	_, c, err := d.clip(o.Clip)
	if err != nil {
		return "", err
	}
	return SetFades{Fades: []ClipFades{{Clip: o.Clip, Out: &NewFade{Length: min(longestEnding, (o.At-c.Start)/2), Shape: session.Smooth}}}}.apply(d)
}
