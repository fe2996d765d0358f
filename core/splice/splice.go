// Package splice finds where recordings can be cut and joined so that nobody hears it:
// the quietest place near a join, a stretch of a room's own sound to fill a pause with,
// and the length at which music can be repeated without losing its beat.
package splice

import (
	"math"

	"ruvel/core/audio"
)

// Quietest takes the sound around a join on both sides, of one length and with the join in
// the middle of each, and gives by how many frames the join is best moved: to where the
// power of both within half a crossing on either side is least. Half must be less than
// half of the length. Of places that are equally quiet the nearest counts.
func Quietest(left, right audio.PCM, half audio.Frames) audio.Frames {
	n := min(left.Length(), right.Length())
	sums := make([]float64, n+1)
	for i := range n {
		sums[i+1] = sums[i] + power(left, i) + power(right, i)
	}
	middle := n / 2
	reach := middle - half
	best, least := audio.Frames(0), math.Inf(1)
	for k := range 2*reach + 1 {
		off := (k + 1) / 2 // 0, 1, -1, 2, -2, …
		if k%2 == 0 {
			off = -off
		}
		from, to := middle+off-half, middle+off+half
		if from < 0 || to > n {
			continue
		}
		if p := sums[to] - sums[from]; p < least {
			best, least = off, p
		}
	}
	return best
}

func power(p audio.PCM, i audio.Frames) (sum float64) {
	for _, channel := range p {
		sum += float64(channel[i]) * float64(channel[i])
	}
	return sum
}

// hop is the raster on which levels are looked at: 5 ms.
const hop = audio.Rate / 200

// levels are the powers of a sound in steps of a hop.
func levels(p audio.PCM) []float64 {
	out := make([]float64, p.Length()/hop)
	for k := range out {
		for i := range audio.Frames(hop) {
			out[k] += power(p, audio.Frames(k)*hop+i)
		}
	}
	return out
}

// Room finds a stretch of so many frames in which nothing but the room is heard: the one
// whose loudest 50 ms are quietest. Digital silence, which no room has, does not count.
// It gives where that begins, or false if the sound is shorter.
func Room(p audio.PCM, length audio.Frames) (at audio.Frames, found bool) {
	fine := levels(p)
	const run = 10
	if len(fine) < run {
		return 0, false
	}
	coarse := make([]float64, len(fine)-run+1) // 50 ms from each hop on
	sum := 0.0
	for i, v := range fine {
		sum += v
		if i >= run {
			sum -= fine[i-run]
		}
		if i >= run-1 {
			coarse[i-run+1] = math.Max(0, sum)
		}
	}
	need := int((length+hop-1)/hop) - run + 1
	if need < 1 {
		need = 1
	}
	least := math.Inf(1)
	for from, high := range slidingMost(coarse, need) {
		if fine[from] == 0 || high == 0 {
			continue
		}
		if high < least {
			least, at, found = high, audio.Frames(from)*hop, true
		}
	}
	return at, found && at+length <= p.Length()
}

// slidingMost is the largest of each run of so many values.
func slidingMost(values []float64, run int) []float64 {
	var out []float64
	var queue []int // indices of falling values
	for i, v := range values {
		for len(queue) > 0 && values[queue[len(queue)-1]] <= v {
			queue = queue[:len(queue)-1]
		}
		queue = append(queue, i)
		if queue[0] <= i-run {
			queue = queue[1:]
		}
		if i >= run-1 {
			out = append(out, values[queue[0]])
		}
	}
	return out
}
