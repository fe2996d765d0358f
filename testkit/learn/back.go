package main

import (
	"math"

	"gonum.org/v1/gonum/blas/blas32"

	"ruvel/core/speech/net"
)

// lesson is a piece of a recording: what the network is told of it, whether somebody speaks, and how much each step counts.
type lesson struct {
	rows   [][]float32
	spoken []float32
	counts []float32
}

// pupil is a network with what it takes to learn: the gradient of its loss, and room to compute it in.
type pupil struct {
	net        *net.Net
	slope      *net.Net      // of the loss, by weight
	held       [][][]float32 // what was known before each layer, and at the end
	found      [][][]float32 // what each layer found
	back, deep [][]float32
}

func newPupil(n *net.Net, length int) *pupil {
	p := &pupil{net: n, slope: net.New(n.Inputs, n.Width), back: rows(n.Width, length), deep: rows(n.Width, length)}
	for range net.Apart {
		p.held, p.found = append(p.held, rows(n.Width, length)), append(p.found, rows(n.Width, length))
	}
	p.held = append(p.held, rows(n.Width, length))
	return p
}

func rows(n, length int) [][]float32 {
	out := make([][]float32, n)
	for i := range out {
		out[i] = make([]float32, length)
	}
	return out
}

// learn adds the gradient of the loss of a lesson, the mean cross entropy of its steps (D. E. Rumelhart, G. E. Hinton, R. J. Williams,
// "Learning representations by back-propagating errors", Nature 323, 1986), and gives that loss.
func (p *pupil) learn(of lesson) float64 {
	n := p.net
	net.Mix(p.held[0], of.rows, n.Enter, n.EnterBias)
	each(p.held[0], net.Rectify)
	for l := range n.Layers {
		net.Convolve(p.found[l], p.held[l], n.Layers[l], n.LayerBiases[l], net.Apart[l])
		each(p.found[l], net.Rectify)
		for c, row := range p.found[l] {
			copy(p.held[l+1][c], p.held[l][c])
			axpy(1, row, p.held[l+1][c])
		}
	}
	last := p.held[len(n.Layers)]
	out := rows(1, len(of.spoken))
	net.Mix(out, last, n.Leave, n.LeaveBias)
	var loss, all float64
	slope := out[0]
	for i, logit := range out[0] {
		likely := 1 / (1 + math.Exp(-float64(logit)))
		said, weight := float64(of.spoken[i]), float64(of.counts[i])
		loss -= weight * (said*math.Log(likely+1e-9) + (1-said)*math.Log(1-likely+1e-9))
		all += weight
		slope[i] = float32(weight * (likely - said))
	}
	for i := range slope {
		slope[i] /= float32(all)
	}
	p.backward(of, slope, last)
	return loss / all
}

func (p *pupil) backward(of lesson, slope []float32, last [][]float32) {
	n, g := p.net, p.slope
	for c := range last {
		g.Leave[c] += dot(slope, last[c])
		clear(p.back[c])
		axpy(n.Leave[c], slope, p.back[c])
	}
	g.LeaveBias[0] += sum(slope)
	for l := len(n.Layers) - 1; l >= 0; l-- {
		for o := range p.deep {
			copy(p.deep[o], p.back[o])
			for i, v := range p.found[l][o] {
				if v <= 0 {
					p.deep[o][i] = 0
				}
			}
			g.LayerBiases[l][o] += sum(p.deep[o])
		}
		for o, deep := range p.deep {
			for i, in := range p.held[l] {
				for tap := range net.Taps {
					at, by := (o*n.Width+i)*net.Taps+tap, (tap-1)*net.Apart[l]
					part, late := net.Shifted(deep, in, by)
					g.Layers[l][at] += dot(part, late)
					_, into := net.Shifted(deep, p.back[i], by)
					axpy(n.Layers[l][at], part, into)
				}
			}
		}
	}
	for o, back := range p.back {
		for i, v := range p.held[0][o] {
			if v <= 0 {
				back[i] = 0
			}
		}
		g.EnterBias[o] += sum(back)
		for i, in := range of.rows {
			g.Enter[o*n.Inputs+i] += dot(back, in)
		}
	}
}

func each(all [][]float32, do func([]float32)) {
	for _, row := range all {
		do(row)
	}
}

func axpy(a float32, x, y []float32) { blas32.Axpy(a, vector(x), vector(y)) }

func dot(x, y []float32) float32 { return blas32.Dot(vector(x), vector(y)) }

func vector(row []float32) blas32.Vector { return blas32.Vector{N: len(row), Inc: 1, Data: row} }

func sum(row []float32) (s float32) {
	for _, v := range row {
		s += v
	}
	return s
}

// adam are the moments by which steps are taken (D. P. Kingma, J. Ba, "Adam: a method for stochastic optimization", arXiv:1412.6980, 2014).
type adam struct {
	first, second *net.Net
	steps         int
}

// step moves a network against a gradient, by about a rate.
func (a *adam) step(n, slope *net.Net, rate float64) {
	const fade, slow = 0.9, 0.999
	a.steps++
	one, two := 1-math.Pow(fade, float64(a.steps)), 1-math.Pow(slow, float64(a.steps))
	weights, slopes, firsts, seconds := n.Weights(), slope.Weights(), a.first.Weights(), a.second.Weights()
	for k, part := range weights {
		for i := range part {
			g := float64(slopes[k][i])
			m := fade*float64(firsts[k][i]) + (1-fade)*g
			v := slow*float64(seconds[k][i]) + (1-slow)*g*g
			firsts[k][i], seconds[k][i] = float32(m), float32(v)
			part[i] -= float32(rate * (m / one) / (math.Sqrt(v/two) + 1e-8))
			part[i] *= 1 - 1e-5
		}
		clear(slopes[k])
	}
}
