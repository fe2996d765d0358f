package work

import (
	"encoding/json"
	"log/slog"
	"time"

	"ruvel/core/audio"
	"ruvel/core/glance"
	"ruvel/core/problem"
	"ruvel/internal/store"
)

// Event is something that happened to an episode or a show, for the windows that show it. One field is set.
type Event struct {
	Change   *ChangeEvent   `json:"change,omitempty"`
	Removed  *ShowEvent     `json:"removed,omitempty" doc:"The episode was removed"`
	Loudness *LoudnessEvent `json:"loudness,omitempty"`
	Measure  *MeasureEvent  `json:"measure,omitempty"`
	Job      *JobEvent      `json:"job,omitempty"`
	Sounds   *ShowEvent     `json:"sounds,omitempty"`
	Mixdowns *ShowEvent     `json:"mixdowns,omitempty"`
	Links    *ShowEvent     `json:"links,omitempty" doc:"Addresses for listeners, or what these have written"`
	Sendings *ShowEvent     `json:"sendings,omitempty" doc:"Finished files that are sent elsewhere"`
	Takes    *ShowEvent     `json:"takes,omitempty"`
	Script   *ShowEvent     `json:"script,omitempty"`
	Notes    *ShowEvent     `json:"notes,omitempty" doc:"What is noted at places"`
	Here     *HereEvent     `json:"here,omitempty" doc:"Where somebody is who works on the same episode"`
	Members  *ShowEvent     `json:"members,omitempty" doc:"Who is of a show, and what"`
}

// ChangeEvent is a new version of a document.
type ChangeEvent struct {
	Episode string          `json:"episode"`
	Version int64           `json:"version"`
	Patch   json.RawMessage `json:"patch,omitempty" doc:"RFC 6902, from the version before; left out if it is too large to be told: then the document is asked for"`
	Glance  glance.Glance   `json:"glance" doc:"What follows from the document"`
	Name    string          `json:"name" doc:"Of the step"`
	By      string          `json:"by,omitempty" doc:"Whose it is, where there are several people"`
	ByID    string          `json:"byId,omitempty" doc:"The same by id"`
	Changed time.Time       `json:"changed"`
	store.History
}

// HereEvent is where somebody is in an episode: told when it changes, and every few seconds.
type HereEvent struct {
	Window  string       `json:"window" doc:"Of which there may be several of one person"`
	Person  string       `json:"person"`
	Name    string       `json:"name"`
	Letters string       `json:"letters"`
	At      audio.Frames `json:"at" doc:"The playhead"`
	Playing bool         `json:"playing"`
	Chosen  []string     `json:"chosen" nullable:"false" doc:"Clips that they have chosen"`
	Holds   []string     `json:"holds" nullable:"false" doc:"Clips that they are moving at this moment"`
	Gone    bool         `json:"gone,omitempty" doc:"They have left"`
}

// LoudnessEvent says that a version has been measured.
type LoudnessEvent struct {
	Version int64 `json:"version"`
}

// MeasureEvent says how far the measurement of a version has come.
type MeasureEvent struct {
	Version  int64   `json:"version"`
	Progress float64 `json:"progress" doc:"0 to 1"`
}

// JobEvent is the state of a job.
type JobEvent struct {
	ID       string           `json:"id"`
	Kind     string           `json:"kind" enum:"import,mixdown,render,take,open,send"`
	Name     string           `json:"name"`
	Episode  string           `json:"episode,omitempty"`
	State    store.State      `json:"state" enum:"queued,running,done,failed,cancelled"`
	Progress float64          `json:"progress" doc:"0 to 1"`
	Left     float64          `json:"left" doc:"Seconds that it will probably still take; 0 if that is not known"`
	Problem  *problem.Problem `json:"problem,omitempty"`
}

// ShowEvent says that a list has changed.
type ShowEvent struct {
	Show string `json:"show"`
}

// EpisodeSubject and ShowSubject are what is listened to.
func EpisodeSubject(id string) string { return "ruvel.episode." + id }

// ShowSubject is the subject of what concerns a whole show.
func ShowSubject(id string) string { return "ruvel.show." + id }

// mostTold is how many bytes of a patch are told at most: a message of an outside queue
// holds a megabyte, unless it has been set up otherwise.
const mostTold = 512 << 10

// Announce tells everybody about an event.
func (q *Queue) Announce(subject string, e Event) {
	data, err := json.Marshal(e)
	if err == nil {
		err = q.Tell(subject, data)
	}
	if err != nil {
		slog.Warn("an event was not told", "subject", subject, "error", err)
	}
}

// Changed tells about a new version of an episode.
func (q *Queue) Changed(episode string, c store.Change) ChangeEvent {
	e := ChangeEvent{
		Episode: episode, Version: c.Version, Patch: c.Patch, Glance: glance.Of(c.Document), Name: c.Name, By: c.By.Name, ByID: c.By.ID, Changed: c.Changed, History: c.History,
	}
	if string(c.Patch) != "[]" {
		told := e
		if len(told.Patch) > mostTold {
			told.Patch = nil
		}
		q.Announce(EpisodeSubject(episode), Event{Change: &told})
	}
	return e
}

// View is a job as windows see it.
func View(j store.Job) JobEvent {
	e := JobEvent{ID: j.ID, Kind: j.Kind, Name: j.Name, State: j.State, Progress: j.Progress}
	if j.Episode != nil {
		e.Episode = *j.Episode
	}
	if j.Problem.Of.Code != "" {
		e.Problem = &j.Problem.Of
	}
	return e
}
