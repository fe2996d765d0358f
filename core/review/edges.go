package review

import (
	"fmt"
	"math"
	"slices"
	"sort"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/session"
)

// What is looked at on either side of an edge.
const (
	beside = audio.Second / 50      // of what sounds there
	nearby = audio.Second / 2       // for the background
	piece  = audio.Second / 50      // of which the background is the softest
	soft   = audio.Second * 2 / 500 // a fade of such a length is one
	touch  = audio.Second / 100     // clips that are so near are heard as joined
)

// sounding is a level, in dBFS, above which what stops is missed.
const sounding = -50

// edge is an end of a clip that neither fades nor meets another clip of its track.
type edge struct {
	track        session.Track
	id           string
	clip         session.Clip
	at           audio.Frames
	end          bool
	step         float64 // dBFS of the first or the last sample
	inner, outer float64 // dBFS of what sounds on its side, and of what would beyond it
}

// torn says whether the clip begins or ends in the middle of something.
func (e edge) torn() bool { return e.inner > sounding && e.outer > max(sounding, e.inner-20) }

// edges are those of all clips that can be heard.
func (r *reader) edges() (out []edge) {
	r.eachTrack(func(t session.Track) {
		ids := r.order[t.ID]
		reach := reachOf(t, ids)
		for i, id := range ids {
			c := t.Clips[id]
			for _, end := range []bool{false, true} {
				at, f := c.Start, c.FadeIn
				if end {
					at, f = c.End(), c.FadeOut
				}
				if f.Length-f.Past >= soft || reach.meets(i, at) || r.err != nil {
					continue
				}
				e := edge{track: t, id: id, clip: c, at: at, end: end}
				pcm, gain := r.around(c, id, at, beside)
				if pcm == nil {
					continue
				}
				before, after := halves(pcm, at, c, beside)
				e.inner, e.outer = level(rms(after)*gain), level(rms(before)*gain)
				e.step = level(float64(firstOf(after)) * gain)
				if end {
					e.inner, e.outer = e.outer, e.inner
					e.step = level(float64(lastOf(before)) * gain)
				}
				out = append(out, e)
			}
		}
	})
	return out
}

// reaching is how far the clips of a track reach that begin before a moment.
type reaching struct {
	starts   []audio.Frames    // of the clips, in order
	furthest [][2]audio.Frames // of all clips up to one, the two ends that lie furthest, and
	whose    []int             // which clip the first of them is of
}

func reachOf(t session.Track, ids []string) (r reaching) {
	far, next, who := audio.Frames(-1), audio.Frames(-1), -1
	for i, id := range ids {
		c := t.Clips[id]
		switch end := c.End(); {
		case end > far:
			far, next, who = end, far, i
		default:
			next = max(next, end)
		}
		r.starts, r.furthest, r.whose = append(r.starts, c.Start), append(r.furthest, [2]audio.Frames{far, next}), append(r.whose, who)
	}
	return r
}

// meets says whether another clip than one touches a moment.
func (r reaching) meets(clip int, at audio.Frames) bool {
	n := sort.Search(len(r.starts), func(i int) bool { return r.starts[i] > at+touch }) - 1
	if n < 0 {
		return false
	}
	end := r.furthest[n][0]
	if r.whose[n] == clip {
		end = r.furthest[n][1]
	}
	return end >= at-touch
}

// around gives the sound around an edge of a clip, as much as there is, and the gain that the clip has there.
func (r *reader) around(c session.Clip, id string, at, n audio.Frames) (audio.PCM, float64) {
	if !r.wanted() {
		return nil, 0
	}
	samples, err := r.Source.Samples(c.Sound)
	if err != nil {
		r.err = err
		return nil, 0
	}
	if s := r.Document.Sounds[c.Sound].Side; s != session.BothSides && len(samples) == 2 {
		k := 0
		if s == session.RightSide {
			k = 1
		}
		samples = samples[k : k+1]
	}
	own := at - c.Start + c.Offset
	from, to := max(0, own-n), min(samples.Length(), own+n)
	if from >= to {
		return nil, 0
	}
	pcm := audio.NewPCM(len(samples), to-from)
	if err := audio.Guard(func() {
		for k := range pcm {
			copy(pcm[k], samples[k][from:to])
		}
	}); err != nil {
		r.err = err
		return nil, 0
	}
	l, err := r.levels.At(id, min(max(at, c.Start), c.End()-1))
	if err != nil {
		r.err = err
		return nil, 0
	}
	// What fades at the edge has no level there; that it does is known.
	return pcm, l.Total.Gain()
}

// halves parts what around gave at the edge.
func halves(pcm audio.PCM, at audio.Frames, c session.Clip, n audio.Frames) (before, after audio.PCM) {
	middle := min(at-c.Start+c.Offset, n)
	return pcm.Slice(0, middle), pcm.Slice(middle, pcm.Length())
}

func rms(pcm audio.PCM) float64 {
	var most float64
	for _, channel := range pcm {
		var sum float64
		for _, v := range channel {
			sum += float64(v) * float64(v)
		}
		most = max(most, sum/float64(max(1, len(channel))))
	}
	return math.Sqrt(most)
}

func level(gain float64) float64 { return float64(audio.Level(gain)) }

func firstOf(pcm audio.PCM) (most float32) {
	for _, channel := range pcm {
		if len(channel) > 0 {
			most = max(most, abs(channel[0]))
		}
	}
	return most
}

func lastOf(pcm audio.PCM) (most float32) {
	for _, channel := range pcm {
		if n := len(channel); n > 0 {
			most = max(most, abs(channel[n-1]))
		}
	}
	return most
}

func abs(v float32) float32 {
	if v < 0 {
		return -v
	}
	return v
}

// abrupt finds edges of voices and effects that click or are torn off.
func (r *reader) abrupt() (out []Finding) {
	for _, e := range r.edges() {
		if e.track.Part == session.Music || !e.torn() && e.step <= r.Limits.Click {
			continue
		}
		in, off := audio.Second/50, audio.Second/20
		if e.track.Part == session.Effect {
			in, off = audio.Second/10, audio.Second*3/10
		}
		out = append(out, e.finding(r.Limits.Click, in, off))
	}
	return out
}

// musicEdges finds music that is switched on or off.
func (r *reader) musicEdges() (out []Finding) {
	ends := r.musicEnds() // which say the same of an end, and more
	for _, e := range r.edges() {
		if e.track.Part != session.Music || !e.torn() && e.step <= r.Limits.Click {
			continue
		}
		if e.end && slices.ContainsFunc(ends, func(f Finding) bool { return f.Clips[0] == e.id }) {
			continue
		}
		out = append(out, e.finding(r.Limits.Click, audio.Second/2, 2*audio.Second))
	}
	return out
}

// finding says what is wrong with an edge, which is mended by a fade of a length.
func (e edge) finding(limit float64, in, off audio.Frames) Finding {
	f := Finding{From: max(0, e.at-beside), To: e.at + beside, Weight: Should, Tracks: []string{e.track.ID}, Clips: []string{e.id}}
	verb, of := "begins", "its beginning"
	fades := edit.ClipFades{Clip: e.id, In: &edit.NewFade{Length: min(in, e.clip.Length/2), Shape: session.Smooth}}
	n := in
	f.Key = "begin"
	if e.end {
		verb, of, n = "ends", "its end", off
		fades = edit.ClipFades{Clip: e.id, Out: &edit.NewFade{Length: min(off, e.clip.Length/2), Shape: session.Smooth}}
		f.Key = "end"
	}
	if e.step > limit {
		f.By = e.step - limit
		f.Text = fmt.Sprintf("%s %s at %s with a step of %s dBFS, without a fade; over %s dBFS a step clicks.", quote(e.clip.Name), verb, moment(e.at), number(e.step), plain(limit))
	} else {
		f.By = e.inner - sounding
		f.Text = fmt.Sprintf("%s %s at %s in the middle of its sound, at %s dBFS, without a fade; over %d dBFS that is heard.", quote(e.clip.Name), verb, moment(e.at), number(e.inner), sounding)
	}
	f.Fix = &Fix{"Put a fade there", fmt.Sprintf("%s gets a fade of %s at %s.", quote(e.clip.Name), long(n), of), edit.SetFades{Fades: []edit.ClipFades{fades}}}
	return f
}

// joins finds places where one clip meets another, and the cut is heard.
func (r *reader) joins() (out []Finding) {
	r.eachTrack(func(t session.Track) {
		ids := r.order[t.ID]
		ends := make([]audio.Frames, len(ids))
		for i, id := range ids {
			b := t.Clips[id]
			ends[i] = b.End()
			k := slices.IndexFunc(ends[:i], func(e audio.Frames) bool { return e <= b.Start && e >= b.Start-touch })
			if k < 0 || r.err != nil {
				continue
			}
			a := t.Clips[ids[k]]
			if a.Sound == b.Sound && a.Offset+a.Length == b.Offset && a.End() == b.Start {
				continue // it goes on
			}
			if f, found := r.join(t, ids[k], id); found {
				out = append(out, f)
			}
		}
	})
	return out
}

func (r *reader) join(t session.Track, left, right string) (f Finding, found bool) {
	a, b := t.Clips[left], t.Clips[right]
	out, gainA := r.around(a, left, a.End(), nearby)
	in, gainB := r.around(b, right, b.Start, nearby)
	if out == nil || in == nil {
		return f, false
	}
	out, _ = halves(out, a.End(), a, nearby)
	_, in = halves(in, b.Start, b, nearby)
	f = Finding{From: max(0, b.Start-beside), To: b.Start + beside, Weight: Should, Tracks: []string{t.ID}, Clips: []string{left, right}}
	length := audio.Second / 50
	step := r.stepAt(out, in, gainA, gainB)
	before, after := background(out)+level(gainA), background(in)+level(gainB)
	switch jump := math.Abs(before - after); {
	case step > r.Limits.Click:
		f.By = step - r.Limits.Click
		f.Text = fmt.Sprintf("The cut from %s to %s at %s makes a step of %s dBFS; over %s dBFS it clicks.", quote(a.Name), quote(b.Name), moment(b.Start), number(step), plain(r.Limits.Click))
	case t.Part == session.Voice && jump > r.Limits.Background && max(before, after) > -65 && b.Start == a.End() && b.FadeIn.Length < nearby/5 && a.FadeOut.Length < nearby/5:
		length = audio.Second / 4
		f.By = jump - r.Limits.Background
		f.Text = fmt.Sprintf("From %s to %s at %s the background jumps by %s dB; over %s dB that is heard.", quote(a.Name), quote(b.Name), moment(b.Start), number(jump), plain(r.Limits.Background))
	default:
		return f, false
	}
	f.Fix = r.softer(a, b, left, right, length)
	return f, true
}

// stepAt is the step where two clips meet, in dBFS, if it is larger than those of the sound around it; or else silence.
func (r *reader) stepAt(out, in audio.PCM, gainA, gainB float64) float64 {
	var most, usual float64
	near := func(pcm audio.PCM, from, to audio.Frames, gain float64) {
		for _, channel := range pcm.Slice(max(0, from), min(pcm.Length(), to)) {
			for i := 1; i < len(channel); i++ {
				usual = max(usual, math.Abs(float64(channel[i]-channel[i-1]))*gain)
			}
		}
	}
	const around = audio.Second / 200
	near(out, out.Length()-around, out.Length(), gainA)
	near(in, 0, around, gainB)
	for c := range max(len(out), len(in)) {
		x, y := out[min(c, len(out)-1)], in[min(c, len(in)-1)]
		if len(x) > 0 && len(y) > 0 {
			most = max(most, math.Abs(float64(x[len(x)-1])*gainA-float64(y[0])*gainB))
		}
	}
	if most <= 1.5*usual {
		return float64(audio.Silence)
	}
	return level(most)
}

// background is the level of the softest piece, in dBFS.
func background(pcm audio.PCM) float64 {
	least := math.Inf(1)
	for at := audio.Frames(0); at+piece <= pcm.Length(); at += piece {
		least = min(least, rms(pcm.Slice(at, at+piece)))
	}
	if math.IsInf(least, 1) {
		return float64(audio.Silence)
	}
	return level(least)
}

// softer has two clips cross where they meet, or fade if their sounds have nothing left to cross with.
func (r *reader) softer(a, b session.Clip, left, right string, length audio.Frames) *Fix {
	late := r.Document.Sounds[a.Sound].Length - a.Offset - a.Length
	early := min(b.Offset, b.Start-a.Start-1)
	if a.End() == b.Start && late+early >= length && a.FadeOut.Length == 0 && b.FadeIn.Length == 0 {
		return &Fix{
			"Cross them", fmt.Sprintf("%s crosses into %s over %s.", quote(a.Name), quote(b.Name), millis(length)),
			edit.SetCrossings{Crossings: []edit.CrossingChange{{Clip: right, Length: &length}}},
		}
	}
	n := min(audio.Second/100, a.Length/2, b.Length/2)
	return &Fix{
		"Fade both", fmt.Sprintf("%s fades out and %s in over %s.", quote(a.Name), quote(b.Name), millis(n)),
		edit.SetFades{Fades: []edit.ClipFades{
			{Clip: left, Out: &edit.NewFade{Length: n, Shape: session.Smooth}},
			{Clip: right, In: &edit.NewFade{Length: n, Shape: session.Smooth}},
		}},
	}
}

func millis(n audio.Frames) string { return fmt.Sprintf("%.0f ms", 1000*n.Seconds()) }
