package loudness

import (
	"fmt"
	"math"
	"strings"

	"ruvel/core/audio"
)

// Target is a loudness that a mix is delivered at.
type Target struct {
	Key        string  `json:"key"`
	Name       string  `json:"name"`
	Integrated float64 `json:"integrated" doc:"LUFS"`
	Tolerance  float64 `json:"tolerance" doc:"LU either way"`
	TruePeak   float64 `json:"truePeak" doc:"Highest true peak, dBTP"`
	Source     string  `json:"source"`
}

// Targets are the delivery targets in the order they are offered.
func Targets() []Target {
	return []Target{
		{"podcast-stereo", "Podcast, stereo", -16, 1, -1, "Common practice; AES TD1004 and TD1008 recommend -16 to -20 LUFS"},
		{"podcast-mono", "Podcast, mono", -19, 1, -1, "Common practice: 3 LU lower, so that it sounds equal on two loudspeakers"},
		{"radio-europe", "European radio and television", -23, 0.5, -1, "EBU R 128"},
		{"television-america", "American television", -24, 2, -2, "ATSC A/85"},
		{"music-streaming", "Streaming music services", -14, 1, -1, "Common practice"},
	}
}

// FindTarget gives a target by its key.
func FindTarget(key string) (Target, bool) {
	for _, t := range Targets() {
		if t.Key == key {
			return t, true
		}
	}
	return Target{}, false
}

// For gives the target of files of so many channels that sounds as loud as this one, if this is one of others.
func (t Target) For(channels int) (other Target, there bool) {
	pair := map[string]string{"podcast-stereo": "podcast-mono", "podcast-mono": "podcast-stereo"}
	if fits := (channels == 1) == (t.Key == "podcast-mono"); fits || pair[t.Key] == "" {
		return Target{}, false
	}
	return FindTarget(pair[t.Key])
}

// Verdict is how a measured mix stands to a target.
type Verdict struct {
	Meets bool    `json:"meets"`
	Loud  float64 `json:"loud" doc:"LU above the target, or below it if negative; 0 within the tolerance or if it is silent"`
	Over  float64 `json:"over" doc:"dB by which the true peak is above the ceiling, or 0"`
	Text  string  `json:"text" doc:"In words"`
}

// Judge holds what was measured of a mix against the target. Silence is neither loud nor quiet.
func (t Target) Judge(r Result) Verdict {
	var v Verdict
	var wrong []string
	if by := r.Integrated - t.Integrated; r.Integrated > float64(audio.Silence) && math.Abs(by) > t.Tolerance {
		v.Loud = by
		word := "loud"
		if by < 0 {
			word = "quiet"
		}
		wrong = append(wrong, fmt.Sprintf("%.1f LU too %s", math.Abs(by), word))
	}
	if over := r.TruePeak - t.TruePeak; over > 0 {
		v.Over = over
		wrong = append(wrong, strings.ReplaceAll(fmt.Sprintf("peak above %.1f dBTP", t.TruePeak), "-", "−"))
	}
	v.Meets, v.Text = len(wrong) == 0, "meets the target"
	if !v.Meets {
		v.Text = strings.Join(wrong, ", ")
	}
	return v
}
