// Command told reads what "go test -json" writes and tells it as a person wants to read it: a line for each package, all
// of what failed, and, asked for the longest, which tests and packages took longest and how many there were.
package main

import (
	"bufio"
	"cmp"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"time"
)

// event is a line of "go test -json"; see "go doc test2json".
type event struct {
	Time        time.Time
	Action      string
	Package     string
	ImportPath  string // of what could not be built
	Test        string
	Elapsed     float64
	Output      string
	FailedBuild string
}

// took is something with the time that it took.
type took struct {
	name    string
	seconds float64
}

// run is what has been read.
type run struct {
	packages, tests         []took
	passed, failed, skipped int
	output                  map[string]*strings.Builder // of tests and packages that are under way, and of builds
}

func main() {
	longest := flag.Int("longest", 0, "tell nothing but how many there were, and which so many took longest")
	cases := flag.String("cases", "", "a file with numbers of cases, which are added up")
	flag.Parse()
	r := run{output: map[string]*strings.Builder{}}
	to := io.Writer(os.Stdout)
	if *longest > 0 {
		to = io.Discard
	}
	if err := r.read(os.Stdin, to); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	if *longest > 0 {
		r.summary(os.Stdout, *longest)
		if *cases != "" {
			if err := addUp(os.Stdout, *cases); err != nil {
				fmt.Fprintln(os.Stderr, err)
				os.Exit(1)
			}
		}
		fmt.Printf("%d passed, %d failed, %d skipped\n", r.passed, r.failed, r.skipped)
	}
}

func (r *run) read(from io.Reader, to io.Writer) error {
	lines := bufio.NewScanner(from)
	lines.Buffer(nil, 64<<20)
	for lines.Scan() {
		var e event
		if json.Unmarshal(lines.Bytes(), &e) != nil {
			fmt.Fprintln(to, lines.Text()) // not of the runner
			continue
		}
		r.take(e, to)
	}
	return lines.Err()
}

func (r *run) take(e event, to io.Writer) {
	key := cmp.Or(e.ImportPath, e.Package+" "+e.Test)
	switch e.Action {
	case "output", "build-output":
		if r.output[key] == nil {
			r.output[key] = &strings.Builder{}
		}
		r.output[key].WriteString(e.Output)
	case "pass", "fail", "skip":
		said := ""
		if b := r.output[key]; b != nil {
			said = b.String()
		}
		delete(r.output, key)
		if e.Test == "" {
			r.endOf(e, said, to)
			return
		}
		if e.Action == "fail" || e.Action == "skip" {
			fmt.Fprint(to, said)
		}
		if strings.Contains(e.Test, "/") {
			return
		}
		r.tests = append(r.tests, took{strings.TrimPrefix(e.Package, "ruvel/") + " " + e.Test, e.Elapsed})
		switch e.Action {
		case "pass":
			r.passed++
		case "fail":
			r.failed++
		default:
			r.skipped++
		}
	}
}

// endOf tells of a package that has ended.
func (r *run) endOf(e event, said string, to io.Writer) {
	r.packages = append(r.packages, took{strings.TrimPrefix(e.Package, "ruvel/"), e.Elapsed})
	switch {
	case e.Action == "fail":
		if b := r.output[e.FailedBuild]; b != nil {
			fmt.Fprint(to, b.String())
			delete(r.output, e.FailedBuild)
		}
		for key, b := range r.output { // tests that were under way when it ended
			if strings.HasPrefix(key, e.Package+" ") {
				fmt.Fprint(to, b.String())
				r.failed++
			}
		}
		fmt.Fprint(to, said)
		if said == "" {
			fmt.Fprintf(to, "FAIL\t%s\n", e.Package)
		}
	case e.Action == "pass":
		fmt.Fprintf(to, "ok  \t%s\t%.1fs\n", e.Package, e.Elapsed)
	}
}

func (r *run) summary(to io.Writer, most int) {
	for _, kind := range []struct {
		name string
		all  []took
	}{{"packages", r.packages}, {"tests", r.tests}} {
		slices.SortFunc(kind.all, func(a, b took) int { return cmp.Compare(b.seconds, a.seconds) })
		fmt.Fprintf(to, "The %s that took longest, in seconds:\n", kind.name)
		for _, one := range kind.all[:min(most, len(kind.all))] {
			fmt.Fprintf(to, "%8.1f  %s\n", one.seconds, one.name)
		}
	}
}

// addUp tells on how many cases laws were tried.
func addUp(to io.Writer, name string) error {
	f, err := os.Open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	laws, cases := 0, 0
	for lines := bufio.NewScanner(f); lines.Scan(); {
		var n int
		if _, err := fmt.Sscan(lines.Text(), &n); err != nil {
			return fmt.Errorf("%s: %q: %w", name, lines.Text(), err)
		}
		laws, cases = laws+1, cases+n
	}
	fmt.Fprintf(to, "%d laws were tried on %d random cases\n", laws, cases)
	return nil
}
