package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"syscall"
	"time"

	"golang.org/x/sync/errgroup"
)

// mishap is something that is done to a member, and how it is made good again.
type mishap struct {
	kind, how string
	begin     func(ctx context.Context) error
	mend      func(ctx context.Context) error
}

// mishaps are all kinds, each of another member than the one before of its kind.
func (h *house) mishaps(turn int) (all []mishap) {
	k := turn % three
	kill := func(m *member) mishap {
		return mishap{m.kind, "killed", func(context.Context) error { m.kill(); return nil }, m.begin}
	}
	stop := func(m *member) mishap {
		return mishap{m.kind, "stopped", func(context.Context) error { m.signal(syscall.SIGSTOP); return nil }, func(ctx context.Context) error {
			m.signal(syscall.SIGCONT)
			return m.wait(ctx)
		}}
	}
	cut := func(m *member, lines ...*line) mishap {
		set := func(cut bool) func(context.Context) error {
			return func(context.Context) error {
				for _, l := range lines {
					l.set(cut)
				}
				return nil
			}
		}
		return mishap{m.kind, "cut off", set(true), set(false)}
	}
	database, queue, ruvel := h.databases[k], h.queues[k], h.ruvels[k]
	var toStore []*line
	for _, lines := range h.fromRuvel {
		toStore = append(toStore, lines[len(lines)-1])
	}
	isolated := mishap{
		"database", "cut off", func(ctx context.Context) error { return h.isolate(ctx, k, true) },
		func(ctx context.Context) error { return errors.Join(h.isolate(ctx, k, false), database.wait(ctx)) },
	}
	return []mishap{
		kill(database), kill(ruvel), cut(queue, slices.Concat(h.between[k][0], h.between[k][1])...), stop(h.files), cut(ruvel, append([]*line{h.toRuvel[k]}, h.fromRuvel[k]...)...),
		stop(database), kill(queue), cut(h.files, toStore...), stop(ruvel), isolated, kill(h.files), stop(queue), kill(h.front), stop(h.front),
	}
}

// settings say how long everything lasts.
type settings struct {
	lasts time.Duration // all
	wrong time.Duration // each mishap
	rest  time.Duration // after it, in which all is to be well again
}

// try lets ten people work in a house in which one thing after the other goes wrong, and then looks whether all that they were told is there,
// once, and nothing else; what is not is an error.
func try(ctx context.Context, h *house, set settings, out io.Writer) error {
	w := &work{tally: newTally()}
	people, track, err := w.gather(ctx, h)
	if err != nil {
		return err
	}
	looking, look := context.WithCancel(ctx)
	defer look()
	var windows []*window
	for _, d := range w.desks {
		for range 2 {
			win := &window{of: d, p: people[0]}
			windows = append(windows, win)
			go win.shows(looking)
		}
	}
	begun := time.Now()
	working, stop := context.WithTimeout(ctx, set.lasts)
	defer stop()
	hands, working := errgroup.WithContext(working)
	for k, p := range people[:6] {
		hands.Go(func() error { return w.edits(working, p, w.desks[k/2]) })
	}
	hands.Go(func() error { return w.uploading(working, people[6]) })
	hands.Go(func() error { return w.records(working, people[7], w.desks[0], track) })
	hands.Go(func() error { return w.mixes(working, people[8]) })
	hands.Go(func() error { return w.listens(working, people[9]) })
	hands.Go(func() error { return h.goWrong(working, ctx, set, w.tally, windows, out) })
	failed := hands.Wait()
	lasted := time.Since(begun)
	w.tally.tell(out, lasted)
	if failed != nil {
		return failed
	}
	return w.verify(ctx, h, people[0], windows, out)
}

// goWrong lets one thing after the other go wrong until the context ends. What has gone wrong is mended in any case.
func (h *house) goWrong(working, ctx context.Context, set settings, t *tally, windows []*window, out io.Writer) error {
	longest := func() (most time.Duration) {
		for _, w := range windows {
			most = max(most, w.longest())
		}
		return most
	}
	pause(working, set.rest)
	for turn := 0; ; turn++ {
		for _, m := range h.mishaps(turn) {
			if working.Err() != nil {
				return nil
			}
			longest()
			t.begins(m.kind, m.how)
			fmt.Fprintf(out, "%s: %s %s\n", time.Now().Format(time.TimeOnly), m.kind, m.how)
			if err := m.begin(ctx); err != nil {
				return fmt.Errorf("%s %s: %w", m.kind, m.how, err)
			}
			pause(working, set.wrong)
			if err := m.mend(ctx); err != nil {
				return fmt.Errorf("mend: %s %s: %w", m.kind, m.how, err)
			}
			pause(working, set.rest)
			t.over(longest())
		}
	}
}

// gather lets ten people in, and makes the episodes that they work on, with two sounds in the one that is heard.
func (w *work) gather(ctx context.Context, h *house) (people []*person, track string, err error) {
	names := []string{"Maud", "Ivo", "Edda", "Lorne", "Senna", "Piet", "Orla", "Bram", "Tove", "Wilm"}
	first := newPerson(h, names[0])
	if err := first.comesIn(ctx, h.link); err != nil {
		return nil, "", fmt.Errorf("the first person comes in: %w", err)
	}
	people = append(people, first)
	type made struct {
		ID   string `json:"id"`
		Link string `json:"link"`
	}
	var show made
	if err := first.once(ctx, http.MethodPost, "/shows", map[string]any{"name": "Harbour Hours"}, &show); err != nil {
		return nil, "", err
	}
	w.show = show.ID
	for _, name := range names[1:] {
		var invited made
		if err := first.once(ctx, http.MethodPost, "/shows/"+w.show+"/people", map[string]any{"role": "producer", "note": name}, &invited); err != nil {
			return nil, "", err
		}
		p := newPerson(h, name)
		if err := p.comesIn(ctx, invited.Link); err != nil {
			return nil, "", err
		}
		people = append(people, p)
	}
	for n := range 4 {
		var e made
		if err := first.once(ctx, http.MethodPost, "/shows/"+w.show+"/episodes", map[string]any{"title": fmt.Sprintf("Fog, part %d", n+1)}, &e); err != nil {
			return nil, "", err
		}
		if n < 3 {
			w.desks = append(w.desks, &desk{id: e.ID, marks: map[string]bool{}})
			continue
		}
		w.played = e.ID
	}
	d, err := first.desk(ctx, w.desks[0].id)
	if err != nil {
		return nil, "", err
	}
	if track, err = w.trackOf(ctx, first, d); err != nil {
		return nil, "", err
	}
	for n := range 2 {
		if _, err := w.upload(ctx, first, fmt.Sprintf("Lamp %d.wav", n), noise(60), map[string]string{"episode": w.played, "start": "0"}); err != nil {
			return nil, "", err
		}
	}
	return people, track, nil
}

// trackOf is a track that can be recorded onto.
func (w *work) trackOf(ctx context.Context, p *person, d shown) (string, error) {
	var doc struct {
		Tracks []struct {
			ID string `json:"id"`
		} `json:"tracks"`
	}
	if err := json.Unmarshal(d.Document, &doc); err != nil {
		return "", err
	}
	if len(doc.Tracks) > 0 {
		return doc.Tracks[0].ID, nil
	}
	base := d.Version
	if _, err := w.edit(ctx, p, w.desks[0].id, &base, map[string]any{"type": "add-track", "part": "voice"}); err != nil {
		return "", err
	}
	d, err := p.desk(ctx, w.desks[0].id)
	if err != nil {
		return "", err
	}
	return w.trackOf(ctx, p, d)
}

// verify looks whether all that was acknowledged is there, once.
func (w *work) verify(ctx context.Context, h *house, p *person, windows []*window, out io.Writer) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Minute)
	defer cancel()
	for _, m := range h.members() {
		if err := m.wait(ctx); err != nil {
			return err
		}
	}
	var wrong []string
	for n, d := range w.desks {
		now, err := settled(ctx, p, d, windows)
		if err != nil {
			return err
		}
		wrong = append(wrong, d.differs(now, n)...)
	}
	all, err := w.sounds(ctx, p)
	if err != nil {
		return err
	}
	uploaded := 0
	w.uploads.Range(func(id, name any) bool {
		uploaded++
		if all[id.(string)] != 1 {
			wrong = append(wrong, fmt.Sprintf("the upload %v is there %d times", name, all[id.(string)]))
		}
		return true
	})
	taken, more, err := w.recorded(ctx, p)
	if err != nil {
		return err
	}
	wrong = append(wrong, more...)
	if alike, err := h.alike(ctx); err != nil || !alike {
		wrong = append(wrong, fmt.Sprintf("the nodes of the database do not have the same: %v", err))
	}
	if err := h.restore(ctx, p, w.desks[0]); err != nil {
		wrong = append(wrong, fmt.Sprintf("a backup was not brought back: %v", err))
	}
	if len(wrong) > 0 {
		return errors.New(strings.Join(wrong, "\n"))
	}
	fmt.Fprintf(out, "\nAll that was acknowledged is there, once: markers on %d desks, %d uploads, %d takes; %d windows show it, %d nodes have the same, and so has what was restored from a backup.\n", len(w.desks), uploaded, taken, len(windows), three)
	return nil
}

// settled waits until all windows of a desk show what it is.
func settled(ctx context.Context, p *person, d *desk, windows []*window) (shown, error) {
	for {
		now, err := p.desk(ctx, d.id)
		if err == nil {
			all := true
			for _, w := range windows {
				w.mu.Lock()
				same := w.of != d || w.version == now.Version && equal(w.document, now.Document)
				w.mu.Unlock()
				all = all && same
			}
			if all {
				return now, nil
			}
		}
		if ctx.Err() != nil {
			return now, fmt.Errorf("a window stays wrong: %w", errors.Join(err, ctx.Err()))
		}
		pause(ctx, 200*time.Millisecond)
	}
}

func equal(a, b json.RawMessage) bool {
	var x, y any
	if json.Unmarshal(a, &x) != nil || json.Unmarshal(b, &y) != nil {
		return false
	}
	one, _ := json.Marshal(x)
	two, _ := json.Marshal(y)
	return string(one) == string(two)
}

// differs says where a desk is not what was acknowledged.
func (d *desk) differs(now shown, number int) (wrong []string) {
	var doc struct {
		Markers map[string]struct {
			Name string `json:"name"`
		} `json:"markers"`
	}
	if err := json.Unmarshal(now.Document, &doc); err != nil {
		return []string{err.Error()}
	}
	times := map[string]int{}
	for _, m := range doc.Markers {
		times[m.Name]++
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	for name, there := range d.marks {
		want := map[bool]int{true: 1}[there]
		if times[name] != want {
			wrong = append(wrong, fmt.Sprintf("desk %d: the marker %q is there %d times, and should be %d times", number+1, name, times[name], want))
		}
		delete(times, name)
	}
	for name := range times {
		wrong = append(wrong, fmt.Sprintf("desk %d: nobody was told of the marker %q", number+1, name))
	}
	return wrong
}

// sounds are those of the show, with how often each is there.
func (w *work) sounds(ctx context.Context, p *person) (map[string]int, error) {
	var all []struct {
		ID string `json:"id"`
	}
	if err := p.until(ctx, http.MethodGet, "/shows/"+w.show+"/sounds", nil, &all); err != nil {
		return nil, err
	}
	out := map[string]int{}
	for _, s := range all {
		out[s.ID]++
	}
	return out, nil
}

// recorded looks whether all takes have become sounds of their length.
func (w *work) recorded(ctx context.Context, p *person) (n int, wrong []string, err error) {
	lengths := map[string]int64{}
	w.takes.Range(func(id, said any) bool {
		lengths[id.(string)] = said.([2]any)[1].(int64)
		return true
	})
	for {
		var all []struct {
			ID     string `json:"id"`
			State  string `json:"state"`
			Length int64  `json:"length"`
		}
		if err := p.until(ctx, http.MethodGet, "/episodes/"+w.desks[0].id+"/takes", nil, &all); err != nil {
			return 0, nil, err
		}
		there, open := map[string]int64{}, 0
		for _, t := range all {
			if t.State != "kept" && lengths[t.ID] > 0 {
				open++
			}
			there[t.ID] = t.Length
		}
		if open > 0 && ctx.Err() == nil {
			pause(ctx, 200*time.Millisecond)
			continue
		}
		for id, length := range lengths {
			if there[id] != length {
				wrong = append(wrong, fmt.Sprintf("a take has %d frames and should have %d", there[id], length))
			}
		}
		if open > 0 {
			wrong = append(wrong, fmt.Sprintf("%d takes have not become sounds", open))
		}
		return len(lengths), wrong, nil
	}
}
