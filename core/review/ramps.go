package review

import (
	"fmt"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/fade"
	"ruvel/core/loudness"
	"ruvel/core/session"
)

// Stretches of speech with shorter pauses between them are one utterance, whose ends matter.
const utterance = audio.Second / 2

// edgeOf is how much of an utterance its beginning and its end are.
const edgeOf = audio.Second / 2

// matters is how many LU under the speech music may lie and its moving still be heard.
const matters = 20

// ramps finds what moves under the first or the last half second of an utterance: a bed that is not
// down yet, an outro that rises too early.
func (r *reader) ramps() []Finding {
	if r.moving == nil {
		r.moving = append([]Finding{}, r.findRamps()...)
	}
	return r.moving
}

func (r *reader) findRamps() (out []Finding) {
	for _, s := range bridged(r.speech, utterance) {
		if s.To-s.From < edgeOf {
			continue
		}
		r.eachTrack(func(t session.Track) {
			if t.Part == session.Voice {
				return
			}
			first := session.Span{From: s.From, To: s.From + edgeOf}
			last := session.Span{From: s.To - edgeOf, To: s.To}
			out = append(out, r.ramp(t, first, true)...)
			out = append(out, r.ramp(t, last, false)...)
		})
	}
	return out
}

func bridged(spans []session.Span, gap audio.Frames) (out []session.Span) {
	for _, s := range spans {
		if n := len(out); n > 0 && s.From-out[n-1].To < gap {
			out[n-1].To = s.To
			continue
		}
		out = append(out, s)
	}
	return out
}

// mover is a part of a level, and how far it moves.
type mover int

const (
	byTrackLine mover = iota
	byClipLine
	byFade
	byWay
	movers
)

// looks is at how many places a stretch is looked at.
const looks = 11

// ramp looks at a track under an end of an utterance: whether it goes down there, or rises.
func (r *reader) ramp(t session.Track, in session.Span, down bool) []Finding {
	if !r.isHeard(t.ID, in) {
		return nil
	}
	id := r.longest(t, in)
	if id == "" {
		return nil
	}
	c := t.Clips[id]
	from, to := max(in.From, c.Start), min(in.To, c.End())
	line, own, way := r.lineOf(t.ID, t.Envelope), r.lineOf(id, c.Envelope), r.wayOf(t.ID)
	var levels [looks][movers]float64
	for i := range levels {
		at := from + (to-1-from)*audio.Frames(i)/(looks-1)
		inside := at - c.Start
		levels[i] = [movers]float64{
			float64(audio.Level(line.GainAt(at))), float64(audio.Level(own.GainAt(inside + c.Offset))),
			float64(audio.Level(fade.In(c.FadeIn, inside) * fade.Out(c.FadeOut, inside, c.Length))),
			float64(audio.Level(way.GainAt(at))),
		}
	}
	var moves [movers]float64
	var all float64
	for m := range moves {
		moves[m] = levels[looks-1][m] - levels[0][m]
		if down {
			moves[m] = -moves[m]
		}
		all += moves[m]
	}
	if all <= r.Limits.Ramp {
		return nil
	}
	by := mover(0)
	for m := range moves {
		if moves[m] > moves[by] {
			by = mover(m)
		}
	}
	f := Finding{From: in.From, To: in.To, Weight: Should, Tracks: []string{t.ID}, Clips: []string{id}, By: min(all, 60) - r.Limits.Ramp}
	moved := number(min(all, 60)) // what comes from silence moves by no figure that says anything
	if down {
		f.Text = fmt.Sprintf("%s still goes down by %s dB under the first word at %s; at most %s dB are left for that.", quote(c.Name), moved, moment(in.From), plain(r.Limits.Ramp))
		f.Key = "first"
	} else {
		f.Text = fmt.Sprintf("%s rises by %s dB under the last syllable at %s; at most %s dB are left for that.", quote(c.Name), moved, moment(in.To), plain(r.Limits.Ramp))
		f.Key = "last"
	}
	f.Fix = r.moveRamp(t, id, in, down, by)
	return []Finding{f}
}

// isHeard says whether a track is loud enough in a stretch for its moving to be heard beside the speech.
func (r *reader) isHeard(track string, in session.Span) bool {
	row := r.balance.Of(track)
	var loudest, speech float64
	for k := int(in.From / loudness.Hop); k <= int((in.To-1)/loudness.Hop) && k < len(r.balance.Voices); k++ {
		if k < len(row) {
			loudest = max(loudest, row[k])
		}
		speech = max(speech, r.balance.Voices[k])
	}
	return loudest > 0 && loudness.Of(loudest) > loudness.Of(speech)-matters
}

// longest is the clip of a track that can be heard and fills most of a stretch.
func (r *reader) longest(t session.Track, in session.Span) (id string) {
	var most audio.Frames
	for _, k := range r.order[t.ID] {
		c := t.Clips[k]
		if n := min(in.To, c.End()) - max(in.From, c.Start); n > max(1, most) {
			most, id = n, k
		}
	}
	return id
}

// moveRamp moves what moves so that it is over with the first word, or begins with the last.
func (r *reader) moveRamp(t session.Track, id string, in session.Span, down bool, by mover) *Fix {
	c := t.Clips[id]
	word, verb := in.To, "begins with the end of the last word"
	if down {
		word, verb = in.From, "is down on the first word"
	}
	switch {
	case by == byTrackLine:
		return moveLine(edit.Line{Track: t.ID}, t.Envelope, 0, in, down, "The level line of "+quote(t.Name)+" "+verb+".")
	case by == byClipLine:
		return moveLine(edit.Line{Clip: id}, c.Envelope, c.Start-c.Offset, in, down, "The level line of "+quote(c.Name)+" "+verb+".")
	case by == byFade && down && word > c.Start:
		return &Fix{
			"End it on the word", fmt.Sprintf("%s ends with its fade where the first word begins, at %s.", quote(c.Name), moment(word)),
			edit.TrimClips{Trims: []edit.Trim{{Clip: id, Edge: "end", At: word}}},
		}
	case by == byFade && !down:
		return &Fix{
			"Begin after the word", fmt.Sprintf("%s begins %s later, when the last word has ended.", quote(c.Name), long(word-c.Start)),
			edit.MoveClips{Moves: []edit.Move{{Clip: id, Start: word}}},
		}
	case by == byWay && len(t.Way.For) > 0:
		way := t.Way
		way.For = nil
		return &Fix{"Make way for all", quote(t.Name) + " makes way for all voices.", edit.SetTracks{Tracks: []edit.TrackChange{{Track: t.ID, Way: &way}}}}
	}
	return nil
}

// moveLine moves the run of points that falls into the beginning of an utterance so that it has ended there, or
// the one that rises out of its end so that it begins there. zero is the session time of the line's own zero.
func moveLine(l edit.Line, points []session.Point, zero audio.Frames, in session.Span, down bool, text string) *Fix {
	sign := audio.DB(1)
	if down {
		sign = -1
	}
	goes := func(i int) bool { return i+1 < len(points) && sign*(points[i+1].Level-points[i].Level) > 0 }
	crosses := func(i int) bool { return points[i].At+zero < in.To && points[i+1].At+zero > in.From }
	i := slices.IndexFunc(indices(len(points)), func(i int) bool { return goes(i) && crosses(i) })
	if i < 0 {
		return nil
	}
	first, last := i, i+1
	for first > 0 && goes(first-1) && crosses(first-1) {
		first--
	}
	for goes(last) && (down || crosses(last)) {
		last++
	}
	by := in.To - (points[first].At + zero)
	if down {
		by = in.From - (points[last].At + zero)
	}
	var moves []edit.PointMove
	for k := first; k <= last; k++ {
		moves = append(moves, edit.PointMove{Line: l, From: points[k].At, At: points[k].At + by, Level: points[k].Level})
	}
	// What stands in the way goes along.
	if down {
		for k := first - 1; k >= 0 && points[k].At >= moves[0].At; k-- {
			moves = append([]edit.PointMove{{Line: l, From: points[k].At, At: moves[0].At - 1, Level: points[k].Level}}, moves...)
		}
	} else {
		for k := last + 1; k < len(points) && points[k].At <= moves[len(moves)-1].At; k++ {
			moves = append(moves, edit.PointMove{Line: l, From: points[k].At, At: moves[len(moves)-1].At + 1, Level: points[k].Level})
		}
	}
	if moves[0].At < 0 {
		return nil
	}
	return &Fix{"Move the ramp", text, edit.MovePoints{Moves: moves}}
}

func indices(n int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = i
	}
	return out
}
