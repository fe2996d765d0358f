package treat

import (
	"fmt"
	"math"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Start is a treatment to begin with for a kind of voice. Its thresholds are laid where the
// voice on a track needs them.
type Start struct {
	Key       string            `json:"key"`
	Name      string            `json:"name"`
	For       string            `json:"for" doc:"What it is for, in a sentence"`
	Treatment session.Treatment `json:"treatment"`
	less      audio.DB          // by how much ordinary speech is made softer
}

// Starts are the treatments to begin with. Their ratios, times and ranges are common practice
// for speech; the level lines of none depend on how loud a recording happens to be.
func Starts() []Start {
	usual := func(shape func(t *session.Treatment)) session.Treatment {
		t := session.Usual()
		t.LowCut.On, t.Compressor.On, t.Limiter.On, t.Compressor.Auto = true, true, true, true
		shape(&t)
		return t
	}
	return []Start{
		{"narration", "Close narration", "One voice close to the microphone in a quiet room.", usual(func(t *session.Treatment) {
			t.Expander.On, t.Expander.Ratio, t.Expander.Range, t.Expander.Release = true, 1.5, 8, 250
		}), 4},
		{"room", "Interview in a room", "A guest at a table, with the room to be heard in the pauses.", usual(func(t *session.Treatment) {
			t.LowCut.Corner = 100
			t.Gate.On, t.Gate.Range, t.Gate.Hold, t.Gate.Release, t.Gate.Ahead = true, 12, 300, 350, 15
			t.Compressor.Ratio, t.Compressor.Attack, t.Compressor.Release = 2.5, 12, 200
		}), 4},
		{"telephone", "Telephone line", "A call: little below 200 Hz, uneven, with the noise of the line.", usual(func(t *session.Treatment) {
			t.LowCut.Corner = 200
			t.Gate.On, t.Gate.Range, t.Gate.Hold, t.Gate.Release = true, 18, 200, 200
			t.Compressor.Ratio, t.Compressor.Attack, t.Compressor.Release = 4, 5, 120
		}), 6},
		{"presenter", "Lively presenter", "Somebody who is loud and soft by turns and should stand in front.", usual(func(t *session.Treatment) {
			t.Compressor.Ratio, t.Compressor.Knee, t.Compressor.Attack, t.Compressor.Release = 4, 9, 4, 100
			t.Limiter.Ceiling = -2
		}), 6},
	}
}

// Lay gives the treatment with its thresholds laid for a voice, and says why they lie there.
func (s Start) Lay(spread Spread) (session.Treatment, string) {
	return lay(s.Treatment, s.less, spread)
}

// Suggest sets gate and compressor of a treatment for a voice, and says why as it does: the gate
// clearly above the floor and below the quietest words, the compressor so that ordinary speech
// is made 4.5 dB softer, and as much louder again.
func Suggest(now session.Treatment, spread Spread) (session.Treatment, string) {
	usual := session.Usual()
	if now.Gate == (session.Gate{}) {
		now.Gate = usual.Gate
	}
	if now.Compressor == (session.Compressor{}) {
		now.Compressor = usual.Compressor
	}
	now.Gate.On, now.Compressor.On, now.Compressor.Auto = true, true, true
	now.Compressor.Ratio = max(2, now.Compressor.Ratio) // less would need a threshold under the quietest words
	return lay(now, 4.5, spread)
}

const (
	gateOver  = 6 // dB that a gate opens above the floor at least
	gateUnder = 6 // and below the quietest words
	// gateShare is how much of the way from the floor to the quietest words it opens at: nearer to
	// the floor, so that no ending is cut off.
	gateShare = 0.3
)

// lay lays the thresholds of the stages that are on. They are rounded to half a dB.
func lay(t session.Treatment, less audio.DB, spread Spread) (session.Treatment, string) {
	if len(spread.Levels.Bins) == 0 {
		return t, "Nobody can be told to speak on this track, so the thresholds stay as they are."
	}
	var why []string
	say := func(form string, values ...any) { why = append(why, fmt.Sprintf(form, values...)) }
	room, quiet := spread.Peaks.Floor, spread.Peaks.Quiet
	between := half(room + max(gateOver, (quiet-room)*gateShare))
	between = max(-80, min(between, half(quiet-gateUnder)))
	narrow := quiet-room < gateOver+gateUnder
	switch {
	case t.Gate.On && half(quiet-gateUnder) < -80:
		t.Gate.On = false
		say("The quietest words reach only %s: no gate opens for so little, so it is off.", said(quiet))
	case t.Gate.On && narrow:
		t.Gate.On = false
		say("The room, with peaks up to %s, is only %.0f dB below the quietest words: a gate would cut off endings, so it is off.", said(room), float64(quiet-room))
	case t.Gate.On:
		t.Gate.Open, t.Gate.Close = between, max(-90, half(max(between-6, min(between, room+2))))
		say("The gate opens at %s: above the room, whose peaks reach %s, and below the quietest words, which reach %s.", said(t.Gate.Open), said(room), said(quiet))
	}
	if t.Expander.On {
		t.Expander.Threshold = max(-80, min(half(room+gateOver), half(quiet-gateUnder)))
		say("The expander makes softer what lies under %s, where the room is.", said(t.Expander.Threshold))
	}
	if t.Compressor.On {
		ordinary := spread.Levels.Ordinary
		if t.Compressor.Detector == session.Peaks {
			ordinary = spread.Peaks.Ordinary
		}
		t.Compressor.Speech = max(-80, min(0, half(ordinary)))
		t.Compressor.Threshold = max(-60, min(0, half(thresholdFor(t.Compressor, less))))
		say("Ordinary speech lies at %s: over %s, at %g:1, it is made %.1f dB softer.", said(t.Compressor.Speech), said(t.Compressor.Threshold), t.Compressor.Ratio,
			-Compressed(t.Compressor, float64(t.Compressor.Speech)))
	}
	return t, strings.Join(why, " ")
}

// thresholdFor is the threshold with which a compressor makes ordinary speech softer by so
// much: the static curve above its knee, or in it, turned round.
func thresholdFor(c session.Compressor, less audio.DB) audio.DB {
	if c.Ratio <= 1 {
		return c.Speech
	}
	slope, knee := 1-1/c.Ratio, float64(c.Knee)
	over := float64(less) / slope
	if 2*over < knee {
		over = math.Sqrt(2*knee*float64(less)/slope) - knee/2
	}
	return c.Speech - audio.DB(over)
}

// half rounds to half a dB.
func half(db audio.DB) audio.DB { return audio.DB(math.Round(2*float64(db)) / 2) }

func said(db audio.DB) string {
	return strings.Replace(fmt.Sprintf("%.1f dB", float64(db)), "-", "−", 1)
}
