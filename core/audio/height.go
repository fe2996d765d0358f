package audio

import "math"

// Height is how high some samples reach, in quarters of a dB: 1 is -47.75 dBFS, 255 is +15.75; 0 is less than that.
type Height uint8

const (
	heightsPerDB = 4
	lowestHeight = -48.0 // dBFS
)

// HeightOf is that of an amplitude.
func HeightOf(amplitude float32) Height {
	if !(amplitude > 0) {
		return 0
	}
	return Height(math.Round(max(0, min(255, heightsPerDB*(20*math.Log10(float64(amplitude))-lowestHeight)))))
}

// amplitudes are those of all heights.
var amplitudes = func() (out [256]float32) {
	for h := 1; h < len(out); h++ {
		out[h] = float32(DB(lowestHeight + float64(h)/heightsPerDB).Gain())
	}
	return out
}()

// Amplitude is that of a height.
func (h Height) Amplitude() float32 { return amplitudes[h] }

// HeightSpan is how long the stretches are whose heights are known: 5 ms.
const HeightSpan = Rate / 200

// Heights are those of every 5 ms of some sound, the highest of all its channels.
func Heights(pcm PCM) []Height {
	out := make([]Height, (pcm.Length()+HeightSpan-1)/HeightSpan)
	for k := range out {
		at := Frames(k) * HeightSpan
		out[k] = HeightOf(pcm.Slice(at, min(at+HeightSpan, pcm.Length())).Peak())
	}
	return out
}
