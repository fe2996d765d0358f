package pan_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"ruvel/core/pan"
)

func TestAMonoSourceKeepsItsPowerWhereverItStands(t *testing.T) {
	// Source: constant-power law, left^2 + right^2 = 1, -3.01 dB each in the middle.
	for p := -1.0; p <= 1; p += 0.01 {
		l, r := pan.Mono(p)
		assert.InDelta(t, 1, l*l+r*r, 1e-12, "at %v", p)
	}
	l, r := pan.Mono(0)
	assert.Equal(t, l, r)
	assert.InDelta(t, -3.0103, 20*math.Log10(l), 1e-4)
	l, r = pan.Mono(-1)
	assert.InDelta(t, 1, l, 1e-15)
	assert.InDelta(t, 0, r, 1e-15)
}

func TestBalanceLeavesTheMiddleAndTheNearSideUntouched(t *testing.T) {
	for _, c := range []struct{ position, left, right float64 }{{0, 1, 1}, {1, 0, 1}, {-1, 1, 0}, {0.5, math.Sqrt2 / 2, 1}, {-0.5, 1, math.Sqrt2 / 2}} {
		l, r := pan.Balance(c.position)
		assert.InDelta(t, c.left, l, 1e-12)
		assert.InDelta(t, c.right, r, 1e-12)
	}
}
