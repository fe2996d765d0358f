package review

import (
	"fmt"
	"slices"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/credits"
	"ruvel/core/edit"
	"ruvel/core/session"
	"ruvel/core/speech"
)

func (r *reader) phrasesOf(sound string) ([]speech.Phrase, error) {
	return r.Source.Phrases(sound, r.Document.Sounds[sound].Sensitivity)
}

func (r *reader) places() (out []Finding) {
	for _, id := range r.Document.EmptyPlaces() {
		m := r.Document.Markers[id]
		track := r.Document.Tracks[r.Document.FindTrack(m.Fills)]
		out = append(out, Finding{
			Weight: Must, From: m.At, To: m.At + m.Length, Tracks: []string{m.Fills}, By: 1,
			Text: fmt.Sprintf("The place for %s on %s, at %s, is still empty: record it or choose a file, or take the place away.", quote(m.Name), quote(track.Name), moment(m.At)),
			Fix:  &Fix{"Take it away", "The place goes; nothing that sounds changes.", edit.RemoveMarkers{Markers: []string{id}}},
		})
	}
	return out
}

func (r *reader) solo() (out []Finding) {
	var ids, names []string
	off := false
	op := edit.SetTracks{}
	for _, t := range r.Document.Tracks {
		if t.Solo {
			ids, names = append(ids, t.ID), append(names, quote(t.Name))
			op.Tracks = append(op.Tracks, edit.TrackChange{Track: t.ID, Solo: &off})
		}
	}
	if len(ids) == 0 {
		return nil
	}
	verb := " is soloed: it alone is"
	if len(ids) > 1 {
		verb = " are soloed: they alone are"
	}
	return []Finding{{
		Weight: Must, Tracks: ids, Text: listed(names) + verb + " heard, and mixed down.", By: float64(len(ids)),
		Fix: &Fix{"End solo", "All tracks are heard again that are not muted.", op},
	}}
}

func (r *reader) mute() (out []Finding) {
	off := false
	for _, t := range r.Document.Tracks {
		if ids := r.order[t.ID]; t.Mute && len(ids) > 0 {
			f := Finding{Weight: Look, Tracks: []string{t.ID}, Text: quote(t.Name) + " is muted and holds " + counted(len(ids), "clip") + ".", By: float64(len(ids))}
			f.From, _ = span(t.Clips[ids[0]])
			_, f.To = span(t.Clips[ids[0]])
			f.Fix = &Fix{"Hear it again", quote(t.Name) + " is not muted any more.", edit.SetTracks{Tracks: []edit.TrackChange{{Track: t.ID, Mute: &off}}}}
			out = append(out, f)
		}
	}
	return out
}

func counted(n int, what string) string {
	if n == 1 {
		return "one " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

func (r *reader) loop() []Finding {
	if r.Loop == nil {
		return nil
	}
	return []Finding{{Weight: Look, From: r.Loop.From, To: r.Loop.To, By: 1, Text: fmt.Sprintf("The stretch from %s to %s is played over and over.", moment(r.Loop.From), moment(r.Loop.To))}}
}

func (r *reader) take() (out []Finding) {
	for _, t := range r.Takes {
		f := Finding{Weight: Should, From: t.At, To: t.At, By: 1, Text: fmt.Sprintf("A recording at %s was neither kept nor thrown away: see Record, in Gather.", moment(t.At))}
		if r.Document.FindTrack(t.Track) >= 0 {
			f.Tracks = []string{t.Track}
		}
		out = append(out, f)
	}
	return out
}

// hidden finds clips that are drawn wholly under another one: of those that overlap, the one with the higher
// layer is in front, of equals the one that begins later, or is shorter.
func (r *reader) hidden() (out []Finding) {
	for _, t := range r.Document.Tracks {
		ids := t.ClipsInOrder()
		type shape struct {
			from, to audio.Frames
			layer    int
		}
		all := make([]shape, len(ids))
		for i, id := range ids {
			c := t.Clips[id]
			all[i] = shape{c.Start, c.End(), c.Layer}
		}
		for i, id := range ids {
			if !r.wanted() {
				return nil
			}
			c, is := t.Clips[id], all[i]
			over := -1
			for k := 0; k < len(all) && all[k].from <= is.from && over < 0; k++ {
				o := all[k]
				if k != i && o.to >= is.to && (o.layer > is.layer || o.layer == is.layer && o.to-o.from == is.to-is.from && k > i) {
					over = k
				}
			}
			if over < 0 {
				continue
			}
			f := Finding{Weight: Look, Tracks: []string{t.ID}, Clips: []string{id}, By: 1}
			f.From, f.To = span(c)
			f.Text = fmt.Sprintf("%s lies wholly under %s; both are heard.", quote(c.Name), quote(t.Clips[ids[over]].Name))
			f.Fix = &Fix{"Bring it up", quote(c.Name) + " is drawn in front. The sound stays the same.", edit.LayerClips{Clips: []string{id}, Front: true}}
			out = append(out, f)
		}
	}
	return out
}

func (r *reader) missing() (out []Finding) {
	for _, sound := range r.Missing {
		f := Finding{Weight: Must, Sound: sound, By: 1}
		var names []string
		for _, t := range r.Document.Tracks {
			for _, id := range t.ClipsInOrder() {
				if c := t.Clips[id]; c.Sound == sound {
					if len(f.Clips) == 0 {
						f.From, f.To = span(c)
					}
					f.Clips = append(f.Clips, id)
					if name := quote(c.Name); !slices.Contains(names, name) {
						names = append(names, name)
					}
				}
			}
		}
		if len(names) == 0 {
			continue
		}
		f.Text = "The sound of " + listed(names[:min(3, len(names))]) + " is missing: its file cannot be read. Import it again, or take another sound in its place."
		out = append(out, f)
	}
	return out
}

// whereUsed gives a finding the clips of a sound.
func (r *reader) whereUsed(f *Finding, sound string) {
	var first audio.Frames = session.MaxLength
	for _, t := range r.Document.Tracks {
		for id, c := range t.Clips {
			if c.Sound == sound {
				f.Clips = append(f.Clips, id)
				if c.Start < first {
					first, f.From, f.To = c.Start, c.Start, c.End()
				}
			}
		}
	}
	slices.Sort(f.Clips)
}

func (r *reader) credit() (out []Finding) {
	for _, s := range r.Credits {
		need := credits.Of(s)
		if len(need.Missing) == 0 {
			continue
		}
		var missing []string
		for _, m := range need.Missing {
			missing = append(missing, string(m))
		}
		f := Finding{Weight: Must, Sound: s.ID, By: float64(len(missing))}
		r.whereUsed(&f, s.ID)
		f.Text = fmt.Sprintf("%s lacks its %s: write it down with the sound, in Gather.", quote(s.Name), listed(missing))
		if need.Credit && len(missing) == 1 && need.Missing[0] == credits.Licensed {
			f.Text = fmt.Sprintf("Of %s nobody has written down under which licence it may be used: do so in Gather.", quote(s.Name))
		}
		out = append(out, f)
	}
	return out
}

func (r *reader) licence() (out []Finding) {
	for _, s := range r.Credits {
		l, known := credits.Find(s.Licence)
		if !known || !l.Whole {
			continue
		}
		f := Finding{Weight: Must, Sound: s.ID, By: 1}
		r.whereUsed(&f, s.ID)
		f.Text = fmt.Sprintf("%s is under %s: it may not be cut or mixed with anything without asking. Ask its author, and note that as an agreement; or take another sound.", quote(s.Name), l.Name)
		out = append(out, f)
	}
	return out
}

func (r *reader) details() []Finding {
	if r.Details == nil {
		return nil
	}
	var missing []string
	for _, d := range []struct{ name, is string }{{"title", r.Details.Title}, {"description", r.Details.Description}, {"language", r.Details.Language}} {
		if strings.TrimSpace(d.is) == "" {
			missing = append(missing, d.name)
		}
	}
	if len(missing) == 0 {
		return nil
	}
	return []Finding{{Weight: Should, By: float64(len(missing)), Text: "The episode has no " + listed(missing) + " yet: see Hand over."}}
}
