package arrange

import (
	"context"
	"fmt"

	"ruvel/core/audio"
	"ruvel/core/edit"
	"ruvel/core/fit"
)

// Fits are the ways in which a piece of music can be brought to a length.
type Fits struct {
	Version int64        `json:"version" doc:"Of the document that they are meant for"`
	Clips   []string     `json:"clips" nullable:"false" doc:"The row of clips that is the piece now"`
	Start   audio.Frames `json:"start" doc:"Where it begins"`
	Length  audio.Frames `json:"length" doc:"How long it is now"`
	Tempo   float64      `json:"tempo" doc:"Beats a minute; a listener might count half or twice as many"`
	Bar     int          `json:"bar" doc:"Beats in a bar"`
	Ways    []FitWay     `json:"ways" nullable:"false" doc:"The best first, at most two"`
}

// FitWay is one of them.
type FitWay struct {
	fit.Fitted
	Joins  []audio.Frames `json:"joins" nullable:"false" doc:"Where, in session time, it goes from one part to the next"`
	Used   bool           `json:"used" doc:"The clips are just so already"`
	Hidden string         `json:"hidden" doc:"How well its joins are hidden, in words"`
	Off    string         `json:"off" doc:"How far it is from the length that was asked for, in words"`
	Op     edit.FitClips  `json:"op" doc:"The edit that does it"`
}

// Fits are the ways in which the piece of music that a clip is part of can be brought to end at a time; nothing changes. All who ask for the
// same share the answer.
func (a *Arranger) Fits(ctx context.Context, episode, clip string, until audio.Frames) (Fits, error) {
	version, err := a.Store.Version(ctx, episode)
	if err != nil {
		return Fits{}, err
	}
	return a.fitting.Do(ctx, fmt.Sprintf("%s %d %s %d", episode, version, clip, until), func(ctx context.Context) (Fits, error) {
		return a.fits(ctx, episode, clip, until)
	})
}

func (a *Arranger) fits(ctx context.Context, episode, clip string, until audio.Frames) (Fits, error) {
	doc, version, err := a.Store.Document(ctx, episode)
	if err != nil {
		return Fits{}, err
	}
	ids, err := edit.Run(doc, clip)
	if err != nil {
		return Fits{}, err
	}
	_, first, _ := doc.FindClip(ids[0])
	_, last, _ := doc.FindClip(ids[len(ids)-1])
	if _, err := a.Sounds.Piece(ctx, first.Sound, first.Offset); err != nil { // before the turn: it may take long
		return Fits{}, err
	}
	done, err := a.Turns.Compute(ctx, episode)
	if err != nil {
		return Fits{}, err
	}
	defer done()
	piece, ways, err := a.Sounds.Fit(ctx, first.Sound, first.Offset, until-first.Start)
	if err != nil {
		return Fits{}, err
	}
	out := Fits{Version: version, Clips: ids, Start: first.Start, Length: last.End() - first.Start, Tempo: piece.Tempo, Bar: piece.Bar, Ways: []FitWay{}}
	for _, w := range ways {
		op := edit.FitClips{Kind: edit.Kind{Type: edit.TypeOf(edit.FitClips{})}, Clips: ids, Parts: w.Parts, FadeOut: w.FadeOut}
		way := FitWay{Fitted: w, Op: op, Joins: []audio.Frames{}, Used: len(ids) == len(w.Parts), Hidden: w.Hidden(), Off: w.Off(until - first.Start)}
		at := first.Start
		for i, p := range w.Parts {
			if way.Used {
				_, c, _ := doc.FindClip(ids[i])
				way.Used = c.Offset == p.From && c.Length == p.To-p.From
			}
			if i > 0 {
				way.Joins = append(way.Joins, at)
			}
			at += p.To - p.From - fit.Cross
		}
		out.Ways = append(out.Ways, way)
	}
	return out, nil
}
