// Command learn teaches the network of core/speech where somebody speaks, from recordings that it makes: sentences of flite's voices, of
// a murmur in no language, and of the folders of sound files that it is given, with known pauses, in rooms and beside noises of all kinds.
// Nothing of core/speech goes into the truth. The sentences of core/speech's tests are others.
//
//	go run ./testkit/learn [--hours 6] [--rounds 60] [--series 4] [--music DIR] [--earlier FILE] [--out core/speech/voice.net] [DIR…]
//
// The network that is shipped was taught by the recordings of Debian's packages codec2-examples, fillets-ng-data, fillets-ng-data-nl and
// asterisk-core-sounds-{en,es,fr,it,ru}-g722, and the music of asterisk-moh-opsound-wav and fillets-ng-data; nothing of them is in it but numbers.
package main

import (
	"context"
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"sync"
	"time"

	"ruvel/core/speech/net"
)

const (
	width  = 28
	length = 1500 // steps of a lesson: 15 s
	batch  = 4
	fast   = 3e-3
)

func main() {
	hours := flag.Float64("hours", 6, "how much is learnt from")
	rounds := flag.Int("rounds", 60, "how often")
	music := flag.String("music", "", "a folder with music without voices")
	series := flag.Uint64("series", 4, "another number makes other recordings")
	earlier := flag.String("earlier", "", "a network that has learnt something already and goes on learning; else one begins")
	out := flag.String("out", "core/speech/voice.net", "where the network is written")
	flag.Parse()
	if err := run(context.Background(), *hours, *rounds, *series, *music, *earlier, *out, flag.Args()); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(ctx context.Context, hours float64, rounds int, series uint64, music, earlier, out string, dirs []string) error {
	from, err := gather(ctx, music, dirs)
	if err != nil {
		return err
	}
	from.series = series
	begun := time.Now()
	lessons, err := from.lessons(ctx, int(hours*3600*100/length))
	if err != nil {
		return err
	}
	fmt.Printf("%d lessons made in %.0f s\n", len(lessons), time.Since(begun).Seconds())
	kept := len(lessons) / 20 // to see how it does on what it has not heard
	trial, lessons := lessons[:kept], lessons[kept:]
	n, top := begin(len(lessons[0].rows)), fast
	if earlier != "" {
		data, err := os.ReadFile(earlier)
		if err != nil {
			return err
		}
		if n, err = net.Of(data); err != nil {
			return err
		}
		top = fast / 3
	}
	moments := adam{first: net.New(n.Inputs, n.Width), second: net.New(n.Inputs, n.Width)}
	pupils := make([]*pupil, batch)
	for i := range pupils {
		pupils[i] = newPupil(n, length)
	}
	random := rand.New(rand.NewPCG(1, 1))
	steps := rounds * (len(lessons) / batch)
	for round := range rounds {
		random.Shuffle(len(lessons), func(i, k int) { lessons[i], lessons[k] = lessons[k], lessons[i] })
		var loss float64
		for b := range len(lessons) / batch {
			loss += together(pupils, lessons[b*batch:][:batch]) / float64(len(lessons)/batch)
			done := float64(moments.steps) / float64(steps)
			rate := top * min(1, float64(moments.steps+1)/300) * (0.5 + 0.5*math.Cos(math.Pi*done)) // I. Loshchilov, F. Hutter, arXiv:1608.03983, 2016
			moments.step(n, pupils[0].slope, max(rate, 1e-5))
		}
		missed, falsely := tried(n, trial)
		fmt.Printf("round %d: loss %.4f; of what it has not heard missed %.2f %%, false %.2f %%; %.0f s\n", round+1, loss, 100*missed, 100*falsely, time.Since(begun).Seconds())
		if err := os.WriteFile(out, n.Bytes(), 0o644); err != nil {
			return err
		}
	}
	return nil
}

// begin is a network that has learnt nothing: weights by K. He et al., ICCV 2015, small where they add to what is known.
func begin(inputs int) *net.Net {
	random := rand.New(rand.NewPCG(2, 2))
	n := net.New(inputs, width)
	filled := func(part []float32, spread float64) {
		for i := range part {
			part[i] = float32(random.NormFloat64() * spread)
		}
	}
	filled(n.Enter, math.Sqrt(2/float64(inputs)))
	for _, layer := range n.Layers {
		filled(layer, 0.5*math.Sqrt(2/float64(width*net.Taps)))
	}
	filled(n.Leave, math.Sqrt(1/float64(width)))
	return n
}

// together has pupils learn a lesson each; the first has the mean gradient then.
func together(pupils []*pupil, lessons []lesson) (loss float64) {
	losses := make([]float64, len(pupils))
	var all sync.WaitGroup
	for i, p := range pupils {
		all.Go(func() { losses[i] = p.learn(lessons[i]) })
	}
	all.Wait()
	into := pupils[0].slope.Weights()
	for i, p := range pupils {
		loss += losses[i] / float64(len(pupils))
		for k, part := range p.slope.Weights() {
			for w := range part {
				if i > 0 {
					into[k][w] += part[w]
					part[w] = 0
				}
			}
		}
	}
	for _, part := range into {
		for w := range part {
			part[w] /= float32(len(pupils))
		}
	}
	return loss
}

// tried is how a network does on lessons: shares of the time of speech and of that without.
func tried(n *net.Net, lessons []lesson) (missed, falsely float64) {
	var spoken, quiet float64
	for _, l := range lessons {
		for i, logit := range n.Run(l.rows) {
			switch {
			case l.spoken[i] > 0.5:
				if spoken++; logit < 0 {
					missed++
				}
			default:
				if quiet++; logit >= 0 {
					falsely++
				}
			}
		}
	}
	return missed / max(1, spoken), falsely / max(1, quiet)
}
