package check

import (
	"context"
	"encoding/binary"
	"math"
	"time"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/core/speech"
)

// Along is the loudness of an episode over time.
type Along struct {
	Version   int64            `json:"version" doc:"That it is of"`
	Whole     loudness.Result  `json:"whole"`
	Target    loudness.Target  `json:"target"`
	Verdict   loudness.Verdict `json:"verdict" doc:"How it stands to the target"`
	Low       float64          `json:"low" doc:"LUFS, the lower end of the loudness range"`
	High      float64          `json:"high" doc:"LUFS, the upper end of it"`
	Momentary []byte           `json:"momentary" doc:"LUFS over 400 ms up to the end of each 100 ms, in hundredths, int16 little-endian; -12000 where there is nothing"`
	ShortTerm []byte           `json:"shortTerm" doc:"The same over 3 s"`
	SoFar     []byte           `json:"soFar" doc:"The gated loudness of all up to the end of each second"`
	TruePeak  []byte           `json:"truePeak" doc:"The highest true peak of each 100 ms, dBTP, in the same form"`
	Spoken    []session.Span   `json:"spoken" nullable:"false" doc:"Where somebody is heard to speak"`
}

// coursePatience is how long an answer waits for the mix to be measured.
const coursePatience = 2 * time.Second

// Course is the loudness of an episode over time, once it has a version and that has been measured.
func (c *Checker) Course(ctx context.Context, episode string, rev int64) (out Along, err error) {
	p, err := c.Plans.Current(ctx, episode, rev)
	if err != nil {
		return out, err
	}
	defer p.Close()
	doc, _, err := c.Store.Document(ctx, episode)
	if err != nil {
		return out, err
	}
	waiting, stop := context.WithTimeout(ctx, coursePatience)
	defer stop()
	m, there := c.Measure.Await(waiting, episode, p.Version)
	if !there {
		return out, problem.New("being-measured", "episode", "The mix is still being measured. Wait a moment.")
	}
	out = Along{Version: p.Version, Whole: m.Loudness, Target: doc.Goal(), Verdict: doc.Goal().Judge(m.Loudness)}
	out.Low, out.High = loudness.RangeOf(m.Sum)
	course := loudness.Along(m.Sum)
	out.Momentary, out.ShortTerm, out.SoFar, out.TruePeak = hundredths(course.Momentary), hundredths(course.ShortTerm), hundredths(course.SoFar), hundredths(peaksOf(m))
	out.Spoken, err = speech.Spoken(doc, c.Sounds.Speech(ctx), 0, math.MaxInt64)
	if out.Spoken == nil {
		out.Spoken = []session.Span{}
	}
	return out, err
}

func peaksOf(m mix.Measured) []float64 {
	out := make([]float64, len(m.True))
	for i, v := range m.True {
		out[i] = float64(audio.Level(float64(v)))
	}
	return out
}

func hundredths(values []float64) []byte {
	out := make([]byte, 0, 2*len(values))
	for _, v := range values {
		out = binary.LittleEndian.AppendUint16(out, uint16(int16(math.Round(100*max(-120, min(120, v))))))
	}
	return out
}
