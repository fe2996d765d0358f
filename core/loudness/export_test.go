package loudness

// TruePeakOfAll is the true peak of a channel by every tap of every phase, without a short cut.
func TruePeakOfAll(channel []float32) (peak float32) {
	for i := range channel {
		peak = max(peak, channel[i], -channel[i])
		var window [taps]float32
		for k := range window {
			if at := i - taps + 1 + k; at >= 0 {
				window[k] = channel[at]
			}
		}
		for _, h := range interpolator.coefficients {
			var v float64
			for k := range window {
				v += float64(h[k]) * float64(window[k])
			}
			peak = max(peak, float32(v), float32(-v))
		}
	}
	return peak
}
