package mix

import (
	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/fade"
	"ruvel/core/session"
	"ruvel/core/waveform"
)

// Silhouette is the outline of a session as it will be heard: for each part the
// highest amplitude (1 is full scale) in each of a number of equal columns.
type Silhouette struct {
	Voice  []float32 `json:"voice" nullable:"false"`
	Music  []float32 `json:"music" nullable:"false"`
	Effect []float32 `json:"effect" nullable:"false"`
}

func (s Silhouette) of(part session.Part) []float32 {
	switch part {
	case session.Voice:
		return s.Voice
	case session.Music:
		return s.Music
	default:
		return s.Effect
	}
}

// Outline reads a silhouette from the peaks of the sounds, without rendering. Pan is
// left out of it, and tracks of one part are not summed: the loudest counts. The plan, which may
// be nil, says what treatments do, as far as it knows.
func Outline(doc session.Document, peaks func(sound string) (waveform.Pyramid, error), columns int, plan *Plan) (Silhouette, error) {
	out := Silhouette{make([]float32, columns), make([]float32, columns), make([]float32, columns)}
	length := doc.Length()
	audible := doc.Audible()
	for i, t := range doc.Tracks {
		if !audible[i] {
			continue
		}
		line := envelope.New(t.Envelope)
		way, err := wayOf(plan, t)
		if err != nil {
			return Silhouette{}, err
		}
		crossings := crossingsOf(t)
		known, err := knownOf(plan, t, length)
		if err != nil {
			return Silhouette{}, err
		}
		for id, c := range t.Clips {
			p, err := peaks(c.Sound)
			if err != nil {
				return Silhouette{}, err
			}
			o := outliner{clip: c, peaks: p, clipLine: envelope.New(c.Envelope), trackLine: line, way: way, treated: known, gain: gainOf(c) * t.Fader.Gain()}
			o.crossing, o.crosses = crossings[id]
			o.draw(out.of(t.Part), length)
		}
	}
	return out, nil
}

// outlined is how long the cells are that a silhouette is drawn of.
var outlined = CellLengths[2]

// knownOf is what a plan knows of the treatment of a track without computing anything; nil if it has none.
func knownOf(plan *Plan, t session.Track, length audio.Frames) ([]Cell, error) {
	if plan == nil || t.Treatment.Off() {
		return nil, nil
	}
	return plan.Course(t.ID, 0, outlined, int(length/outlined)+1, func() bool { return false })
}

// wayOf is the line in which a track makes way, about: where it has to be guessed it is.
func wayOf(plan *Plan, of session.Track) (envelope.Curve, error) {
	if plan == nil || !of.MakesWay() {
		return envelope.New(nil), nil
	}
	t := plan.find(of.ID)
	if t == nil || t.way == nil {
		return envelope.New(nil), nil
	}
	var err error
	line := plan.line(t, newGauge(plan, false), &err).Corners(0, plan.length)
	return envelope.New(line), err
}

type outliner struct {
	treated             []Cell // of its track
	clip                session.Clip
	peaks               waveform.Pyramid
	clipLine, trackLine envelope.Curve
	way                 envelope.Curve
	gain                float64
	crossing            session.Clip
	crosses             bool
}

func (o outliner) draw(columns []float32, length audio.Frames) {
	n := audio.Frames(len(columns))
	c := o.clip
	for x := c.Start * n / length; x < n && x*length/n < c.End(); x++ {
		if from, to := max(c.Start, x*length/n), min(c.End(), (x+1)*length/n); from < to {
			columns[x] = max(columns[x], o.height(from, to))
		}
	}
}

// height is the highest amplitude from one moment to another.
func (o outliner) height(from, to audio.Frames) float32 {
	gain := max(o.gainAt(from), o.gainAt((from+to)/2), o.gainAt(to-1))
	k := o.peaks.Between(from-o.clip.Start+o.clip.Offset, to-o.clip.Start+o.clip.Offset)
	return float32(max(int(k.High), -int(k.Low))) / 32767 * float32(gain*o.change(from, to))
}

// change is what a treatment makes of the highest sample from one moment to another.
func (o outliner) change(from, to audio.Frames) float64 {
	if o.treated == nil {
		return 1
	}
	cells := o.treated[min(len(o.treated)-1, int(from/outlined)):min(len(o.treated), int((to-1)/outlined)+1)]
	in, out := nothing.In, nothing.Out
	for _, c := range cells {
		if c.Gated == Unknown {
			return 1
		}
		in, out = max(in, c.In), max(out, c.Out)
	}
	return audio.DB(float64(out-in) / 100).Gain()
}

func (o outliner) gainAt(at audio.Frames) float64 {
	own := at - o.clip.Start
	crossing := 1.0
	if o.crosses {
		crossing = fade.In(o.crossing.FadeIn, own) * fade.Out(o.crossing.FadeOut, own, o.clip.Length)
	}
	return crossing * fade.Hush(o.clip.Hushed, own+o.clip.Offset) * o.gain * o.clipLine.GainAt(own+o.clip.Offset) * o.trackLine.GainAt(at) * o.way.GainAt(at) *
		fade.In(o.clip.FadeIn, own) * fade.Out(o.clip.FadeOut, own, o.clip.Length)
}
