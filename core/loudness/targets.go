package loudness

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
