package law_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/testkit/law"
)

func TestALawThatTakesLongIsTriedOnTheLeastNumberOfCases(t *testing.T) {
	t.Setenv(law.Budget, "1ms")
	tally := filepath.Join(t.TempDir(), "tally")
	t.Setenv(law.Tally, tally)
	cases := 0
	law.Check(t, func(*rapid.T) {
		cases++
		time.Sleep(time.Millisecond)
	})
	assert.Equal(t, law.Least, cases)
	said, err := os.ReadFile(tally)
	require.NoError(t, err)
	assert.Equal(t, "20 "+t.Name()+"\n", string(said))
}

// A law that does not hold is run by a test program of its own.
func TestALawThatDoesNotHoldIsToldWithItsSmallestCaseAndSeed(t *testing.T) {
	if os.Getenv("RUVEL_BROKEN_LAW") != "" {
		n := 0
		law.Check(t, func(r *rapid.T) {
			n++
			if v := rapid.IntRange(0, 1000).Draw(r, "v"); n > 5 && v >= 7 {
				r.Fatalf("%d is too much", v)
			}
		})
		return
	}
	itself, err := os.Executable()
	require.NoError(t, err)
	cmd := exec.Command(itself, "-test.run", "^"+t.Name()+"$", "-rapid.nofailfile")
	cmd.Env = append(os.Environ(), "RUVEL_BROKEN_LAW=1", law.Budget+"=1ms")
	out, err := cmd.CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(out), "7 is too much")
	assert.Contains(t, string(out), "-rapid.seed=")
	assert.NotContains(t, strings.ToLower(string(out)), "flaky")
}
