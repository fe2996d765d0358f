package mix

import (
	"context"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/master"
)

// Measured is a whole mix as it is heard.
type Measured struct {
	Loudness          loudness.Result
	Voices, Rest, Sum []float64    // mean K-weighted squares per whole 100 ms
	Mono              []float64    // and those of the mix in one channel
	True              []float32    // the highest true peak per 100 ms, as an amplitude
	high              [3][]float32 // the highest sample per 100 ms of voices, music and effects
	heights           [2][]audio.Height
}

// Fold puts the facts of all spans of a mix of a length together.
func Fold(facts []*Facts, length audio.Frames) Measured {
	n := int(length / loudness.Hop)
	begun := int((length + loudness.Hop - 1) / loudness.Hop)
	var m Measured
	var truePeak, peak float32
	for k, f := range facts {
		hops := min(hopsPerSpan, n-k*hopsPerSpan)
		for i := range max(0, hops) {
			m.Voices, m.Rest, m.Sum = append(m.Voices, float64(f.Voices[i])), append(m.Rest, float64(f.Rest[i])), append(m.Sum, float64(f.Sum[i]))
			m.Mono = append(m.Mono, float64(f.Mono[i]))
		}
		m.True = append(m.True, f.True[:max(0, min(hopsPerSpan, begun-k*hopsPerSpan))]...)
		for part := range m.high {
			m.high[part] = append(m.high[part], f.High[part][:]...)
		}
		for of := range m.heights {
			m.heights[of] = append(m.heights[of], f.Heights[of][:]...)
		}
		truePeak, peak = max(truePeak, slices.Max(f.True[:])), max(peak, f.Peak)
	}
	m.Loudness = loudness.Sum(m.Sum, length)
	m.Loudness.TruePeak, m.Loudness.SamplePeak = float64(audio.Level(float64(truePeak))), float64(audio.Level(float64(peak)))
	return m
}

// Measure measures all spans of a mix, those that are not known on all cores.
func (p *Plan) Measure(ctx context.Context) (Measured, error) {
	all := make([]*Facts, p.Spans())
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for n := range all {
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			key, err := p.FactsKey(n)
			if err == nil {
				all[n], err = p.Facts(n, key)
			}
			return err
		})
	}
	if err := g.Wait(); err != nil {
		return Measured{}, err
	}
	return Fold(all, p.length), nil
}

// Course is the mix as a target is reached from it, in one or two channels. In one, true peaks are known by about a tenth of a dB: as high
// over its samples as those of both sides are over theirs.
func (m Measured) Course(channels int) master.Course {
	c := master.Course{Length: m.Loudness.Length, Powers: m.Sum, True: m.True, Heights: m.heights[0]}
	if channels != 1 {
		return c
	}
	c.Powers, c.Heights, c.True = m.Mono, m.heights[1], make([]float32, len(m.True))
	for k, peak := range m.True {
		both, one := highest(m.heights[0], k), highest(m.heights[1], k)
		if both > 0 {
			c.True[k] = peak * one / both
		}
	}
	return c
}

// highest is how high samples reach in a hop.
func highest(of []audio.Height, hop int) float32 {
	return slices.Max(of[hop*heightsPerHop : (hop+1)*heightsPerHop]).Amplitude()
}

// Silhouette is the outline of the mix in a number of equal columns.
func (m Measured) Silhouette(columns int) Silhouette {
	out := Silhouette{make([]float32, columns), make([]float32, columns), make([]float32, columns)}
	length := m.Loudness.Length
	for x := range columns {
		from, to := length*audio.Frames(x)/audio.Frames(columns), length*audio.Frames(x+1)/audio.Frames(columns)
		for k := from / loudness.Hop; k*loudness.Hop < max(to, from+1) && int(k) < len(m.high[0]); k++ {
			out.Voice[x], out.Music[x], out.Effect[x] = max(out.Voice[x], m.high[0][k]), max(out.Music[x], m.high[1][k]), max(out.Effect[x], m.high[2][k])
		}
	}
	return out
}
