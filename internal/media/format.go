package media

import (
	"fmt"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/problem"
)

// Format is what a mix can be delivered as.
type Format struct {
	Key       string    `json:"key"`
	Name      string    `json:"name"`
	About     string    `json:"about" doc:"What it is good for"`
	Extension string    `json:"extension"`
	Type      string    `json:"type" doc:"MIME type"`
	Lossy     bool      `json:"lossy" doc:"Something is left out of the sound that is not heard"`
	Rates     []int     `json:"rates" nullable:"false" doc:"Hertz, the usual one first"`
	Qualities []Quality `json:"qualities" nullable:"false" doc:"The usual one first; none: there is one alone"`
	Stems     bool      `json:"stems" doc:"An archive of one file for each part, which add up to the mix"`
	bits      int       // of each sample, if they are kept as they are
	how       how
}

// how a format is written.
type how int

const (
	asWAV how = iota
	asBWF
	asFLAC
	asMP3
	asOther // by ffmpeg in one go
)

// Quality is how much of a sound a lossy format keeps.
type Quality struct {
	Key      string `json:"key"`
	Name     string `json:"name"`
	Varying  bool   `json:"varying" doc:"The rate goes with the sound; the one given is what speech takes, about"`
	Rate     [2]int `json:"rate" doc:"kbit/s, for one channel and for two"`
	args     func(kbit int) []string
	turned   [2]float64 // by which factor the encoder turns its input down, which is taken back
	headroom float64    // dB by which the true peak is put lower at first: what the format adds to it, usually
}

var (
	both  = []int{48000, 44100}
	exact = func(codec string) func(int) []string {
		return func(kbit int) []string { return []string{"-c:a", codec, "-b:a", fmt.Sprintf("%dk", kbit)} }
	}
	as     = [2]float64{1, 1} // the level is as it comes
	always = func(args ...string) func(int) []string { return func(int) []string { return args } }
)

// Formats are the formats in the order they are offered.
func Formats() []Format {
	return []Format{
		{Key: "mp3", Name: "MP3", About: "For podcasts: plays everywhere", Extension: "mp3", Type: "audio/mpeg", Lossy: true, Rates: both, how: asMP3, Qualities: []Quality{
			{"high", "High", false, [2]int{112, 192}, exact("libmp3lame"), [2]float64{0.95, 0.97}, 0.2},
			{"usual", "Usual", false, [2]int{80, 128}, exact("libmp3lame"), [2]float64{0.95, 0.95}, 0.3},
			{"small", "Small, for speech", false, [2]int{56, 96}, exact("libmp3lame"), [2]float64{0.95, 0.95}, 0.5},
			{"varying", "High, varying rate", true, [2]int{75, 170}, always("-c:a", "libmp3lame", "-q:a", "2"), [2]float64{1, 1}, 0.2},
		}},
		{Key: "m4a", Name: "AAC (M4A)", About: "For podcasts: smaller, with chapters", Extension: "m4a", Type: "audio/mp4", Lossy: true, Rates: both, how: asOther, Qualities: []Quality{
			{"high", "High", false, [2]int{112, 192}, exact("aac"), as, 0.2},
			{"usual", "Usual", false, [2]int{80, 128}, exact("aac"), as, 0.3},
			{"small", "Small, for speech", false, [2]int{56, 96}, exact("aac"), as, 0.5},
		}},
		{Key: "opus", Name: "Opus", About: "The smallest at the same quality", Extension: "opus", Type: "audio/ogg", Lossy: true, Rates: both[:1], how: asOther, Qualities: []Quality{
			{"usual", "Usual", true, [2]int{72, 96}, exact("libopus"), as, 0.4},
			{"high", "High", true, [2]int{96, 160}, exact("libopus"), as, 0.3},
			{"small", "Small, for speech", true, [2]int{48, 64}, exact("libopus"), as, 0.8},
		}},
		{Key: "ogg", Name: "Ogg Vorbis", About: "An open format", Extension: "ogg", Type: "audio/ogg", Lossy: true, Rates: both, how: asOther, Qualities: []Quality{
			{"usual", "Usual", true, [2]int{80, 128}, always("-c:a", "libvorbis", "-q:a", "4"), as, 0.3},
			{"high", "High", true, [2]int{110, 192}, always("-c:a", "libvorbis", "-q:a", "6"), as, 0.2},
			{"small", "Small, for speech", true, [2]int{55, 80}, always("-c:a", "libvorbis", "-q:a", "1"), as, 0.5},
		}},
		{Key: "wav-24", Name: "WAV, 24 bit", About: "For others to work on", Extension: "wav", Type: "audio/wav", Rates: both, bits: 24, how: asWAV},
		{Key: "wav-16", Name: "WAV, 16 bit", About: "Dithered, for older equipment", Extension: "wav", Type: "audio/wav", Rates: both, bits: 16, how: asWAV},
		{Key: "wav-32f", Name: "WAV, 32 bit float", About: "Nothing is rounded", Extension: "wav", Type: "audio/wav", Rates: both, bits: 32, how: asWAV},
		{Key: "bwf", Name: "Broadcast WAV, 24 bit", About: "For radio: with its loudness written in", Extension: "wav", Type: "audio/wav", Rates: both, bits: 24, how: asBWF},
		{Key: "flac", Name: "FLAC, 24 bit", About: "For keeping: exact, at about half the size", Extension: "flac", Type: "audio/flac", Rates: both, bits: 24, how: asFLAC},
		{Key: "flac-16", Name: "FLAC, 16 bit", About: "Exact and dithered", Extension: "flac", Type: "audio/flac", Rates: both, bits: 16, how: asFLAC},
		{Key: "stems", Name: "Stems, WAV 24 bit", About: "Voice, music and effects apart, in one archive", Extension: "zip", Type: "application/zip", Rates: both, bits: 24, how: asWAV, Stems: true},
	}
}

// streams says whether a format is a stream that can be decoded while it is written.
func (f Format) streams() bool { return f.Type == "audio/ogg" }

// Heard says whether the sink is Heard. Samples that are kept as they are, at 48 kHz, are listened to as they are written.
func (s Setting) Heard() bool {
	exact := s.Format.bits > 0 && s.Rate == audio.Rate && !s.Format.Stems
	return exact || s.Format.how == asMP3 || s.Format.streams()
}

// FindFormat gives a format by its key.
func FindFormat(key string) (Format, bool) {
	for _, f := range Formats() {
		if f.Key == key {
			return f, true
		}
	}
	return Format{}, false
}

// Setting is a format with all that can be chosen of it.
type Setting struct {
	Format   Format
	Quality  Quality // of a lossy format
	Rate     int     // hertz
	Channels int
}

// Set chooses a format. What is left empty is the usual.
func Set(format, quality string, rate, channels int) (s Setting, err error) {
	var there bool
	if s.Format, there = FindFormat(format); !there {
		return s, problem.New("unknown-format", "format", "There is no format called %q.", format)
	}
	if s.Rate = rate; rate == 0 {
		s.Rate = s.Format.Rates[0]
	}
	if !slices.Contains(s.Format.Rates, s.Rate) {
		return s, problem.New("unknown-rate", "rate", "%s is not written at %d Hz. Choose one of %v.", s.Format.Name, rate, s.Format.Rates)
	}
	if s.Channels = channels; channels == 0 {
		s.Channels = 2
	}
	if s.Channels < 1 || s.Channels > 2 {
		return s, problem.New("unknown-channels", "channels", "A file has one channel or two.")
	}
	if len(s.Format.Qualities) == 0 {
		if quality != "" {
			return s, problem.New("unknown-quality", "quality", "%s has no quality to choose: it keeps the sound as it is.", s.Format.Name)
		}
		return s, nil
	}
	for i, q := range s.Format.Qualities {
		if q.Key == quality || quality == "" && i == 0 {
			s.Quality = q
			return s, nil
		}
	}
	return s, problem.New("unknown-quality", "quality", "%s has no quality called %q.", s.Format.Name, quality)
}

// Headroom is by how many dB the true peak is usually higher once the format has been decoded.
func (s Setting) Headroom() float64 { return s.Quality.headroom }

// Size is how many bytes so much sound will take, about.
func (s Setting) Size(length audio.Frames) int64 {
	seconds := length.Seconds()
	switch {
	case s.Format.Lossy:
		return int64(seconds * float64(s.Quality.Rate[s.Channels-1]) * 1000 / 8)
	case s.Format.Stems:
		return int64(seconds * float64(3*s.Rate*s.Channels*s.Format.bits/8))
	case s.Format.how == asFLAC:
		return int64(seconds * float64(s.Rate*s.Channels*s.Format.bits/8) * 0.5)
	}
	return int64(seconds * float64(s.Rate*s.Channels*s.Format.bits/8))
}

// Say names a setting in words.
func (s Setting) Say() string {
	out := s.Format.Name
	if s.Format.Lossy {
		about := ""
		if s.Quality.Varying {
			about = "about "
		}
		out += fmt.Sprintf(", %s%d kbit/s", about, s.Quality.Rate[s.Channels-1])
	}
	return out + fmt.Sprintf(", %s, %g kHz", map[int]string{1: "mono", 2: "stereo"}[s.Channels], float64(s.Rate)/1000)
}
