package mix

import (
	"math"

	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/core/waveform"
)

// Hearing tells how loud clips of one track are. It is made once for many lists of them.
type Hearing struct {
	track     session.Track
	line      envelope.Curve
	crossings map[string]session.Clip
	series    func(sound string) (loudness.Series, error)
	peaks     func(sound string) (waveform.Pyramid, error)
}

// NewHearing makes one that has what is known of sounds from series and peaks.
func NewHearing(t session.Track, series func(sound string) (loudness.Series, error), peaks func(sound string) (waveform.Pyramid, error)) *Hearing {
	return &Hearing{t, envelope.New(t.Envelope), crossingsOf(t), series, peaks}
}

// padding is how much silence before a clip a meter hears: one block of 400 ms.
const padding = 4

// Of is how loud clips are together as they are heard, without the treatment
// of the track: in LUFS, loudness.Floor where that cannot be measured, and their highest
// sample in dBFS, without pan. A track that cannot be heard counts as if it could.
func (h *Hearing) Of(clips []string) (float64, audio.DB, error) {
	if len(clips) == 0 {
		return loudness.Floor, audio.Silence, nil
	}
	begin, end := audio.Frames(math.MaxInt64), audio.Frames(0)
	for _, id := range clips {
		begin, end = min(begin, h.track.Clips[id].Start), max(end, h.track.Clips[id].End())
	}
	first := max(0, begin/loudness.Hop-padding)
	e := estimator{first: first, powers: make([]float64, (end+loudness.Hop-1)/loudness.Hop-first), trackLine: h.line}
	var peak float64
	for _, id := range clips {
		c := h.track.Clips[id]
		s, err := h.series(c.Sound)
		if err != nil {
			return loudness.Floor, audio.Silence, err
		}
		p, err := h.peaks(c.Sound)
		if err != nil {
			return loudness.Floor, audio.Silence, err
		}
		e.clip, e.clipLine, e.fixed = c, envelope.New(c.Envelope), gainOf(c)*h.track.Fader.Gain()
		e.crossing, e.crosses = h.crossings[id]
		e.add(panned{s, sharesOf(len(s), h.track.Pan)})
		o := outliner{clip: c, peaks: p, clipLine: e.clipLine, trackLine: e.trackLine, way: envelope.New(nil), gain: e.fixed, crossing: e.crossing, crosses: e.crosses}
		peak = max(peak, o.peak())
	}
	return loudness.Integrated(e.powers), audio.Level(peak), nil
}

// peak is the highest sample of a clip as it is heard.
func (o outliner) peak() (high float64) {
	for at := o.clip.Start; at < o.clip.End(); at += loudness.Hop {
		high = max(high, float64(o.height(at, min(at+loudness.Hop, o.clip.End()))))
	}
	return high
}
