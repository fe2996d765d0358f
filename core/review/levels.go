package review

import (
	"fmt"
	"math"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/loudness"
	"ruvel/core/master"
	"ruvel/core/pan"
	"ruvel/core/session"
)

// truePeak finds out whether the mix goes over the ceiling of the target.
func (r *reader) truePeak() []Finding {
	t := r.target()
	over := r.Mix.Loudness.TruePeak - t.TruePeak
	if over <= 0.05 {
		return nil
	}
	worst, places := 0, 0
	before := false
	for k, v := range r.Mix.True {
		is := float64(audio.Level(float64(v))) > t.TruePeak
		if is && !before {
			places++
		}
		before = is
		if v > r.Mix.True[worst] {
			worst = k
		}
	}
	from := audio.Frames(worst) * loudness.Hop
	ahead := r.outlook()
	f := Finding{From: from, To: from + loudness.Hop, Weight: weighed(ahead), By: over}
	f.Text = fmt.Sprintf("The true peak reaches %s dBTP at %s, %s dB over the ceiling of %s.", number(r.Mix.Loudness.TruePeak), moment(from), number(over), plain(t.TruePeak))
	if places > 1 {
		f.Text = fmt.Sprintf("The true peak is over the ceiling of %s dBTP in %d places, most at %s, where it reaches %s.", plain(t.TruePeak), places, moment(from), number(r.Mix.Loudness.TruePeak))
	}
	f.Text += " When it is handed over: " + ahead.Text
	// Softer as a whole, if the loudness bears it; or else a limiter where it is loudest.
	by := math.Ceil((over+0.05)*10) / 10
	if r.Mix.Loudness.Integrated-by >= t.Integrated-t.Tolerance {
		f.Fix = &Fix{"Softer as a whole", fmt.Sprintf("All faders go down by %s dB; the loudness stays within the target.", number(by)), r.allFaders(audio.DB(-by))}
	} else if f.Fix = r.limitLoudest(t); f.Fix == nil {
		f.Fix = r.softerThere(session.Span{From: f.From, To: f.To}, over+headroom)
	}
	return []Finding{f}
}

// softerThere makes the clip that is loudest in a stretch softer.
func (r *reader) softerThere(in session.Span, by float64) *Fix {
	k := int(in.From / loudness.Hop)
	var loudest float64
	var id string
	r.eachTrack(func(t session.Track) {
		if row := r.balance.Of(t.ID); k < len(row) && row[k] > loudest {
			if there := r.longest(t, in); there != "" {
				loudest, id = row[k], there
			}
		}
	})
	if id == "" {
		return nil
	}
	_, c := r.clip(id)
	gain := max(audio.Silence, c.Gain-audio.DB(math.Ceil(by*10)/10))
	return &Fix{
		"Make it softer", fmt.Sprintf("The gain of %s goes down to %s dB.", quote(c.Name), number(float64(gain))),
		edit.SetClips{Clips: []edit.ClipChange{{Clip: id, Gain: &gain}}},
	}
}

// allFaders moves all faders, those of muted tracks as well, so that nothing stands otherwise to anything else.
func (r *reader) allFaders(by audio.DB) edit.Op {
	var op edit.MoveFaders
	for _, t := range r.Document.Tracks {
		if t.Fader > audio.Silence {
			op.Faders = append(op.Faders, edit.FaderMove{Track: t.ID, Level: t.Fader + by})
		}
	}
	return op
}

// headroom is left under a ceiling, in dB: limiting one track makes the sum softer by not quite as much.
const headroom = 0.3

// limitLoudest puts a limiter on the track that is loudest where the mix goes over a ceiling.
func (r *reader) limitLoudest(target loudness.Target) *Fix {
	ceiling := audio.DB(target.TruePeak - headroom).Gain()
	var loudest *session.Track
	limit := math.Inf(1) // of that track, as it is heard
	for k, peak := range r.Mix.True {
		if float64(audio.Level(float64(peak))) <= target.TruePeak {
			continue
		}
		at := audio.Frames(k) * loudness.Hop
		var most, all float64
		var here *session.Track
		for i := range r.Document.Tracks {
			t := &r.Document.Tracks[i]
			if row := r.balance.Of(t.ID); k < len(row) {
				all += math.Sqrt(row[k])
				if row[k] > most {
					most, here = row[k], t
				}
			}
		}
		if here == nil || loudest != nil && here != loudest {
			return nil
		}
		loudest = here
		// The share of the peak that is this track's, as that of its level.
		share := math.Sqrt(most) / all
		own := float64(peak)*share - (float64(peak) - ceiling)
		limit = min(limit, own/max(r.afterTreatment(*loudest, at), 1e-6))
	}
	level := audio.DB(math.Floor(2*float64(audio.Level(limit))) / 2)
	if loudest == nil || !(limit > 0) || level < -20 {
		return nil
	}
	treatment := loudest.Treatment
	if treatment.Limiter == (session.Limiter{}) {
		treatment.Limiter = session.Usual().Limiter
	}
	treatment.Limiter.On = true
	treatment.Limiter.Ceiling = min(0, level)
	return &Fix{
		"Put a limiter on it", fmt.Sprintf("A limiter on %s keeps it under %s dBTP before its fader.", quote(loudest.Name), number(float64(treatment.Limiter.Ceiling))),
		edit.SetTracks{Tracks: []edit.TrackChange{{Track: loudest.ID, Treatment: &treatment}}},
	}
}

// afterTreatment is the highest gain of a track behind its treatment, at a place.
func (r *reader) afterTreatment(t session.Track, at audio.Frames) float64 {
	left, right := pan.Balance(t.Pan)
	if id := r.longest(t, session.Span{From: at, To: at + loudness.Hop}); id != "" && r.Document.Sounds[t.Clips[id].Sound].Heard() == 1 {
		left, right = pan.Mono(t.Pan)
	}
	return t.Fader.Gain() * r.lineOf(t.ID, t.Envelope).GainAt(at) * r.wayOf(t.ID).GainAt(at) * max(left, right)
}

// outlook is what handing over in stereo will do to bring the mix to its target, as it is said there.
func (r *reader) outlook() master.Outlook {
	t := r.target()
	return r.Mix.Course(2).Ahead(t, t.TruePeak)
}

// weighed is how much it matters that a mix misses its target, by what handing over has to do about it: a gain is nothing that is heard,
// limiting may be, and what cannot be reached must be mended.
func weighed(o master.Outlook) Weight {
	switch {
	case !o.Reached:
		return Must
	case o.Heard:
		return Should
	}
	return Look
}

// loudness finds out whether the mix misses its target.
func (r *reader) loudness() []Finding {
	t, is := r.target(), r.Mix.Loudness.Integrated
	off := t.Integrated - is
	if is <= loudness.Floor || math.Abs(off) <= t.Tolerance {
		return nil
	}
	word, way := "soft", "up"
	if off < 0 {
		word, way = "loud", "down"
	}
	ahead := r.outlook()
	f := Finding{Weight: weighed(ahead), By: math.Abs(off) - t.Tolerance}
	f.Text = fmt.Sprintf("The show is %s LUFS, %s LU too %s for %s: %s ±%s LUFS. When it is handed over: %s", number(is), number(math.Abs(off)), word, t.Name, plain(t.Integrated), plain(t.Tolerance), ahead.Text)
	text := fmt.Sprintf("All faders go %s by %s dB, together.", way, number(math.Abs(off)))
	highest := audio.Silence
	for _, t := range r.Document.Tracks {
		highest = max(highest, t.Fader)
	}
	by := audio.DB(off)
	switch peak := r.Mix.Loudness.TruePeak + off; {
	case highest+by > audio.Loudest:
		by = audio.Loudest - highest
		text = fmt.Sprintf("All faders go up by %s dB, together; the highest meets its top, so that gains of clips have to do the rest.", number(float64(by)))
	case off > 0 && peak > t.TruePeak:
		text += fmt.Sprintf(" The true peak then reaches %s dBTP and needs a limiter.", number(peak))
	}
	if by > 0.05 || by < 0 {
		f.Fix = &Fix{"Bring it to the target", text, r.allFaders(by)}
	}
	return []Finding{f}
}

func (r *reader) wideRange() []Finding {
	over := r.Mix.Loudness.Range - r.Limits.Range
	if over <= 0 {
		return nil
	}
	low, high := loudness.RangeOf(r.Mix.Sum)
	return []Finding{{
		Weight: Should, By: over,
		Text: fmt.Sprintf("The loudness ranges over %s LU, from %s to %s LUFS; %s suit speech. Even out the speakers, let music come closer to them, or compress the voices more.",
			number(r.Mix.Loudness.Range), number(low), number(high), plain(r.Limits.Range)),
	}}
}
