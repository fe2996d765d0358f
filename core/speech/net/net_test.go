package net_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"ruvel/core/speech/net"
	"ruvel/testkit/law"
)

// random is a network of random weights, and a series for it.
func random(t *rapid.T) (n *net.Net, rows [][]float32) {
	of := rand.New(rand.NewPCG(rapid.Uint64().Draw(t, "seed"), 1))
	n = net.New(rapid.IntRange(1, 5).Draw(t, "inputs"), rapid.IntRange(1, 5).Draw(t, "width"))
	for _, part := range n.Weights() {
		for i := range part {
			part[i] = float32(of.NormFloat64()) / 2
		}
	}
	length := rapid.IntRange(1, 300).Draw(t, "length")
	for range n.Inputs {
		row := make([]float32, length)
		for i := range row {
			row[i] = float32(of.NormFloat64())
		}
		rows = append(rows, row)
	}
	return n, rows
}

// plainly is a network run as it is described, moment by moment.
func plainly(n *net.Net, rows [][]float32) (out []float64) {
	length := len(rows[0])
	now := make([][]float64, length)
	for t := range now {
		for o := range n.Width {
			sum := float64(n.EnterBias[o])
			for i := range rows {
				sum += float64(n.Enter[o*n.Inputs+i]) * float64(rows[i][t])
			}
			now[t] = append(now[t], max(0, sum))
		}
	}
	for l, apart := range net.Apart {
		next := make([][]float64, length)
		for t := range next {
			for o := range n.Width {
				sum := float64(n.LayerBiases[l][o])
				for i := range n.Width {
					for tap := range net.Taps {
						if at := t + (tap-1)*apart; at >= 0 && at < length {
							sum += float64(n.Layers[l][(o*n.Width+i)*net.Taps+tap]) * now[at][i]
						}
					}
				}
				next[t] = append(next[t], now[t][o]+max(0, sum))
			}
		}
		now = next
	}
	for t := range now {
		sum := float64(n.LeaveBias[0])
		for o, v := range now[t] {
			sum += float64(n.Leave[o]) * v
		}
		out = append(out, sum)
	}
	return out
}

func TestANetworkDoesWhatItsDescriptionSays(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		n, rows := random(t)
		want, got := plainly(n, rows), n.Run(rows)
		require.Len(t, got, len(want))
		for i := range want {
			assert.InEpsilon(t, want[i]+1e3, float64(got[i])+1e3, 1e-3, "at %d", i)
		}
	})
}

func TestFurtherAwayThanItLooksNothingMatters(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		n, _ := random(t)
		rows := make([][]float32, n.Inputs)
		for i := range rows {
			rows[i] = make([]float32, 600)
		}
		at := rapid.IntRange(0, 599).Draw(t, "at")
		before := n.Run(rows)
		rows[0][at] = 3
		for i, v := range n.Run(rows) {
			if i < at-net.Around || i > at+net.Around {
				assert.Equal(t, before[i], v)
			}
		}
	})
}

func TestANetworkIsReadBackAsItWasWritten(t *testing.T) {
	law.Check(t, func(t *rapid.T) {
		n, _ := random(t)
		again, err := net.Of(n.Bytes())
		require.NoError(t, err)
		assert.Equal(t, n, again)
		cut := rapid.IntRange(0, len(n.Bytes())-1).Draw(t, "cut")
		_, err = net.Of(n.Bytes()[:cut])
		require.Error(t, err)
		_, err = net.Of(append(n.Bytes(), 0))
		require.Error(t, err)
	})
}

func FuzzOf(f *testing.F) {
	f.Add(net.New(2, 3).Bytes())
	f.Fuzz(func(t *testing.T, data []byte) {
		if n, err := net.Of(data); err == nil {
			assert.Equal(t, data, n.Bytes())
		}
	})
}
