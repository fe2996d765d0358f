package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strconv"
	"strings"
	"time"
)

// company is how long it takes until a Ruvel knows that others have come or gone, and a little more.
const company = 25 * time.Second

// hour lets one Ruvel mix an hour down, and then three of them, and says how much each has worked.
func hour(ctx context.Context, h *house, out io.Writer) error {
	w := &work{tally: newTally()}
	people, _, err := w.gather(ctx, h)
	if err != nil {
		return err
	}
	p := people[0]
	voice := noise(600)
	id, err := w.upload(ctx, p, "Keeper.wav", voice, nil)
	if err != nil {
		return err
	}
	d, err := p.desk(ctx, w.desks[1].id)
	if err != nil {
		return err
	}
	base := d.Version
	for n := range 6 {
		for _, part := range []string{"voice", "music"} {
			if _, err := w.edit(ctx, p, w.desks[1].id, &base, map[string]any{"type": "insert-clip", "sound": id, "start": n * 600 * 48000, "part": part, "name": "Keeper"}); err != nil {
				return err
			}
		}
	}
	mixed := func(who string) ([32]byte, time.Duration, []float64, error) { return w.mixed(ctx, h, p, who, out) }
	together, _, _, err := mixed("three, of whom two fetch the sounds meanwhile")
	if err != nil {
		return err
	}
	again, _, each, err := mixed("three")
	if err != nil {
		return err
	}
	h.ruvels[1].end()
	h.ruvels[2].end()
	pause(ctx, company)
	alone, _, one, err := mixed("one")
	if err != nil {
		return err
	}
	if together != alone || again != alone {
		return errors.New("the files are not the same")
	}
	most := max(each[0], each[1], each[2])
	fmt.Fprintf(out, "The files are the same. The one of three that worked most has worked %.2f of what one alone has.\n", most/one[0])
	return nil
}

// mixed has the hour mixed down, and says how long that took and how many seconds of a core each Ruvel has worked.
func (w *work) mixed(ctx context.Context, h *house, p *person, who string, out io.Writer) (sum [32]byte, took time.Duration, cpu []float64, err error) {
	var before [three]float64
	for k, m := range h.ruvels {
		before[k] = worked(m)
	}
	begun := time.Now()
	var jobs struct {
		Jobs []struct {
			ID string `json:"id"`
		} `json:"jobs"`
	}
	if err := p.once(ctx, http.MethodPost, "/episodes/"+w.desks[1].id+"/mixdowns", map[string]any{"files": []any{map[string]any{"format": "mp3", "rate": 48000}}, "overrule": true}, &jobs); err != nil {
		return sum, 0, nil, err
	}
	if err := w.ended(ctx, p, jobs.Jobs[0].ID); err != nil {
		return sum, 0, nil, err
	}
	took = time.Since(begun)
	for k, m := range h.ruvels {
		cpu = append(cpu, worked(m)-before[k])
	}
	fmt.Fprintf(out, "An hour by %s: %.1f s; seconds of a core that each has worked: %.1f\n", who, took.Seconds(), cpu)
	sum, _, err = p.digest(ctx, "/mixdowns/"+jobs.Jobs[0].ID+"/file")
	return sum, took, cpu, err
}

// worked is how many seconds of a core a member and what it has begun have used.
func worked(m *member) float64 {
	m.mu.Lock()
	defer m.mu.Unlock()
	data, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", m.cmd.Process.Pid))
	if err != nil {
		return 0
	}
	_, rest, _ := strings.Cut(string(data), ") ")
	fields := strings.Fields(rest)
	total := 0.0
	for _, k := range []int{11, 12, 13, 14} { // utime, stime, and those of children (proc(5))
		n, _ := strconv.ParseFloat(fields[k], 64)
		total += n
	}
	const ticks = 100
	return total / ticks
}
