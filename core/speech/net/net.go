// Package net is a small network that says of each moment of a series of measurements how likely something is, from what lies
// around it to both sides. It is a temporal convolutional network: layers that look at three moments each, ever further
// apart, and each adds what it finds to what is known already (S. Bai, J. Z. Kolter, V. Koltun, "An empirical evaluation of generic
// convolutional and recurrent networks for sequence modeling", arXiv:1803.01271, 2018, but to both sides; residuals after K. He et al.,
// CVPR 2016). Rows are float32, one for each measurement, and as long as the series.
package net

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math"

	"gonum.org/v1/gonum/blas/blas32"
)

// Apart is by how many moments the looks of each layer lie apart.
var Apart = []int{1, 2, 4, 8, 16, 32, 64}

// Around is how many moments to either side a network looks at.
const Around = 127

// Taps are how many moments each layer looks at.
const Taps = 3

// Net is a network. Weights are in the order of Weights; it is not to be changed while it is in use.
type Net struct {
	Inputs, Width int
	Enter         []float32   // Width × Inputs
	EnterBias     []float32   // Width
	Layers        [][]float32 // each Width × Width × Taps
	LayerBiases   [][]float32 // each Width
	Leave         []float32   // Width
	LeaveBias     []float32   // 1
}

// New makes a network of zeros.
func New(inputs, width int) *Net {
	n := &Net{Inputs: inputs, Width: width, Enter: make([]float32, width*inputs), EnterBias: make([]float32, width), Leave: make([]float32, width), LeaveBias: make([]float32, 1)}
	for range Apart {
		n.Layers = append(n.Layers, make([]float32, width*width*Taps))
		n.LayerBiases = append(n.LayerBiases, make([]float32, width))
	}
	return n
}

// Weights are all of them, to be read and changed in place.
func (n *Net) Weights() (all [][]float32) {
	all = append(all, n.Enter, n.EnterBias)
	for i := range n.Layers {
		all = append(all, n.Layers[i], n.LayerBiases[i])
	}
	return append(all, n.Leave, n.LeaveBias)
}

// Run gives the logit of each moment of a series, of which there are Inputs rows of one length. What lies before and after
// the series counts as zero.
func (n *Net) Run(rows [][]float32) []float32 {
	length := len(rows[0])
	now := matrix(n.Width, length)
	Mix(now, rows, n.Enter, n.EnterBias)
	for _, row := range now {
		Rectify(row)
	}
	found := matrix(n.Width, length)
	for l := range n.Layers {
		Convolve(found, now, n.Layers[l], n.LayerBiases[l], Apart[l])
		for c, row := range found {
			Rectify(row)
			blas32.Axpy(1, vector(row), vector(now[c]))
		}
	}
	out := matrix(1, length)
	Mix(out, now, n.Leave, n.LeaveBias)
	return out[0]
}

// Mix gives weighed sums of rows, and a bias each.
func Mix(to, of [][]float32, weights, biases []float32) {
	for o, row := range to {
		fill(row, biases[o])
		for i, in := range of {
			blas32.Axpy(weights[o*len(of)+i], vector(in), vector(row))
		}
	}
}

// Convolve gives weighed sums of rows as they are so many moments earlier, now, and so many later.
func Convolve(to, of [][]float32, weights, biases []float32, apart int) {
	for o, row := range to {
		fill(row, biases[o])
		for i, in := range of {
			for tap := range Taps {
				out, late := Shifted(row, in, (tap-1)*apart)
				blas32.Axpy(weights[(o*len(of)+i)*Taps+tap], vector(late), vector(out))
			}
		}
	}
}

// Shifted are the parts of two rows that lie beside each other if the second is read so many moments later.
func Shifted(row, read []float32, by int) (part, late []float32) {
	n := max(0, len(row)-max(by, -by))
	if by >= 0 {
		return row[:n], read[len(read)-n:]
	}
	return row[len(row)-n:], read[:n]
}

// Rectify makes what is less than nothing nothing.
func Rectify(row []float32) {
	for i, v := range row {
		row[i] = max(0, v)
	}
}

func fill(row []float32, v float32) {
	for i := range row {
		row[i] = v
	}
}

func vector(row []float32) blas32.Vector { return blas32.Vector{N: len(row), Inc: 1, Data: row} }

func matrix(rows, length int) [][]float32 {
	all, out := make([]float32, rows*length), make([][]float32, rows)
	for i := range out {
		out[i] = all[i*length : (i+1)*length]
	}
	return out
}

// Bytes are a network as it is kept: its inputs and its width in two bytes each, then its weights as 32-bit floats, all little-endian.
func (n *Net) Bytes() []byte {
	out := binary.LittleEndian.AppendUint16(nil, uint16(n.Inputs))
	out = binary.LittleEndian.AppendUint16(out, uint16(n.Width))
	for _, part := range n.Weights() {
		for _, w := range part {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(w))
		}
	}
	return out
}

var errLength = errors.New("net: it has not as many weights as it should")

// Of reads what Bytes wrote.
func Of(data []byte) (*Net, error) {
	if len(data) < 4 {
		return nil, errLength
	}
	inputs, width := int(binary.LittleEndian.Uint16(data)), int(binary.LittleEndian.Uint16(data[2:]))
	data = data[4:]
	if weights := width*inputs + width + len(Apart)*(width*width*Taps+width) + width + 1; len(data) != 4*weights {
		return nil, errLength
	}
	n := New(inputs, width)
	for _, part := range n.Weights() {
		for i := range part {
			part[i] = math.Float32frombits(binary.LittleEndian.Uint32(data[4*i:]))
			if part[i]-part[i] != 0 {
				return nil, fmt.Errorf("net: a weight is %v", part[i])
			}
		}
		data = data[4*len(part):]
	}
	return n, nil
}
