package master

import (
	"context"
	"fmt"
	"math"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/core/treat"
)

// Master is what is done to a stretch: the zero value is nothing.
type Master struct {
	Gain    float64 // dB
	Ceiling Ceiling
	Work
	blocks map[int][]float32 // of those the limiter works in, its gain at every step and at the end
}

// Ceiling is how high the true peak may be, dBTP, and how much lower that is in some blocks.
type Ceiling struct {
	Level float64
	lower map[int]float64
}

func (c Ceiling) at(n int) float64 { return c.Level - c.lower[n] }

// besides is by how much more a block is lowered than was found to be needed, dB.
const besides = 0.1

// Lower lowers it where what became of a stretch is over a level, dBTP, by what it is over and a little more. It says in how
// many blocks.
func (c *Ceiling) Lower(came Course, level float64) (blocks int) {
	over := map[int]float64{}
	for k, peak := range came.True {
		if by := float64(audio.Level(float64(peak))) - level; by > 0 {
			over[k/hops] = max(over[k/hops], by)
		}
	}
	if c.lower == nil {
		c.lower = map[int]float64{}
	}
	for n, by := range over {
		// In whole steps: where a file was cut to be decoded shows in the last digits of what is found in it.
		const steps = 1000
		c.lower[n] += math.Ceil(by*steps)/steps + besides
	}
	return len(over)
}

// Work is how much the limiter does.
type Work struct {
	Touched float64 `json:"touched" doc:"The part of the time in which it makes anything softer, 0 to 1"`
	Most    float64 `json:"most" doc:"The most by which it does, dB"`
	// Loudness is that of the outcome, LUFS, and Reached says whether it is the one that was wanted.
	Loudness float64 `json:"loudness" doc:"LUFS, afterwards"`
	Reached  bool    `json:"reached" doc:"The wanted loudness is reached"`
}

const (
	// release of the limiter: short, as what is limited are single peaks.
	release = session.Millis(60)
	// room is by how much the limiter stays under the ceiling, since meters differ in the filters
	// they find true peaks with (EBU Tech 3341 allows +0.2 and -0.4 dB).
	room = 0.1
	// near is how close to the wanted loudness is near enough, in LU; a tenth is asked for.
	near = 0.02
	// tries is how often the gain is set anew because the limiter made the whole softer.
	tries = 8
	// mostGain is the most by which anything is made louder, dB: beyond it there is nothing but noise.
	mostGain = 40.0
	// noticed is the gain from which the limiter has touched something: 0.1 dB.
	noticed = 0.98855
	// Limiting is heard from about here on (common practice): so many dB, or so much of the time.
	heardDepth = 6.0
	heardShare = 0.05
)

// Reach finds what brings a stretch to a loudness under a ceiling, with the limiter working as little as
// it can. A silent stretch is left as it is.
func Reach(ctx context.Context, s Stretch, c Course, integrated float64, ceiling Ceiling, turn func(do func()), progress func(part float64)) (*Master, error) {
	now := c.Loudness().Integrated
	if now <= float64(audio.Silence) {
		return &Master{Ceiling: ceiling, Work: Work{Loudness: now, Reached: true}}, nil
	}
	var m *Master
	_, err := approach(now, integrated, func(gain float64) (_ *Work, err error) {
		if m, err = under(ctx, s, c, gain, ceiling, turn, progress); err != nil {
			return nil, err
		}
		return &m.Work, nil
	})
	return m, err
}

// approach tries gains, with what the limiter does at each, until one brings about a loudness, which it marks as reached, or none does.
func approach(now, integrated float64, try func(gain float64) (*Work, error)) (gain float64, err error) {
	gain = integrated - now
	var before, reached float64 // the gain of the last try and what it reached
	for n := range tries {
		gain = min(gain, mostGain)
		w, err := try(gain)
		if err != nil {
			return gain, err
		}
		missing := integrated - w.Loudness
		if w.Reached = math.Abs(missing) < near; w.Reached || gain == mostGain && missing > 0 || n == tries-1 {
			return gain, nil
		}
		slope := 1.0 // what a dB of gain brings, in LU
		if n > 0 && gain != before {
			slope = min(1, max(0.2, (w.Loudness-reached)/(gain-before)))
		}
		before, reached = gain, w.Loudness
		gain += missing / slope
	}
	return gain, nil
}

// under limits a stretch at a gain.
func under(ctx context.Context, s Stretch, c Course, gain float64, ceiling Ceiling, turn func(do func()), progress func(part float64)) (*Master, error) {
	m := &Master{Gain: gain, Ceiling: ceiling, blocks: map[int][]float32{}}
	factor := audio.DB(gain).Gain()
	powers := make([]float64, len(c.Powers))
	for k, p := range c.Powers {
		powers[k] = p * factor * factor
	}
	touched := c.over(func(n int) float32 { return float32(audio.DB(ceiling.at(n)-room).Gain() / factor) })
	ratios := make([][]float32, len(touched))
	err := each(ctx, len(touched), turn, progress, func(i int) (err error) {
		ratios[i], err = m.limit(s, touched[i], powers)
		return err
	})
	if err != nil {
		return nil, err
	}
	for i, n := range touched {
		m.blocks[n] = ratios[i]
	}
	m.join(s.Length())
	steps := 0
	lowest := float32(1)
	for _, ratios := range m.blocks {
		for _, r := range ratios[:len(ratios)-1] {
			lowest = min(lowest, r)
			if r < noticed {
				steps++
			}
		}
	}
	m.Touched = float64(steps*treat.Step) / float64(max(1, c.Length))
	m.Most = max(0, -float64(audio.Level(float64(lowest))))
	m.Loudness = loudness.Integrated(powers)
	return m, nil
}

// up and down are how many steps the gain takes to what it is in the next block, where ceilings differ: 50 ms and 5 ms.
const (
	up   = audio.Rate / 20 / treat.Step
	down = audio.Rate / 200 / treat.Step
)

// join has the gain go on from block to block without a step, where one has a lower ceiling than the next: it is only
// ever made lower for that.
func (m *Master) join(length audio.Frames) {
	if len(m.Ceiling.lower) == 0 {
		return
	}
	for n := range int((length - 1) / block) {
		ends, begins := m.blocks[n], m.blocks[n+1]
		if ends == nil && begins == nil {
			continue
		}
		a, b := float32(1), float32(1)
		if ends != nil {
			a = ends[len(ends)-1]
		}
		if begins != nil {
			b = begins[0]
		}
		switch {
		case a < b:
			begins = m.at(n+1, length)
			for k := range min(up, len(begins)) {
				begins[k] = min(begins[k], a+(1-a)*float32(k)/up)
			}
		case b < a:
			ends = m.at(n, length)
			for k := range min(down, len(ends)) {
				place := len(ends) - 1 - k
				ends[place] = min(ends[place], b+(1-b)*float32(k)/down)
			}
		}
	}
}

// at is the gain of a block, which does nothing if there is none yet.
func (m *Master) at(n int, length audio.Frames) []float32 {
	if m.blocks[n] == nil {
		frames := min(block, length-audio.Frames(n)*block)
		ratios := make([]float32, (frames+treat.Step-1)/treat.Step+1)
		for k := range ratios {
			ratios[k] = 1
		}
		m.blocks[n] = ratios
	}
	return m.blocks[n]
}

// over gives the blocks that peaks reach into.
func (c Course) over(ceiling func(n int) float32) (blocks []int) {
	for n := 0; n*hops < len(c.True); n++ {
		for k := max(0, n*hops-stepsOver); k < min(len(c.True), (n+1)*hops+1); k++ {
			if c.True[k] > ceiling(n) {
				blocks = append(blocks, n)
				break
			}
		}
	}
	return blocks
}

// limit works out the gains of the limiter in a block, and measures what is left of its powers.
func (m *Master) limit(s Stretch, n int, powers []float64) ([]float32, error) {
	begin := audio.Frames(n) * block
	end := min(begin+block, s.Length())
	from, to := max(0, begin-stepsOver*loudness.Hop), min(end+loudness.Hop, s.Length())
	pcm, err := s.window(s.Renderer(), audio.NewPCM(2, to-from), from, to)
	if err != nil {
		return nil, err
	}
	scale(pcm, float32(audio.DB(m.Gain).Gain()))
	ratios := treat.Limit(session.Limiter{On: true, Ceiling: audio.DB(m.Ceiling.at(n) - room), Release: release}, pcm)
	meter := newHops(len(pcm))
	for at := max(from, begin-lead); at < end; at += loudness.Hop {
		power, _ := meter.next(pcm.Slice(at-from, min(at+loudness.Hop, end)-from), math.MaxFloat32) // no peak is asked for
		if k := int(at / loudness.Hop); at >= begin && k < len(powers) {
			powers[k] = power
		}
	}
	first, last := (begin-from)/treat.Step, (end-from+treat.Step-1)/treat.Step
	return append([]float32{}, ratios[first:last+1]...), nil
}

func scale(pcm audio.PCM, factor float32) {
	for _, channel := range pcm {
		for i := range channel {
			channel[i] *= factor
		}
	}
}

// Apply does to a window of the stretch, from a frame of it on, what is to be done: in place, to any number
// of channels. Parts that add up to the whole before do so afterwards.
func (m *Master) Apply(pcm audio.PCM, from audio.Frames) {
	factor := float32(1)
	if m.Gain != 0 {
		factor = float32(audio.DB(m.Gain).Gain())
	}
	for at := audio.Frames(0); at < pcm.Length(); {
		n := int((from + at) / block)
		end := min(pcm.Length(), audio.Frames(n+1)*block-from)
		part := pcm.Slice(at, end)
		if ratios, there := m.blocks[n]; there {
			follow(part, ratios, from+at-audio.Frames(n)*block, factor)
		} else if factor != 1 {
			scale(part, factor)
		}
		at = end
	}
}

// follow multiplies by gains that go straight from step to step, from a frame of their block on.
func follow(pcm audio.PCM, ratios []float32, from audio.Frames, factor float32) {
	for _, channel := range pcm {
		for i := range channel {
			at := int(from) + i
			a, b := ratios[at/treat.Step], ratios[at/treat.Step+1]
			channel[i] *= factor * (a + (b-a)*float32(at%treat.Step)/treat.Step)
		}
	}
}

// Say tells what was done, in a sentence.
func (m *Master) Say() string {
	out := fmt.Sprintf("%+.1f dB", m.Gain)
	if math.Abs(m.Gain) < 0.05 {
		out = "Level unchanged"
	}
	out += "; " + m.Work.say() + "."
	switch {
	case !m.Reached:
		out += " That is all that could be done: " + notReached
	case m.Heard():
		out += " " + heard
	}
	return strings.ReplaceAll(out, "-", "−")
}

// What is said of a target that takes too much, before and afterwards.
const (
	notReached = "the mix is too soft, or its peaks are too high, for this target. First raise and compress the voices in Balance, or choose a softer target."
	heard      = "So much limiting is heard: first even out and compress the voices in Balance, or choose a softer target."
)

// say tells what the limiter does.
func (w Work) say() string {
	switch {
	case w.Most < 0.05:
		return "the limiter has nothing to do"
	case w.Touched < 0.0005:
		return fmt.Sprintf("the limiter touches less than 0.1 %% of the time, by %.1f dB at most", w.Most)
	}
	return fmt.Sprintf("the limiter touches %.1f %% of the time, by %.1f dB at most", 100*w.Touched, w.Most)
}

// Heard says whether the limiter works so much that it is heard.
func (w Work) Heard() bool { return w.Most > heardDepth || w.Touched > heardShare }
