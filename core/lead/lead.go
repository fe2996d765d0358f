// Package lead measures how far speech stands above everything else: the voice lead, in LU, the
// K-weighted loudness of all voices minus that of everything else at the same moment (ITU-R
// BS.1770-4, without gates). It works on mean squares per 100 ms, from wherever they are known.
package lead

import (
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/session"
)

// The windows in which it is measured, in hops of 100 ms around each: a syllable or two, and a sentence.
const (
	shortHops = 4
	longHops  = Window
)

// Window is how many hops of 100 ms a lead is measured over that can be missed: three seconds.
const Window = 30

// Unheard is the mean K-weighted square, that of -60 LUFS, under which a voice is not heard to speak.
const Unheard = 1.17e-6

// Most is the lead that is told where it is higher, or nothing else sounds.
const Most = 40.0

// nobody is the lead where nobody speaks.
var nobody = math.NaN()

// Course is the lead along a show, per 100 ms; no number where there is no speech.
type Course struct {
	Short []float64 // LU over 400 ms
	Long  []float64 // LU over 3 s
}

// Along measures the lead along a show: from the mean squares of all voices and of everything else
// per 100 ms, and from where somebody speaks, in order and apart. Only moments of speech go into it, so
// that a first syllable does not count as softer because nothing was said before it. Where less than Unheard of them is
// left in 3 s nobody is heard to speak.
func Along(voices, rest []float64, spoken []session.Span) Course {
	n := min(len(voices), len(rest))
	c := Course{make([]float64, n), make([]float64, n)}
	speaks := Speaking(spoken, 0, n)
	// Sums of what lies before each hop, of moments of speech alone.
	sumV, sumR, count := make([]float64, n+1), make([]float64, n+1), make([]int, n+1)
	for i := range n {
		sumV[i+1], sumR[i+1], count[i+1] = sumV[i], sumR[i], count[i]
		if speaks[i] {
			count[i+1]++
			sumV[i+1] += voices[i]
			sumR[i+1] += rest[i]
		}
	}
	over := func(i, hops int) float64 {
		from, to := max(0, i-hops/2), min(n, i-hops/2+hops)
		return between(sumV[to]-sumV[from], sumR[to]-sumR[from])
	}
	heard := func(i int) bool {
		from, to := max(0, i-longHops/2), min(n, i-longHops/2+longHops)
		return sumV[to]-sumV[from] >= Unheard*float64(count[to]-count[from])
	}
	for i := range n {
		c.Short[i], c.Long[i] = nobody, nobody
		if speaks[i] && heard(i) {
			c.Short[i], c.Long[i] = over(i, shortHops), over(i, longHops)
		}
	}
	return c
}

// Speaking says of each of a number of hops, from one on, whether somebody speaks in half of it or more.
func Speaking(spoken []session.Span, first, n int) []bool {
	out := make([]bool, n)
	for _, s := range spoken {
		for i := max(audio.Frames(first), s.From/loudness.Hop); i*loudness.Hop < s.To && int(i) < first+n; i++ {
			inside := min(s.To, (i+1)*loudness.Hop) - max(s.From, i*loudness.Hop)
			out[int(i)-first] = out[int(i)-first] || 2*inside >= loudness.Hop
		}
	}
	return out
}

// between is the lead of one power over another, held between -Most and Most.
func between(voices, rest float64) float64 {
	if !(voices > 0) {
		return -Most
	}
	if !(rest > 0) {
		return Most
	}
	return max(-Most, min(Most, 10*math.Log10(voices/rest)))
}

// Sum is the lead of a show in two figures; both are no numbers if there is no speech.
type Sum struct {
	Typical float64 // LU, the median over 3 s
	Lowest  float64 // LU over 3 s
}

// Sum sums a course up.
func (c Course) Sum() Sum {
	var all []float64
	for _, v := range c.Long {
		if v == v {
			all = append(all, v)
		}
	}
	if len(all) == 0 {
		return Sum{nobody, nobody}
	}
	slices.Sort(all)
	return Sum{all[len(all)/2], all[0]}
}

// Aim is a lead that speech is to have.
type Aim struct {
	Key    string  `json:"key"`
	Name   string  `json:"name"`
	Lead   float64 `json:"lead" doc:"LU"`
	Brief  float64 `json:"brief" doc:"Seconds for which a sound may cover speech all the same"`
	Source string  `json:"source"`
}

// Aims lists the leads in the order they are offered.
func Aims() []Aim {
	return []Aim{
		{"present", "Present", 10, 0, "Common practice: music that is meant to be heard"},
		{"clear", "Clear", 15, 0, "Common practice"},
		{"accessible", "Accessible", 20, 2, "WCAG 2.2, success criterion 1.4.7 (AAA): background at least 20 dB lower, but for occasional sounds of one or two seconds"},
	}
}

// FindAim finds an aim by its key; an empty key is that of the usual one.
func FindAim(key string) (Aim, bool) {
	if key == "" {
		key = "clear"
	}
	all := Aims()
	i := slices.IndexFunc(all, func(t Aim) bool { return t.Key == key })
	if i < 0 {
		return all[1], false
	}
	return all[i], true
}

// Miss is a place in which a show misses a target.
type Miss struct {
	From    audio.Frames `json:"from"`
	To      audio.Frames `json:"to"`
	Lead    float64      `json:"lead" doc:"LU, the lowest over 3 s"`
	Short   float64      `json:"short" doc:"LU by which that is under the target"`
	Excused bool         `json:"excused,omitempty" doc:"It is so short that the target lets it be"`
}

// What counts as a miss. Speech swings about its own level, so that a lead that is kept on the whole
// is lower under a soft word; what lies closer to the target than that is no miss.
const (
	Swing     = 3.0 // LU
	shortest  = 5   // hops
	together  = 5   // hops between places that are one
	syllables = 2   // hops: a place within a long window that is a miss by itself
)

// Misses gives the places in which a course misses a target: where the lead over 3 s lies further under
// it than speech swings, and of these the moments at which that over 400 ms does, half a second or more.
func (c Course) Misses(t Aim) (out []Miss) {
	n := len(c.Long)
	under := func(i int) bool { return c.Long[i] < t.Lead-Swing }
	for i := 0; i < n; i++ {
		if !under(i) {
			continue
		}
		end, quiet := i+1, 0 // over pauses, too
		for k := i + 1; k < n && quiet <= together; k++ {
			if under(k) {
				end, quiet = k+1, 0
			} else {
				quiet++
			}
		}
		out = append(out, c.narrowed(t, i, end)...)
		i = end
	}
	return slices.DeleteFunc(out, func(m Miss) bool { return m.To-m.From < shortest*loudness.Hop })
}

// narrowed are the places within a miss at which something covers the speech, or all of it.
func (c Course) narrowed(t Aim, from, to int) (out []Miss) {
	last := -together - 1
	for i := from; i < to; i++ {
		if !(c.Short[i] < t.Lead-Swing) {
			continue
		}
		if n := len(out); n > 0 && i-last <= together {
			out[n-1].To = audio.Frames(i+1) * loudness.Hop
		} else {
			out = append(out, Miss{From: audio.Frames(i) * loudness.Hop, To: audio.Frames(i+1) * loudness.Hop})
		}
		last = i
	}
	out = slices.DeleteFunc(out, func(m Miss) bool { return m.To-m.From <= syllables*loudness.Hop })
	if len(out) == 0 {
		out = []Miss{{From: audio.Frames(from) * loudness.Hop, To: audio.Frames(to) * loudness.Hop}}
	}
	for k := range out {
		m := &out[k]
		m.Lead = Most
		for i := m.From / loudness.Hop; i < m.To/loudness.Hop; i++ {
			if c.Long[i] < m.Lead {
				m.Lead = c.Long[i]
			}
		}
		m.Short = t.Lead - m.Lead
		m.Excused = (m.To - m.From).Seconds() <= t.Brief
	}
	return out
}
