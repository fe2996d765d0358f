package duck

import (
	"fmt"
	"math"
	"slices"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Downs are by how many dB tracks go down under each stretch of speech that they make way for, by track. One that
// makes no way is not among them.
type Downs map[string][]audio.DB

// Need is a track that needs to make way, or more of it than it does.
type Need struct {
	Track string
	Name  string
	Way   session.Way // with which it would
	Most  audio.DB    // by which it goes down at most
	Under int         // how many stretches of speech it goes down
	Text  string      // in words
}

// needed is how many dB a track must go down by somewhere, and otherwise than it does, or it is left as it is.
const needed = 0.5

// Needs says which tracks of a session need to make way so that speech leads by so many LU, in their order, and how.
// Tracks can be left out of it by their ids. now is by how much they go down as it is; then is asked by how much they would
// with some ways, by track, at last with those that are needed. What it cannot say ends it.
func Needs(doc session.Document, lead float64, without []string, now Downs, then func(ways map[string]session.Way) (Downs, error)) (out []Need, err error) {
	ways := Room(doc, lead)
	for _, id := range without {
		delete(ways, id)
	}
	var would Downs
	for range 2 { // once to see who needs to, and then with those alone
		if would, err = then(ways); err != nil {
			return nil, err
		}
		for id := range ways {
			if most, _ := would.deepest(id); most < needed {
				delete(ways, id)
			}
		}
	}
	for _, t := range doc.Tracks {
		w, there := ways[t.ID]
		if !there || alike(now[t.ID], would[t.ID]) {
			continue
		}
		most, under := would.deepest(t.ID)
		text := fmt.Sprintf("down by up to %.1f dB under %d stretches of speech", most, under)
		if under == 1 {
			text = fmt.Sprintf("down by %.1f dB under one stretch of speech", most)
		}
		out = append(out, Need{t.ID, t.Name, w, most, under, text})
	}
	return out, nil
}

// alike says whether two ways come to the same under every stretch.
func alike(a, b []audio.DB) bool {
	return slices.EqualFunc(a, b, func(a, b audio.DB) bool { return math.Abs(float64(a-b)) < needed })
}

// deepest is by how much a track goes down at most, and under how many stretches.
func (d Downs) deepest(track string) (most audio.DB, under int) {
	for _, down := range d[track] {
		if most = max(most, down); down >= needed {
			under++
		}
	}
	return most, under
}
