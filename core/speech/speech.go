// Package speech says where in a recording somebody speaks, from its sound alone. It knows the whole recording before it decides: it learns
// the room and the level of the voice, measures every 10 ms against both, and has a small network say how likely it is that somebody
// speaks there, from more than a second to either side. Times are frames of the recording at 48 kHz.
//
// What sounds is told from the room by the long-term spectral divergence of J. Ramírez et al.,
// "Efficient voice activity detection algorithms using long-term speech information", Speech
// Communication 42 (2004); the room is followed by low quantiles of the levels of bands over
// seconds, as by the minimum statistics of R. Martin, IEEE Trans. Speech and Audio Processing
// 9(5) (2001), but to both sides; harmonicity and pitch are after P. Boersma,
// "Accurate short-term analysis of the fundamental frequency and the harmonics-to-noise ratio of
// a sampled sound", IFA Proceedings 17 (1993). The network is that of core/speech/net, as testkit/learn has taught it. Thresholds are our
// own, tried on recordings of known truth.
package speech

import "ruvel/core/audio"

// Version is that of the analysis. What was found by a lower one is found anew.
const Version = 3

// Phrase is a stretch of a recording in which somebody speaks, in frames of the
// recording: from its first frame to the one after its last.
type Phrase struct {
	From audio.Frames `json:"from"`
	To   audio.Frames `json:"to"`
}

// Source knows the phrases of sounds.
type Source interface {
	// Phrases gives those of a sound, by its id, in order and apart from each other, as they are
	// found with a sensitivity in dB, usually 0. A recording in which nobody can be told to speak
	// has none. The slice is not to be changed. An error says that the sound cannot be read.
	Phrases(sound string, sensitivity float64) ([]Phrase, error)
}

// Find gives the phrases of a whole recording, in order and apart from each other.
func Find(pcm audio.PCM) []Phrase { return FindWith(pcm, 0) }

// FindWith is Find with a sensitivity, which is for the exceptional recording alone: how many dB softer
// than usual, or louder if it is negative, a voice may be to be taken for one that speaks in it.
func FindWith(pcm audio.PCM, sensitivity float64) []Phrase {
	l := NewListener()
	l.Write(pcm)
	return l.PhrasesWith(sensitivity)
}
