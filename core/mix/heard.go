package mix

import (
	"ruvel/core/audio"
	"ruvel/core/envelope"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/core/waveform"
)

// Heard is how loud clips of one track are together as they are heard, without the treatment
// of the track: in LUFS, loudness.Floor where that cannot be measured, and their highest
// sample in dBFS, without pan. A track that cannot be heard counts as if it could.
func Heard(t session.Track, clips []string, series func(sound string) (loudness.Series, error), peaks func(sound string) (waveform.Pyramid, error)) (float64, audio.DB, error) {
	var end audio.Frames
	for _, id := range clips {
		end = max(end, t.Clips[id].End())
	}
	e := estimator{powers: make([]float64, (end+loudness.Hop-1)/loudness.Hop), trackLine: envelope.New(t.Envelope)}
	crossings := crossingsOf(t)
	var peak float64
	for _, id := range clips {
		c := t.Clips[id]
		s, err := series(c.Sound)
		if err != nil {
			return loudness.Floor, audio.Silence, err
		}
		p, err := peaks(c.Sound)
		if err != nil {
			return loudness.Floor, audio.Silence, err
		}
		e.clip, e.clipLine, e.fixed = c, envelope.New(c.Envelope), gainOf(c)*t.Fader.Gain()
		e.crossing, e.crosses = crossings[id]
		e.add(panned{s, sharesOf(len(s), t.Pan)})
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
