package treat

import "ruvel/core/session"

// Compressed is what a compressor at rest does to a steady level, in dB, without its make-up:
// the static curve with a soft knee of Giannoulis, Massberg, Reiss, "Digital Dynamic Range
// Compressor Design: A Tutorial and Analysis", J. Audio Eng. Soc. 60(6), 2012, equation 4.
func Compressed(s session.Compressor, level float64) float64 {
	over, knee, slope := level-float64(s.Threshold), float64(s.Knee), 1/s.Ratio-1
	switch {
	case 2*over <= -knee:
		return 0
	case 2*over < knee:
		return slope * (over + knee/2) * (over + knee/2) / (2 * knee)
	}
	return slope * over
}

// MakeUp is by how much a compressor makes all louder afterwards, in dB: as much as it is told,
// or as much as it takes away from steady speech at the level that it is told of.
func MakeUp(s session.Compressor) float64 {
	if s.Auto {
		return -Compressed(s, float64(s.Speech))
	}
	return float64(s.MakeUp)
}

// compress makes what lies above the threshold softer. The gain that the curve asks for is
// smoothed in dB, with the attack while more is taken away and with the release while less
// is: the smooth branching detector of the same paper, equation 17.
func compress(s session.Compressor, amplitudes []float32) Gains {
	gains := make(Gains, len(amplitudes))
	attack, release := smooth(s.Attack), smooth(s.Release)
	gain, up := 0.0, MakeUp(s)
	little := float32((s.Threshold - s.Knee/2).Gain())
	for k, amplitude := range amplitudes {
		wanted := 0.0
		if amplitude > little {
			wanted = Compressed(s, level(amplitude))
		}
		left := release
		if wanted < gain {
			left = attack
		}
		gain = wanted + (gain-wanted)*left
		gains[k] = float32(gain + up)
	}
	return gains
}
