package treat

import (
	"ruvel/core/audio"
	"ruvel/core/session"
)

// expand makes what lies below the threshold softer: by ratio - 1 dB for every dB that is
// missing, at most by its range. Its gain goes in dB toward that, up with the attack and
// down with the release (the smoothing of Giannoulis, Massberg, Reiss, "Digital Dynamic
// Range Compressor Design", J. Audio Eng. Soc. 60(6), 2012, for a gain that falls with the level).
func expand(s session.Expander, peaks []float32) Gains {
	gains := make(Gains, len(peaks))
	rise, fall := smooth(s.Attack), smooth(s.Release)
	gain := Expanded(s, float64(audio.Silence)) // at rest nothing has been said
	enough := float32(s.Threshold.Gain())
	for k, peak := range peaks {
		wanted := 0.0
		if peak < enough {
			wanted = Expanded(s, level(peak))
		}
		left := fall
		if wanted > gain {
			left = rise
		}
		gain = wanted + (gain-wanted)*left
		gains[k] = float32(gain)
	}
	return gains
}

// Expanded is what an expander at rest does to a steady level, in dB.
func Expanded(s session.Expander, level float64) float64 {
	return max(-float64(s.Range), min(0, (level-float64(s.Threshold))*(s.Ratio-1)))
}
