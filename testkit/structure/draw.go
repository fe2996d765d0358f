package main

import (
	"bytes"
	"fmt"
	"html"
	"maps"
	"slices"
	"strings"
)

// part is a graph with what it shows.
type part struct {
	title string
	graph graph
}

// Measures of the picture, in pixels.
const (
	width   = 1240
	box     = 112
	tall    = 24
	between = 8
	floor   = 62 // from one floor to the next
	margin  = 20
)

// place is the upper left corner of a box.
type place struct{ x, y int }

// draw lays one part below the other.
func draw(parts []part) []byte {
	var body bytes.Buffer
	y := margin
	for _, p := range parts {
		fmt.Fprintf(&body, "<text x=\"%d\" y=\"%d\" font-weight=\"bold\">%s</text>\n", margin, y+12, html.EscapeString(p.title))
		y = p.graph.draw(&body, y+30) + margin
	}
	return fmt.Appendf(nil, "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 %d %d\" font-family=\"sans-serif\" font-size=\"11.5\" fill=\"#23303a\">\n<rect width=\"%d\" height=\"%d\" fill=\"#faf6ee\"/>\n%s</svg>\n",
		width, y, width, y, body.Bytes())
}

// draw draws a graph from a height on, what rests on nothing at the bottom, and gives where it ends.
func (g graph) draw(to *bytes.Buffer, top int) int {
	floors := g.floors()
	at, y := map[string]place{}, top
	for i := len(floors) - 1; i >= 0; i-- {
		for row := range slices.Chunk(floors[i], (width-2*margin+between)/(box+between)) {
			x := (width - len(row)*(box+between) + between) / 2
			for _, name := range row {
				at[name] = place{x, y}
				x += box + between
			}
			y += tall + between
		}
		y += floor - tall - between
	}
	names, down := slices.Sorted(maps.Keys(g)), g.down(floors)
	for _, from := range names {
		for _, on := range down.nearest(from) {
			a, b := at[from], at[on]
			middle := (a.y + tall + b.y) / 2
			fmt.Fprintf(to, "<path d=\"M%d %dC%d %d %d %d %d %d\" fill=\"none\" stroke=\"#5d6a72\" stroke-opacity=\"0.4\"/>\n", a.x+box/2, a.y+tall, a.x+box/2, middle, b.x+box/2, middle, b.x+box/2, b.y)
		}
		for _, on := range slices.Sorted(slices.Values(g[from])) {
			if b, there := at[on]; there && !slices.Contains(down[from], on) { // against the way that all others go
				a := at[from]
				fmt.Fprintf(to, "<path d=\"M%d %dL%d %d\" fill=\"none\" stroke=\"#c2371f\" stroke-dasharray=\"4 3\"/>\n", a.x+box/2, a.y, b.x+box/2, b.y+tall)
			}
		}
	}
	for _, name := range names {
		p := at[name]
		fmt.Fprintf(to, "<g><title>%s rests on: %s</title><rect x=\"%d\" y=\"%d\" width=\"%d\" height=\"%d\" rx=\"5\" fill=\"%s\" stroke=\"#cfc3ad\"/><text x=\"%d\" y=\"%d\" text-anchor=\"middle\">%s</text></g>\n",
			name, strings.Join(slices.Sorted(slices.Values(g[name])), ", "), p.x, p.y, box, tall, tint(name), p.x+box/2, p.y+16, name)
	}
	return y
}

// tint tells what computes from what serves and what is seen.
func tint(name string) string {
	switch {
	case strings.HasPrefix(name, "core/"):
		return "#cfe3de"
	case strings.HasPrefix(name, "internal/"), strings.HasPrefix(name, "cmd/"):
		return "#fffdf8"
	}
	return "#ecd3dc"
}

// floors are the names by the longest way down to what rests on nothing, each in order. What rests on each other in a circle shares
// the floor of the first of them.
func (g graph) floors() (out [][]string) {
	depth, under := map[string]int{}, map[string]bool{}
	var of func(name string) int
	of = func(name string) int {
		if d, known := depth[name]; known || under[name] {
			return d
		}
		under[name] = true
		d := 0
		for _, on := range slices.Sorted(slices.Values(g[name])) {
			if _, there := g[on]; there && !under[on] {
				d = max(d, of(on)+1)
			}
		}
		under[name] = false
		depth[name] = d
		return d
	}
	for _, name := range slices.Sorted(maps.Keys(g)) {
		d := of(name)
		for len(out) <= d {
			out = append(out, nil)
		}
		out[d] = append(out[d], name)
	}
	return out
}

// down is what of a graph goes to a lower floor.
func (g graph) down(floors [][]string) graph {
	depth, out := map[string]int{}, graph{}
	for i, names := range floors {
		for _, name := range names {
			depth[name] = i
		}
	}
	for name, all := range g {
		for _, on := range all {
			if _, there := g[on]; there && depth[on] < depth[name] {
				out[name] = append(out[name], on)
			}
		}
	}
	return out
}

// nearest are those that something rests on and that nothing else of that rests on: the others follow from them.
func (g graph) nearest(name string) (out []string) {
	for _, on := range slices.Sorted(slices.Values(g[name])) {
		through := func(other string) bool { return other != on && g.reaches(other, on, map[string]bool{name: true}) }
		if !slices.ContainsFunc(g[name], through) {
			out = append(out, on)
		}
	}
	return out
}

func (g graph) reaches(from, to string, seen map[string]bool) bool {
	if from == to {
		return true
	}
	if seen[from] {
		return false
	}
	seen[from] = true
	return slices.ContainsFunc(g[from], func(on string) bool { return g.reaches(on, to, seen) })
}
