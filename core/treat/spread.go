package treat

import (
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Spread is how the levels of a voice are spread, as the stages see them.
type Spread struct {
	Levels Histogram `json:"levels" doc:"Of the level of 10 ms, which a compressor goes by"`
	Peaks  Histogram `json:"peaks" doc:"Of the highest sample of 10 ms, which gate and expander go by"`
}

// Ordinary is the level of ordinary speech as each detector of a compressor sees it, to a tenth of a dB; none if nobody speaks.
func (s Spread) Ordinary() map[session.Detector]audio.DB {
	out := map[session.Detector]audio.DB{}
	for detector, h := range map[session.Detector]Histogram{session.Level: s.Levels, session.Peaks: s.Peaks} {
		if len(h.Bins) > 0 {
			out[detector] = audio.DB(math.Floor(10*float64(h.Ordinary)+0.5) / 10)
		}
	}
	return out
}

// Histogram is how much of the time of speech lies at which level.
type Histogram struct {
	Lowest   audio.DB  `json:"lowest" doc:"dBFS at which the first bin begins; each is 1 dB wide"`
	Bins     []float64 `json:"bins" nullable:"false" doc:"Shares of the time of speech, together 1; none if nobody speaks"`
	Floor    audio.DB  `json:"floor" doc:"dBFS under which nine tenths of the pauses lie; -90 if they are silent"`
	Quiet    audio.DB  `json:"quiet" doc:"dBFS that the quietest words reach"`
	Ordinary audio.DB  `json:"ordinary" doc:"dBFS of ordinary speech: where its power lies, the mean of its levels weighed by power"`
	Loud     audio.DB  `json:"loud" doc:"dBFS over which the loudest twentieth of speech lies"`
}

const (
	lowest   = -90 // dBFS of the first bin
	wordLong = 30  // looks: in 300 ms there is a word
	above    = 6   // dB above the room that speech lies at least
)

// Looks are levels of a voice, one every 10 ms, and where it speaks.
type Looks struct {
	levels, peaks []float32 // amplitudes
	speech        []bool
	told          bool // somebody has said where it speaks
}

// Add looks at more of a voice, one or two linked channels, a whole number of 10 ms.
// spoken says whether a frame lies in speech; it is nil if that is not known.
func (l *Looks) Add(pcm audio.PCM, cut session.LowCut, spoken func(at audio.Frames) bool) {
	clean(pcm)
	if cut.On {
		lowCut(cut, pcm)
	}
	levels, tops := detect(session.Level, pcm), peaks(pcm)
	for k := window - 1; k < len(levels); k += window {
		l.levels, l.peaks = append(l.levels, levels[k]), append(l.peaks, tops[k])
		if spoken != nil {
			l.told = true
			l.speech = append(l.speech, spoken(audio.Frames(k)*Step))
		} else {
			l.speech = append(l.speech, false)
		}
	}
}

// Spread sums up what was looked at. Where nobody has said where there is speech, it is what
// lies well above the quietest tenth.
func (l *Looks) Spread() Spread {
	levels := decibels(l.levels)
	speech := l.speech
	if !l.told {
		speech = loudOf(levels)
	}
	return Spread{histogram(levels, speech), histogram(decibels(l.peaks), speech)}
}

func decibels(amplitudes []float32) []float64 {
	out := make([]float64, len(amplitudes))
	for i, a := range amplitudes {
		out[i] = max(lowest, level(a))
	}
	return out
}

// loudOf takes for speech what lies two fifths of the way from the quietest tenth of what sounds
// to the loudest twentieth, if these are far enough apart.
func loudOf(levels []float64) []bool {
	out := make([]bool, len(levels))
	sounding := slices.DeleteFunc(slices.Clone(levels), func(v float64) bool { return v <= lowest })
	if len(sounding) == 0 {
		return out
	}
	low, high := quantile(sounding, 0.1), quantile(sounding, 0.95)
	if len(sounding) < len(levels)*9/10 { // the pauses are silent
		low = min(low, high-40)
	}
	for i, v := range levels {
		out[i] = high-low >= 10 && v > low+0.4*(high-low)
	}
	return out
}

// quantile sorts values and gives the one under which a share of them lies.
func quantile(values []float64, share float64) float64 {
	slices.Sort(values)
	return values[min(len(values)-1, int(share*float64(len(values))))]
}

func histogram(levels []float64, speech []bool) Histogram {
	out := Histogram{Lowest: lowest, Bins: []float64{}, Floor: lowest, Quiet: lowest, Ordinary: lowest, Loud: lowest}
	var voice, pauses, words []float64
	for i, v := range levels {
		if !speech[i] && v > lowest {
			pauses = append(pauses, v)
		}
	}
	if len(pauses) >= wordLong {
		out.Floor = audio.DB(quantile(pauses, 0.9))
	}
	// A phrase has short lulls, and begins and ends in the room: these are no speech.
	var power, weighed float64
	most := float64(lowest)
	for i, v := range levels {
		if !speech[i] || v < float64(out.Floor)+above {
			continue
		}
		voice = append(voice, v)
		p := math.Exp(v * math.Ln10 / 10)
		power, weighed = power+p, weighed+p*v
		if most = max(most, v); len(voice)%wordLong == 0 {
			words, most = append(words, most), lowest
		}
	}
	if len(words) == 0 {
		return out
	}
	out.Bins = make([]float64, -lowest)
	for _, v := range voice {
		out.Bins[min(len(out.Bins)-1, int(v-lowest))] += 1 / float64(len(voice))
	}
	out.Ordinary = audio.DB(weighed / power)
	out.Loud, out.Quiet = audio.DB(quantile(voice, 0.95)), audio.DB(quantile(words, 0.05))
	return out
}
