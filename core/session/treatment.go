package session

import (
	"ruvel/core/audio"
	"ruvel/core/problem"
)

// Treatment is what is done to the sum of a track's clips, stage after stage in this order.
// A stage that is not there is off; one that is off keeps its settings.
type Treatment struct {
	LowCut     LowCut     `json:"lowCut,omitzero" doc:"Takes away what lies below a voice"`
	Gate       Gate       `json:"gate,omitzero" doc:"Closes where nothing is said"`
	Expander   Expander   `json:"expander,omitzero" doc:"Makes what is soft softer"`
	Compressor Compressor `json:"compressor,omitzero" doc:"Makes what is loud softer"`
	Limiter    Limiter    `json:"limiter,omitzero" doc:"Keeps a true-peak ceiling"`
}

// Millis is a time in milliseconds.
type Millis float64

// Seconds is the time in seconds.
func (m Millis) Seconds() float64 { return float64(m) / 1000 }

// Frames is the time in frames, rounded.
func (m Millis) Frames() audio.Frames { return audio.Seconds(m.Seconds()) }

// LowCut is a Butterworth high pass of the second order.
type LowCut struct {
	On     bool    `json:"on"`
	Corner float64 `json:"corner" minimum:"20" maximum:"250" doc:"Hz, where it takes away 3 dB"`
}

// Gate opens where the level reaches a threshold and closes when it has stayed below a lower one for a while.
type Gate struct {
	On      bool     `json:"on"`
	Open    audio.DB `json:"open" minimum:"-80" maximum:"0" doc:"dBFS at which it opens"`
	Close   audio.DB `json:"close" minimum:"-90" maximum:"0" doc:"dBFS under which it closes; not above the one at which it opens"`
	Attack  Millis   `json:"attack" minimum:"0.1" maximum:"100"`
	Hold    Millis   `json:"hold" minimum:"0" maximum:"2000" doc:"How long it stays open after that"`
	Release Millis   `json:"release" minimum:"5" maximum:"2000"`
	Range   audio.DB `json:"range" minimum:"1" maximum:"120" doc:"How far it closes, in dB; 120 is silence"`
	Ahead   Millis   `json:"ahead" minimum:"0" maximum:"50" doc:"How early it begins to open, so that the first consonant is whole"`
}

// Expander makes what lies below a threshold softer by as much more as its ratio says.
type Expander struct {
	On        bool     `json:"on"`
	Threshold audio.DB `json:"threshold" minimum:"-80" maximum:"0" doc:"dBFS"`
	Ratio     float64  `json:"ratio" minimum:"1" maximum:"10"`
	Attack    Millis   `json:"attack" minimum:"0.1" maximum:"200" doc:"Of getting louder again"`
	Release   Millis   `json:"release" minimum:"5" maximum:"2000" doc:"Of getting softer"`
	Range     audio.DB `json:"range" minimum:"1" maximum:"60" doc:"The most that it takes away, in dB"`
}

// Detector is what a compressor goes by.
type Detector string

// The detectors.
const (
	Peaks Detector = "peak"  // the highest sample of the last 10 ms
	Level Detector = "level" // the root of the mean square of the last 10 ms
)

// Compressor makes what lies above a threshold softer by a ratio.
type Compressor struct {
	On        bool     `json:"on"`
	Threshold audio.DB `json:"threshold" minimum:"-60" maximum:"0" doc:"dBFS"`
	Ratio     float64  `json:"ratio" minimum:"1" maximum:"20"`
	Knee      audio.DB `json:"knee" minimum:"0" maximum:"24" doc:"How wide the way from one slope to the other is, in dB"`
	Attack    Millis   `json:"attack" minimum:"0.1" maximum:"200"`
	Release   Millis   `json:"release" minimum:"5" maximum:"2000"`
	MakeUp    audio.DB `json:"makeUp" minimum:"-12" maximum:"24" doc:"dB by which all becomes louder afterwards"`
	Auto      bool     `json:"auto,omitempty" doc:"Makes up by itself, in the place of makeUp, so that ordinary speech keeps its level"`
	Speech    audio.DB `json:"speech,omitempty" minimum:"-80" maximum:"0" doc:"dBFS of ordinary speech, as the detector sees it; for the automatic make-up"`
	Detector  Detector `json:"detector" enum:"peak,level"`
}

// Limiter keeps the true peak under a ceiling.
type Limiter struct {
	On      bool     `json:"on"`
	Ceiling audio.DB `json:"ceiling" minimum:"-20" maximum:"0" doc:"dBTP"`
	Release Millis   `json:"release" minimum:"5" maximum:"1000"`
}

// Usual are settings to begin with, all off.
func Usual() Treatment {
	return Treatment{
		LowCut:     LowCut{Corner: 80},
		Gate:       Gate{Open: -45, Close: -51, Attack: 2, Hold: 150, Release: 250, Range: 18, Ahead: 10},
		Expander:   Expander{Threshold: -45, Ratio: 2, Attack: 5, Release: 150, Range: 12},
		Compressor: Compressor{Threshold: -22, Ratio: 3, Knee: 6, Attack: 8, Release: 150, Speech: -24, Detector: Level},
		Limiter:    Limiter{Ceiling: -1, Release: 80},
	}
}

// Whole is a treatment with the stages that are not there off, as they begin.
func (t Treatment) Whole() Treatment {
	usual := Usual()
	if t.LowCut == (LowCut{}) {
		t.LowCut = usual.LowCut
	}
	if t.Gate == (Gate{}) {
		t.Gate = usual.Gate
	}
	if t.Expander == (Expander{}) {
		t.Expander = usual.Expander
	}
	if t.Compressor == (Compressor{}) {
		t.Compressor = usual.Compressor
	}
	if t.Limiter == (Limiter{}) {
		t.Limiter = usual.Limiter
	}
	return t
}

// Off says whether the treatment changes nothing.
func (t Treatment) Off() bool {
	return !t.LowCut.On && !t.Gate.On && !t.Expander.On && !t.Compressor.On && !t.Limiter.On
}

// NewTreatment is a treatment as it is kept, or says which of its settings is out of its range.
func NewTreatment(t Treatment, where string) (Treatment, error) {
	t.settle()
	return t, t.validate(where)
}

// validate says which setting is out of its range. A stage that is not there has none.
func (t Treatment) validate(where string) error {
	if c := t.Compressor; c != (Compressor{}) && c.Detector != Peaks && c.Detector != Level {
		return problem.New("bad-detector", where+".compressor.detector", "A compressor goes by the peak or by the level, not by %q.", c.Detector)
	}
	for _, stage := range []struct {
		name string
		of   any
	}{{"lowCut", t.LowCut}, {"gate", t.Gate}, {"expander", t.Expander}, {"compressor", t.Compressor}, {"limiter", t.Limiter}} {
		if err := withinRanges(stage.of, ranges[stage.name], stage.name, where+"."+stage.name); err != nil {
			return err
		}
	}
	if t.Gate.Close > t.Gate.Open {
		return problem.New("thresholds-crossed", where+".gate.close", "A gate cannot close at a higher level than the one at which it opens.")
	}
	return nil
}

// settle turns negative zeros into zeros, where a setting may be zero.
func (t *Treatment) settle() {
	for _, level := range []*audio.DB{
		&t.Gate.Open, &t.Gate.Close, &t.Expander.Threshold, &t.Compressor.Threshold, &t.Compressor.Knee, &t.Compressor.MakeUp, &t.Compressor.Speech, &t.Limiter.Ceiling,
	} {
		settle(level)
	}
	settle(&t.Gate.Hold)
	settle(&t.Gate.Ahead)
}
