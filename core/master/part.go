package master

import (
	"bytes"
	"encoding/gob"
	"fmt"

	"ruvel/core/audio"
)

// partOf is what is done to a part of a stretch, in the order of its blocks: the same is always the same bytes.
type partOf struct {
	Gain   float64
	Blocks []limited
}

// limited is a block in which the limiter works.
type limited struct {
	Number int
	Ratios []float32
}

// Part is what is done to the frames from (included) to (excluded) of a stretch, as bytes from which that can be done elsewhere. What is done
// elsewhere in the stretch does not change it.
func (m *Master) Part(from, to audio.Frames) ([]byte, error) {
	p := partOf{Gain: m.Gain}
	for n := int(from / block); audio.Frames(n)*block < to; n++ {
		if ratios, there := m.blocks[n]; there {
			p.Blocks = append(p.Blocks, limited{n, ratios})
		}
	}
	var out bytes.Buffer
	err := gob.NewEncoder(&out).Encode(p)
	return out.Bytes(), err
}

// ParsePart reads what Part has written. It can be applied to the frames of that part, and to no others.
func ParsePart(data []byte) (*Master, error) {
	var p partOf
	if err := gob.NewDecoder(bytes.NewReader(data)).Decode(&p); err != nil {
		return nil, fmt.Errorf("read what is done to a part: %w", err)
	}
	m := &Master{Gain: p.Gain, blocks: map[int][]float32{}}
	for _, b := range p.Blocks {
		if len(b.Ratios) == 0 {
			return nil, fmt.Errorf("read what is done to a part: block %d is empty", b.Number)
		}
		m.blocks[b.Number] = b.Ratios
	}
	return m, nil
}
