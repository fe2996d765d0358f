package truth

import (
	"context"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"

	"ruvel/core/audio"
	"ruvel/core/session"
)

// Noise adds noise whose level, in dBFS of its RMS, may depend on the time. Its spectrum falls by 3 dB an octave, or, dark, by 6 above 500 Hz.
func (k *Take) Noise(dark bool, level func(seconds float64) float64) *Take {
	var state [3]float64 // P. Kellet's filter, common practice
	var low float64
	rms := 0.115 // of its output, measured
	if dark {
		rms = 0.0714 // of a pole at 500 Hz: sqrt(a / (2 - a)) / sqrt(3)
	}
	gain := 0.0
	for i := range k.PCM[0] {
		if i%64 == 0 {
			gain = math.Pow(10, level(float64(i)/audio.Rate)/20) / rms
		}
		white := k.random.Float64()*2 - 1
		if dark {
			low += 0.0633 * (white - low)
			k.PCM[0][i] += float32(gain * low * 0.684)
			continue
		}
		state[0] = 0.99765*state[0] + white*0.0990460
		state[1] = 0.96300*state[1] + white*0.2965164
		state[2] = 0.57000*state[2] + white*1.0526913
		k.PCM[0][i] += float32(gain * (state[0] + state[1] + state[2] + white*0.1848) / 15)
	}
	return k
}

// Room adds such noise of one level, so many dB under the voice.
func (k *Take) Room(below float64) *Take {
	return k.Noise(false, func(float64) float64 { return k.level - below })
}

// Street adds dark noise that swells as cars pass by, so many dB under the voice on the whole.
func (k *Take) Street(below float64) *Take {
	swell, at := k.between(3, 7), k.between(0, 9)
	return k.Noise(true, func(s float64) float64 {
		return k.level - below + swell*math.Sin(2*math.Pi*(s+at)/9.3)*math.Sin(2*math.Pi*(s+at)/23)
	})
}

// Pumps adds noise as it is behind a compressor: so many dB under the voice in the pauses, pressed down by another number while
// somebody speaks, at once, and back within a time in seconds.
func (k *Take) Pumps(below, down, back float64) *Take {
	next := 0
	var pressed float64
	return k.Noise(false, func(s float64) float64 {
		at := audio.Seconds(s)
		for next < len(k.Spoken) && k.Spoken[next].To <= at {
			next++
		}
		if next < len(k.Spoken) && k.Spoken[next].From <= at {
			pressed += (down - pressed) * (1 - math.Exp(-64/(0.01*audio.Rate)))
		} else {
			pressed *= math.Exp(-64 / (back / 2.3 * audio.Rate))
		}
		return k.level - below - pressed
	})
}

// Softer makes some of the sentences softer, so many dB, as the rooms are not yet there.
func (k *Take) Softer(share, by float64) *Take {
	for _, s := range k.Spoken {
		if k.random.Float64() < share {
			k.scale(s.From, s.To, -by)
		}
	}
	return k
}

// Stretched makes the pauses longer by so many seconds, as the rooms are not yet there.
func (k *Take) Stretched(seconds float64) *Take {
	by := audio.Seconds(seconds)
	out := audio.NewPCM(1, k.PCM.Length()+by*audio.Frames(len(k.Spoken)))
	for i, s := range k.Spoken {
		moved := s.From + by*audio.Frames(i+1)
		copy(out[0][moved:], k.PCM[0][s.From:s.To])
		k.Spoken[i] = session.Span{From: moved, To: moved + s.To - s.From}
	}
	k.PCM = out
	return k
}

// Falls makes all softer from half way on.
func (k *Take) Falls(by float64) *Take {
	half := k.Spoken[len(k.Spoken)/2].From - audio.Seconds(0.2)
	k.scale(half, k.PCM.Length(), -by)
	return k
}

func (k *Take) scale(from, to audio.Frames, by float64) {
	factor := float32(math.Pow(10, by/20))
	for i := from; i < min(to, k.PCM.Length()); i++ {
		k.PCM[0][i] *= factor
	}
}

// Hum adds that of mains.
func (k *Take) Hum(below float64) *Take {
	parts := []struct{ hertz, share float64 }{{50, 1}, {100, 0.6}, {150, 0.7}, {250, 0.3}, {350, 0.2}}
	gain := math.Pow(10, (k.level-below)/20)
	for _, p := range parts {
		turn := 2 * math.Pi * p.hertz / audio.Rate
		for i := range k.PCM[0] {
			k.PCM[0][i] += float32(gain * p.share * math.Sin(turn*float64(i)))
		}
	}
	return k
}

// Lies adds an offset.
func (k *Take) Lies(offset float32) *Take {
	for i := range k.PCM[0] {
		k.PCM[0][i] += offset
	}
	return k
}

// Rings lets the room ring for a time until it is 60 dB softer: noise that dies away, convolved by a network of combs
// (M. R. Schroeder, J. Audio Eng. Soc. 10, 1962), so many dB under the voice.
func (k *Take) Rings(seconds, below float64) *Take {
	dry := append([]float32{}, k.PCM[0]...)
	wet := make([]float32, len(dry))
	for _, delay := range []int{1427, 1783, 1979, 2137, 2503, 2903} {
		line := make([]float32, delay)
		back := float32(math.Pow(10, -3*float64(delay)/audio.Rate/seconds))
		for i, v := range dry {
			out := line[i%delay]
			line[i%delay] = v + back*out
			wet[i] += out
		}
	}
	gain := RMS(dry) - RMS(wet) - below
	k.add(0, wet, gain)
	return k
}

// Telephone leaves what a telephone lets through: 300 to 3400 Hz.
func (k *Take) Telephone(ctx context.Context) error {
	return k.through(ctx, "wav", "-af", "highpass=f=300,highpass=f=300,lowpass=f=3400,lowpass=f=3400", "-ar", "8000", "-c:a", "pcm_mulaw")
}

// Coded is what MP3 at so many kbit/s leaves.
func (k *Take) Coded(ctx context.Context, rate int) error {
	return k.through(ctx, "mp3", "-c:a", "libmp3lame", "-b:a", fmt.Sprintf("%dk", rate))
}

// through writes and reads a recording in another form.
func (k *Take) through(ctx context.Context, form string, args ...string) error {
	dir, err := os.MkdirTemp("", "truth")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	in, out := filepath.Join(dir, "in.wav"), filepath.Join(dir, "out."+form)
	if err := k.Write(in); err != nil {
		return err
	}
	cmd := exec.CommandContext(ctx, "ffmpeg", append(append([]string{"-hide_banner", "-nostdin", "-loglevel", "error", "-i", in}, args...), out)...)
	if said, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("ffmpeg: %w: %s", err, said)
	}
	pcm, err := Read(ctx, out)
	if err != nil {
		return err
	}
	n := k.PCM.Length()
	k.PCM = audio.NewPCM(1, n)
	copy(k.PCM[0], pcm[0])
	return nil
}
