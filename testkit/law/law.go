// Package law tries properties on random cases for a time, so that a test run takes as long as
// it is given and not as long as its slowest law.
package law

import (
	"fmt"
	"os"
	"testing"
	"time"

	"pgregory.net/rapid"
)

const (
	// Budget is the variable with the time that each law is given, such as 1m; usual is what it is without.
	Budget = "RUVEL_LAWS"
	usual  = time.Second
	// Least is on how many cases a law is tried however long they take: fewer would mean little.
	Least = 20
	// Tally is the variable with the name of a file to which the number of cases of each law is added.
	Tally = "RUVEL_LAWS_TALLY"
)

// Check tries a property on random cases, as rapid.Check does, until its time is over. One that fails is made smaller however
// long that takes, and is told with the seed by which it comes again. It gives the number of cases.
func Check(t *testing.T, property func(*rapid.T)) (cases int) {
	t.Helper()
	budget := usual
	if said := os.Getenv(Budget); said != "" {
		var err error
		if budget, err = time.ParseDuration(said); err != nil {
			t.Fatalf("%s is no time: %v", Budget, err)
		}
	}
	begun, failed := time.Now(), false
	rapid.Check(t, func(r *rapid.T) {
		if !failed && cases >= Least && time.Since(begun) > budget {
			return
		}
		cases++
		held := false
		defer func() { failed = failed || !held || r.Failed() }()
		property(r)
		held = true
	})
	tally(t, cases)
	return cases
}

// tally adds up over the packages of a run, which write at once.
func tally(t *testing.T, cases int) {
	t.Helper()
	t.Logf("%d cases", cases)
	name := os.Getenv(Tally)
	if name == "" {
		return
	}
	f, err := os.OpenFile(name, os.O_WRONLY|os.O_APPEND|os.O_CREATE, 0o600)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	if _, err := fmt.Fprintf(f, "%d %s\n", cases, t.Name()); err != nil {
		t.Fatal(err)
	}
}
