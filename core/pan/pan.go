// Package pan places a track between left and right. A mono source is panned with
// constant power (-3.01 dB on each side in the middle); a stereo source is balanced,
// which leaves the middle untouched. Positions run from -1 (left) over 0 to 1 (right).
package pan

import "math"

// Mono is the gains of a mono source on the left and the right: left^2 + right^2 = 1.
func Mono(position float64) (left, right float64) {
	if position == 0 {
		return math.Sqrt2 / 2, math.Sqrt2 / 2
	}
	right, left = math.Sincos((position + 1) * math.Pi / 4)
	return left, right
}

// Balance is the gains of the two channels of a stereo source: the side that is
// turned away from falls along a quarter cosine, the other stays at 1.
func Balance(position float64) (left, right float64) {
	away := math.Cos(math.Abs(position) * math.Pi / 2)
	if math.Abs(position) == 1 {
		away = 0
	}
	if position > 0 {
		return away, 1
	}
	return 1, away
}
