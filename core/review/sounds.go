package review

import (
	"fmt"
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/loudness"
	"ruvel/core/session"
	"ruvel/core/treat"
)

// use is a sound that clips which can be heard are cut from.
type use struct {
	sound  string
	part   session.Part
	clips  []string
	tracks []string
	first  session.Clip
}

// uses lists the sounds in the order in which they are heard.
func (r *reader) uses() (out []use) {
	byTrack := map[string]session.Track{}
	r.eachTrack(func(t session.Track) { byTrack[t.ID] = t })
	for _, sound := range r.Document.SoundsInOrder() {
		u := use{sound: sound}
		for _, t := range r.Document.Tracks {
			if _, there := byTrack[t.ID]; !there {
				continue
			}
			for _, id := range r.order[t.ID] {
				c := t.Clips[id]
				if c.Sound != sound {
					continue
				}
				if len(u.clips) == 0 || c.Start < u.first.Start {
					u.first, u.part = c, t.Part
				}
				u.clips = append(u.clips, id)
				if !slices.Contains(u.tracks, t.ID) {
					u.tracks = append(u.tracks, t.ID)
				}
			}
		}
		if len(u.clips) > 0 {
			out = append(out, u)
		}
	}
	return out
}

// finding is one about a sound, from where it is first heard.
func (u use) finding(w Weight) Finding {
	return Finding{From: u.first.Start, To: u.first.End(), Sound: u.sound, Clips: u.clips, Tracks: u.tracks, Weight: w}
}

// clipped finds recordings that were cut off.
func (r *reader) clipped() (out []Finding) {
	for _, u := range r.uses() {
		var at audio.Frames
		n, longest := 0, 0
		for _, p := range r.examined[u.sound].Flat {
			place, heard := r.placeOf(u, p.At)
			if float64(p.Samples) < r.Limits.FlatSamples || !heard {
				continue
			}
			if n == 0 || p.Samples > longest {
				at, longest = place, p.Samples
			}
			n++
		}
		if n == 0 {
			continue
		}
		f := u.finding(Look)
		if u.part == session.Voice {
			f.Weight = Should
		}
		f.From, f.To = at, at+audio.Second/10
		f.By = float64(longest) - r.Limits.FlatSamples + 1
		times := "in one place"
		if n > 1 {
			times = fmt.Sprintf("in %d places", n)
		}
		f.Text = fmt.Sprintf("%s was clipped when it was recorded, %s: at %s it stays at its full scale for %d samples; %s are the limit. Nothing brings back what was cut off: record it again with less gain, or use another take.",
			quote(u.first.Name), times, moment(at), longest, plain(r.Limits.FlatSamples))
		out = append(out, f)
	}
	return out
}

// placeOf is where a frame of a sound is heard.
func (r *reader) placeOf(u use, at audio.Frames) (audio.Frames, bool) {
	for _, id := range u.clips {
		_, c := r.clip(id)
		if at >= c.Offset && at < c.Offset+c.Length {
			return at - c.Offset + c.Start, true
		}
	}
	return 0, false
}

// oneSided finds recordings in stereo of which one side is empty.
func (r *reader) oneSided() (out []Finding) {
	for _, u := range r.uses() {
		e := r.examined[u.sound]
		s := r.Document.Sounds[u.sound]
		loud, soft := max(e.Sides[0], e.Sides[1]), min(e.Sides[0], e.Sides[1])
		if s.Channels != 2 || s.Side != session.BothSides || loud < 1e-9 {
			continue
		}
		by := 10 * math.Log10(loud/max(soft, 1e-12))
		if by <= r.Limits.OneSided {
			continue
		}
		f := u.finding(Should)
		if u.part == session.Voice {
			f.Weight = Must
		}
		side := session.LeftSide
		if e.Sides[1] > e.Sides[0] {
			side = session.RightSide
		}
		f.By = by - r.Limits.OneSided
		f.Text = fmt.Sprintf("%s sounds on the %s side alone: the other is %s dB softer; at most %s are left.", quote(u.first.Name), side, number(by), plain(r.Limits.OneSided))
		f.Fix = &Fix{"Put it in the middle", fmt.Sprintf("Of this recording the %s side is heard, in the middle, as loud as before.", side), sideOf(u.sound, side)}
		out = append(out, f)
	}
	return out
}

func sideOf(sound string, side session.Side) edit.Op {
	return edit.SetSides{Sides: []edit.SideOf{{Sound: sound, Side: side}}}
}

// cancelled is how many dB softer the sum of two sides is than their difference when they take each other away.
const cancelled = 12

// cancels finds recordings whose sides take each other away.
func (r *reader) cancels() (out []Finding) {
	for _, u := range r.uses() {
		e := r.examined[u.sound]
		s := r.Document.Sounds[u.sound]
		if s.Channels != 2 || s.Side != session.BothSides || e.Unlike < 1e-9 {
			continue
		}
		by := 10 * math.Log10(e.Unlike/max(e.Sum, 1e-12))
		if by <= cancelled {
			continue
		}
		side := session.LeftSide
		if e.Sides[1] > e.Sides[0] {
			side = session.RightSide
		}
		f := u.finding(Must)
		f.By = by - cancelled
		f.Text = fmt.Sprintf("The two sides of %s cancel each other: their sum is %s dB softer than their difference; %d is the limit.", quote(u.first.Name), number(by), cancelled)
		f.Fix = &Fix{"Put it in the middle", fmt.Sprintf("Of this recording the %s side alone is heard, in the middle.", side), sideOf(u.sound, side)}
		out = append(out, f)
	}
	return out
}

// noise finds voice tracks whose pauses are loud.
func (r *reader) noise() (out []Finding) {
	r.eachTrack(func(t session.Track) {
		if t.Part != session.Voice || r.err != nil {
			return
		}
		row := r.balance.Of(t.ID)
		voice, hops := said(row, r.spoken[t.ID])
		floor, enoughPause := r.floorOf(t, row)
		if hops < enough || !enoughPause || voice <= loudness.Floor {
			return
		}
		stands := voice - floor
		if stands >= r.Limits.Noise {
			return
		}
		f := Finding{Tracks: []string{t.ID}, Weight: Look, By: r.Limits.Noise - stands}
		if f.By > 10 {
			f.Weight = Should
		}
		if ids := r.order[t.ID]; len(ids) > 0 {
			f.From, _ = span(t.Clips[ids[0]])
			_, f.To = span(t.Clips[ids[len(ids)-1]])
		}
		f.Text = fmt.Sprintf("The speech of %s stands %s LU above what is heard in its pauses; at least %s are asked for.", t.Name, number(stands), plain(r.Limits.Noise))
		if f.Fix = r.gate(t, f.By); r.err == nil {
			out = append(out, f)
		}
	})
	return out
}

// pauseMargin is left around speech where its pauses are measured.
const pauseMargin = 3 // hops

// floorOf is what is heard of a track in the pauses of its clips, in LUFS.
func (r *reader) floorOf(t session.Track, row []float64) (level float64, known bool) {
	const least = 10 // hops
	pause := make([]bool, len(row))
	for _, id := range r.order[t.ID] {
		c := t.Clips[id]
		from := (c.Start+c.FadeIn.Length)/loudness.Hop + 1
		to := (c.End() - c.FadeOut.Length) / loudness.Hop
		for k := from; k < to && int(k) < len(row); k++ {
			pause[k] = true
		}
	}
	for _, s := range r.spoken[t.ID] {
		for k := max(0, int(s.From/loudness.Hop)-pauseMargin); k <= int(s.To/loudness.Hop)+pauseMargin && k < len(row); k++ {
			pause[k] = false
		}
	}
	var all []float64
	for k, p := range pause {
		if p {
			all = append(all, row[k])
		}
	}
	if len(all) < least {
		return loudness.Floor, false
	}
	slices.Sort(all)
	return loudness.Of(all[len(all)/2]), true
}

// gate has a track closed in its pauses, with the values that suit its voice, by as much as it needs.
func (r *reader) gate(t session.Track, by float64) *Fix {
	spread, err := r.Plan.Spread(t.ID, r.phrasesOf)
	if err != nil {
		r.err = err
		return nil
	}
	laid, _ := treat.Suggest(t.Treatment, spread)
	if !laid.Gate.On || len(spread.Levels.Bins) == 0 {
		return nil // it would cut off endings
	}
	treatment := t.Treatment
	treatment.Gate = laid.Gate
	treatment.Gate.Range = audio.DB(math.Min(40, math.Max(float64(treatment.Gate.Range), math.Ceil(by)+6)))
	return &Fix{
		"Close it in pauses", fmt.Sprintf("A gate on %s opens at %s dBFS and takes away %s dB in its pauses.", quote(t.Name), number(float64(treatment.Gate.Open)), plain(float64(treatment.Gate.Range))),
		edit.SetTracks{Tracks: []edit.TrackChange{{Track: t.ID, Treatment: &treatment}}},
	}
}

// hum finds voice tracks with the hum of the mains.
func (r *reader) hum() (out []Finding) {
	for _, u := range r.uses() {
		e := r.examined[u.sound]
		if u.part != session.Voice || e.HumHertz == 0 {
			continue
		}
		_, c := r.clip(u.clips[0])
		i, _, _ := r.Document.FindClip(u.clips[0])
		t := r.Document.Tracks[i]
		less := 0.0
		if cut := t.Treatment.LowCut; cut.On { // Butterworth of the second order
			ratio := math.Pow(e.HumHertz/cut.Corner, 4)
			less = -10 * math.Log10(ratio/(1+ratio))
		}
		stands := e.Hum + less
		if stands >= r.Limits.Hum {
			continue
		}
		f := u.finding(Look)
		f.By = r.Limits.Hum - stands
		f.Text = fmt.Sprintf("%s hums at %g Hz, %s dB below the speech; at least %s are asked for.", quote(c.Name), e.HumHertz, number(stands), plain(r.Limits.Hum))
		// The lowest corner that is enough, if there is one that leaves the voice alone.
		corner := e.HumHertz * math.Pow(math.Pow(10, f.By/10)-1, 0.25)
		if corner = math.Ceil(max(80, corner*1.02)/5) * 5; corner <= 160 {
			treatment := t.Treatment
			treatment.LowCut = session.LowCut{On: true, Corner: corner}
			f.Fix = &Fix{
				"Cut the lows", fmt.Sprintf("A low cut at %g Hz on %s takes the hum down; a voice has little there.", corner, quote(t.Name)),
				edit.SetTracks{Tracks: []edit.TrackChange{{Track: t.ID, Treatment: &treatment}}},
			}
		}
		out = append(out, f)
	}
	return out
}
