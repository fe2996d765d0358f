package shelf

import (
	"math"

	"ruvel/core/audio"
	"ruvel/internal/synth"
)

// effect is a noise of the house collection.
type effect struct {
	key, title string
	words      []string
	seconds    float64
	make       func(s *synth.Sheet, seconds float64)
}

// fieldRecordings is who the effects are said to be by.
const fieldRecordings = "Skerrow Point field recordings"

// effects is the noises of the house collection.
func effects() []effect {
	return []effect{
		{"harbour-bell", "Harbour bell, three strokes", []string{"bell", "metal", "harbour", "signal"}, 9, harbourBell},
		{"rain-on-tin", "Rain on a tin roof", []string{"rain", "weather", "roof", "background"}, 20, rain},
		{"wind-in-rigging", "Wind in the rigging", []string{"wind", "weather", "storm", "background"}, 18, wind},
		{"slow-engine", "Slow engine, below deck", []string{"engine", "ship", "motor", "background"}, 16, engine},
		{"waves-on-stones", "Waves on stones", []string{"sea", "waves", "water", "background"}, 22, waves},
		{"steps-on-shingle", "Steps on shingle", []string{"steps", "walking", "person", "beach"}, 7, steps},
		{"heavy-door", "A heavy door closes", []string{"door", "room", "house", "hit"}, 3, door},
		{"rope-creaks", "Rope creaks", []string{"rope", "ship", "wood", "creak"}, 6, rope},
		{"wall-clock", "Wall clock", []string{"clock", "time", "room", "ticking"}, 10, clock},
		{"page-turned", "A page is turned", []string{"paper", "book", "page", "small"}, 1.5, page},
		{"old-telephone", "Old telephone", []string{"telephone", "ring", "bell", "room"}, 6, telephone},
		{"tuning-in", "Tuning in", []string{"radio", "noise", "old", "transition"}, 4, tuning},
		{"rising-sweep", "Rising sweep", []string{"sweep", "transition", "riser", "sting"}, 3, sweep},
	}
}

func (e effect) render() audio.PCM {
	s := synth.New(e.seconds, 60, uint64(len(e.key))*31+uint64(e.seconds))
	e.make(s, e.seconds)
	return s.Level(-4)
}

func always(v float64) func(t, x float64) float64 { return func(float64, float64) float64 { return v } }

// around lets a background come and go at its ends.
func around(seconds, level float64) func(t, x float64) float64 {
	return func(t, _ float64) float64 { return level * math.Min(1, math.Min(t/1.5, (seconds-t)/2)) }
}

func harbourBell(s *synth.Sheet, _ float64) {
	for i := range 3 {
		s.Lay(0.1+1.9*float64(i), 0.6, -0.1, synth.Ring(523, 4.5, [][3]float64{{0.5, 0.5, 0.8}, {1, 1, 1.2}, {1.19, 0.6, 1.6}, {1.5, 0.4, 2}, {2, 0.5, 2.4}, {2.74, 0.3, 4}, {3.76, 0.2, 7}}))
	}
	s.Room(0.06, 0.8)
}

func rain(s *synth.Sheet, seconds float64) {
	for _, pan := range []float64{-0.8, 0.8} {
		s.Lay(0, 0.35, pan, s.Noise(seconds, always(0.45), around(seconds, 0.5)))
	}
	for range int(seconds * 28) {
		at := s.Dice.Float64() * (seconds - 1)
		pitch := 900 + 2600*s.Dice.Float64()
		level := 0.12 * s.Dice.Float64() * math.Min(1, math.Min(at/1.5, (seconds-at)/2))
		s.Lay(at, level, 2*s.Dice.Float64()-1, synth.Ring(pitch, 0.06, [][3]float64{{1, 1, 90}, {2.3, 0.5, 140}}))
	}
}

func wind(s *synth.Sheet, seconds float64) {
	for i, pan := range []float64{-0.7, 0.7} {
		gust := func(t float64) float64 {
			return 0.5 + 0.3*math.Sin(0.9*t+float64(i)) + 0.2*math.Sin(2.3*t+2*float64(i))
		}
		s.Lay(0, 0.9, pan, s.Noise(seconds, func(t, _ float64) float64 { return 0.03 + 0.09*gust(t) }, func(t, x float64) float64 {
			return around(seconds, 1)(t, x) * gust(t)
		}))
		phase := 0.0
		s.Lay(0, 0.05, pan, synth.Tone(seconds, func(t, x float64) float64 {
			phase += 2 * math.Pi * (430 + 170*gust(t) + 90*float64(i)) / audio.Rate
			return math.Sin(phase) * gust(t) * gust(t) * around(seconds, 1)(t, x)
		}))
	}
}

func engine(s *synth.Sheet, seconds float64) {
	s.Lay(0, 0.5, 0, synth.Tone(seconds, func(t, x float64) float64 {
		stroke := math.Exp(-math.Mod(t*3.2, 1) * 5)
		hum := math.Sin(2*math.Pi*41*t) + 0.5*math.Sin(2*math.Pi*82.4*t) + 0.25*math.Sin(2*math.Pi*164*t)
		return (hum*(0.45+0.9*stroke) + 0.3*stroke*math.Sin(2*math.Pi*95*t)) * around(seconds, 0.6)(t, x)
	}))
	for _, pan := range []float64{-0.6, 0.6} {
		s.Lay(0, 0.5, pan, s.Noise(seconds, always(0.07), func(t, x float64) float64 {
			return around(seconds, 1)(t, x) * (0.4 + 0.9*math.Exp(-math.Mod(t*3.2, 1)*6))
		}))
	}
}

func waves(s *synth.Sheet, seconds float64) {
	for i, pan := range []float64{-0.8, 0, 0.8} {
		swell := func(t float64) float64 {
			x := math.Mod(t/5.5+0.27*float64(i), 1)
			return math.Pow(math.Sin(math.Pi*x), 2) * (0.6 + 0.4*x)
		}
		s.Lay(0, 0.7, pan, s.Noise(seconds, func(t, _ float64) float64 { return 0.05 + 0.4*swell(t) }, func(t, x float64) float64 {
			return around(seconds, 1)(t, x) * (0.08 + swell(t))
		}))
	}
}

func steps(s *synth.Sheet, seconds float64) {
	for i, at := 0, 0.2; at < seconds-0.6; i, at = i+1, at+0.58+0.06*s.Dice.Float64() {
		s.Lay(at, 0.5, 0.3*float64(i%2)-0.15, s.Noise(0.32, func(_, x float64) float64 { return 0.7 - 0.4*x }, func(_, x float64) float64 {
			return math.Pow(math.Sin(math.Pi*math.Pow(x, 0.35)), 2) * (0.6 + 0.4*s.Dice.Float64())
		}))
		s.Lay(at, 0.5, 0, synth.Ring(75, 0.15, [][3]float64{{1, 1, 30}}))
	}
}

func door(s *synth.Sheet, _ float64) {
	s.Lay(0.1, 0.2, -0.3, synth.Tone(0.8, func(t, x float64) float64 {
		return math.Tanh(4*math.Sin(2*math.Pi*(180+60*x)*t*(1+0.1*math.Sin(40*t)))) * x * 0.3
	}))
	s.Lay(0.95, 0.9, 0, synth.Ring(62, 1.2, [][3]float64{{1, 1, 5}, {1.7, 0.7, 9}, {3.1, 0.4, 20}, {5.3, 0.3, 35}}))
	s.Lay(0.95, 0.7, 0, s.Noise(0.25, always(0.25), func(t, _ float64) float64 { return math.Exp(-t * 22) }))
	s.Lay(1.12, 0.3, 0.1, synth.Ring(1350, 0.2, [][3]float64{{1, 1, 40}, {1.6, 0.6, 60}}))
	s.Room(0.12, 0.78)
}

func rope(s *synth.Sheet, seconds float64) {
	for at := 0.2; at < seconds-1.2; at += 1.3 + 0.7*s.Dice.Float64() {
		base, phase := 90+60*s.Dice.Float64(), 0.0
		s.Lay(at, 0.5, 0.6*s.Dice.Float64()-0.3, synth.Tone(1.0, func(_, x float64) float64 {
			phase += (base * (1 + 0.7*math.Sin(math.Pi*x))) / audio.Rate * (1 + 0.3*(s.Dice.Float64()-0.5))
			return math.Exp(-math.Mod(phase, 1)*9) * (2*s.Dice.Float64() - 0.4) * math.Sin(math.Pi*x)
		}))
	}
	s.Room(0.07, 0.7)
}

func clock(s *synth.Sheet, seconds float64) {
	for i := range int(seconds * 2) {
		pitch := 1900.0 - 350*float64(i%2)
		s.Lay(0.1+0.5*float64(i), 0.5, 0.1, synth.Ring(pitch, 0.12, [][3]float64{{1, 1, 70}, {0.31, 0.8, 55}, {2.2, 0.4, 130}}))
	}
	s.Room(0.08, 0.7)
}

func page(s *synth.Sheet, _ float64) {
	s.Lay(0.1, 0.6, -0.2, s.Noise(0.9, func(_, x float64) float64 { return 0.25 + 0.5*x }, func(_, x float64) float64 {
		rustle := 0.5 + 0.5*math.Sin(46*x+3*math.Sin(19*x))
		return math.Pow(math.Sin(math.Pi*x), 1.3) * rustle
	}))
	s.Lay(0.98, 0.4, 0.2, s.Noise(0.12, always(0.6), func(_, x float64) float64 { return (1 - x) * (1 - x) }))
}

func telephone(s *synth.Sheet, seconds float64) {
	for _, at := range []float64{0.1, 3.1} {
		s.Lay(at, 0.4, 0, synth.Tone(1.9, func(t, x float64) float64 {
			hammer := math.Exp(-math.Mod(t*22, 1) * 2.5)
			return (math.Sin(2*math.Pi*1340*t) + 0.8*math.Sin(2*math.Pi*1705*t) + 0.3*math.Sin(2*math.Pi*3480*t)) * hammer * math.Min(1, (1-x)*6)
		}))
	}
	s.Room(0.07, 0.75)
}

func tuning(s *synth.Sheet, seconds float64) {
	for _, pan := range []float64{-0.3, 0.3} {
		s.Lay(0, 0.4, pan, s.Noise(seconds, func(t, _ float64) float64 { return 0.3 + 0.25*math.Sin(3*t+pan) }, func(t, x float64) float64 {
			return math.Min(1, t*8) * (1 - x) * (0.6 + 0.4*math.Sin(9*t))
		}))
	}
	phase := 0.0
	s.Lay(0, 0.22, 0, synth.Tone(seconds, func(t, x float64) float64 {
		phase += 2 * math.Pi * math.Abs(2600*math.Cos(2.2*t)*(1-x)+40) / audio.Rate
		return math.Sin(phase) * math.Min(1, (1-x)*3)
	}))
}

func sweep(s *synth.Sheet, seconds float64) {
	for i, pan := range []float64{-0.9, 0.9} {
		s.Lay(0, 0.7, pan, s.Noise(seconds, func(_, x float64) float64 { return 0.02 + 0.7*x*x }, func(_, x float64) float64 {
			return x * x * math.Min(1, (1-x)*14)
		}))
		phase := 0.0
		s.Lay(0, 0.25, pan, synth.Tone(seconds, func(_, x float64) float64 {
			phase += 2 * math.Pi * 110 * math.Pow(2, 3.2*x) * (1 + 0.004*float64(i)) / audio.Rate
			return math.Tanh(1.5*math.Sin(phase)) * x * math.Min(1, (1-x)*14)
		}))
	}
	s.Room(0.08, 0.75)
}
