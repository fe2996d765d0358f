package edit

import (
	"maps"

	"ruvel/core/audio"
	"ruvel/core/problem"
	"ruvel/core/session"
)

// settleOverlaps sees to it that clips which an edit has brought to overlap cross: with
// equal gains within one recording, with equal powers otherwise. Overlaps that were there
// before keep the law that they had, none included, and clips that do not overlap any more
// have none. An edit after which more than two clips sound at once, at more places of a
// track than before, is refused.
func (d *draft) settleOverlaps(before session.Document) error {
	for i := range d.Tracks {
		t := &d.Tracks[i]
		var old session.Track
		if k := before.FindTrack(t.ID); k >= 0 {
			old = before.Tracks[k]
		}
		if samePlaces(old, *t) {
			continue
		}
		was, _ := old.Crowded()
		if now, at := t.Crowded(); now > was {
			return problem.New("three-at-once", "tracks."+t.ID,
				"At %v three clips would sound at once on %s. At most two can overlap on a track: move one of them to another track.", at, quote(t.Name))
		}
		d.cross(t, old)
	}
	return nil
}

func samePlaces(a, b session.Track) bool {
	return maps.EqualFunc(a.Clips, b.Clips, func(x, y session.Clip) bool {
		return x.Start == y.Start && x.Length == y.Length && x.Crossing == y.Crossing && x.Sound == y.Sound
	})
}

// cross gives the overlaps of a track their laws.
func (d *draft) cross(t *session.Track, old session.Track) {
	type stretch struct{ from, to audio.Frames }
	byClip := map[string]string{}
	byPlace := map[stretch]session.Law{}
	for _, o := range old.Overlaps() {
		byClip[o.In] = o.Out
		byPlace[stretch{o.From, o.To}] = old.Clips[o.In].Crossing
	}
	comes := map[string]bool{}
	for _, o := range t.Overlaps() {
		comes[o.In] = true
		c := t.Clips[o.In]
		known, wasThere := old.Clips[o.In]
		law, samePlace := byPlace[stretch{o.From, o.To}]
		switch {
		case wasThere && byClip[o.In] == o.Out, c.Crossing != session.LaidOver && (!wasThere || c.Crossing != known.Crossing):
			continue // it is as it was, or as the edit wants it
		case samePlace:
			c.Crossing = law
		case d.still:
			continue
		default:
			c.Crossing = lawFor(t.Clips[o.Out], c)
		}
		t.Clips[o.In] = c
	}
	for id, c := range t.Clips {
		if c.Crossing != session.LaidOver && !comes[id] {
			c.Crossing = session.LaidOver
			t.Clips[id] = c
		}
	}
}

func lawFor(a, b session.Clip) session.Law {
	if a.Sound == b.Sound {
		return session.CrossGain
	}
	return session.CrossPower
}

// bake turns the crossing of a track that a time lies in, its ends included, into fades of its clips, so
// that they can be cut there and sound as before. Where one of them has a fade of its own
// at that end, it says so and changes nothing.
func bake(t *session.Track, at audio.Frames) (in string, done bool) {
	for _, x := range t.Crossings() {
		if at < x.From || at > x.To { // cut at its end, the clip that comes would end with the one that goes
			continue
		}
		goes, comes := t.Clips[x.Out], t.Clips[x.In]
		if goes.FadeOut.Length > 0 || comes.FadeIn.Length > 0 {
			return comes.Name, false
		}
		goes.FadeOut, comes.FadeIn, comes.Crossing = x.Fade(), x.Fade(), session.LaidOver
		t.Clips[x.Out], t.Clips[x.In] = goes, comes
	}
	return "", true
}

// CrossingChange says what is to change of the crossing at the beginning of a clip; what
// is left out stays.
type CrossingChange struct {
	Clip   string        `json:"clip" doc:"The clip that comes"`
	Length *audio.Frames `json:"length,omitempty" doc:"Held within what the sounds have, around its middle if both have it. 0: the clips meet without crossing"`
	Law    *string       `json:"law,omitempty" enum:"equal-gain,equal-power,none" doc:"none: both are heard at their full level"`
}

// SetCrossings changes how clips take over from those before them. Clips that meet, with
// no gap and no overlap, can be made to cross.
type SetCrossings struct {
	Kind
	Crossings []CrossingChange `json:"crossings" nullable:"false" minItems:"1" maxItems:"5000"`
}

func (o SetCrossings) apply(d *draft) (string, error) {
	changes := once(o.Crossings, func(c CrossingChange) string { return c.Clip })
	if err := chosen(changes, "crossings"); err != nil {
		return "", err
	}
	var name string
	for _, change := range changes {
		t, c, err := d.clip(change.Clip)
		if err != nil {
			return "", err
		}
		goes, overlap, found := before(t, change.Clip)
		if !found {
			return "", problem.New("no-crossing", "clip", "The clip %q does not begin in another one, nor where another ends. Move it there first.", c.Name)
		}
		name = "Crossing into " + quote(c.Name)
		if change.Length != nil {
			n := d.setOverlap(t, goes, change.Clip, overlap, max(0, *change.Length))
			name += " over " + n.String()
		}
		if change.Law != nil {
			c = t.Clips[change.Clip]
			c.Crossing = session.Law(*change.Law)
			if *change.Law == "none" {
				c.Crossing = session.LaidOver
			}
			t.Clips[change.Clip] = c
		}
	}
	return oneOrMany(len(changes), name, "Change", "crossing"), nil
}

// before finds the clip that another begins in or at the end of.
func before(t *session.Track, id string) (goes string, o session.Overlap, found bool) {
	for _, o := range t.Overlaps() {
		if o.In == id {
			return o.Out, o, true
		}
	}
	start := t.Clips[id].Start
	for _, other := range t.ClipsInOrder() {
		if t.Clips[other].End() == start {
			return other, session.Overlap{Out: other, In: id, From: start, To: start}, true
		}
	}
	return "", o, false
}

// setOverlap gives an overlap another length, around its middle unless one of the sounds
// does not reach that far, and says which length it has got.
func (d *draft) setOverlap(t *session.Track, goes, comes string, o session.Overlap, length audio.Frames) audio.Frames {
	a, b := t.Clips[goes], t.Clips[comes]
	by := length - (o.To - o.From)
	least := min(Shortest, a.Length, b.Length)
	mostEarly := min(roomBefore(b), b.Start-a.Start-1)
	mostLate := min(roomAfter(a, d.Sounds[a.Sound]), b.End()-a.End()-1)
	early := max(least-b.Length, min(by/2, mostEarly))
	late := max(least-a.Length, min(by-early, mostLate))
	early = max(least-b.Length, min(by-late, mostEarly))
	t.Clips[goes], t.Clips[comes] = longer(a, 0, late), longer(b, early, 0)
	return o.To - o.From + early + late
}
