package main

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"ruvel/core/speech/net"
)

// made is a small network, and a lesson for it.
func made() (*net.Net, lesson) {
	random := rand.New(rand.NewPCG(4, 4))
	n := net.New(3, 4)
	for _, part := range n.Weights() {
		for i := range part {
			part[i] = float32(random.NormFloat64()) / 3
		}
	}
	of := lesson{rows: rows(3, 200), spoken: make([]float32, 200), counts: make([]float32, 200)}
	for _, row := range of.rows {
		for i := range row {
			row[i] = float32(random.NormFloat64())
		}
	}
	for i := range of.spoken {
		of.spoken[i], of.counts[i] = float32(i/37%2), 1+float32(i%3)
	}
	return n, of
}

// The gradient of each weight is by how much the loss changes when that is moved a little.
func TestTheGradientIsTheSlopeOfTheLoss(t *testing.T) {
	n, of := made()
	p := newPupil(n, 200)
	p.learn(of)
	slopes := p.slope.Weights()
	const little = 3e-3
	for k, part := range n.Weights() {
		for i := 0; i < len(part); i += 1 + len(part)/7 {
			was := part[i]
			part[i] = was + little
			up := newPupil(n, 200).learn(of)
			part[i] = was - little
			down := newPupil(n, 200).learn(of)
			part[i] = was
			assert.InDelta(t, (up-down)/(2*little), float64(slopes[k][i]), 0.01, "weight %d of part %d", i, k)
		}
	}
}

func TestStepsAgainstTheGradientLessenTheLoss(t *testing.T) {
	n, of := made()
	moments := adam{first: net.New(3, 4), second: net.New(3, 4)}
	p := newPupil(n, 200)
	first := p.learn(of)
	moments.step(n, p.slope, 0.01)
	last := first
	for range 60 {
		last = p.learn(of)
		moments.step(n, p.slope, 0.01)
	}
	assert.Less(t, last, first/2)
}
