package finish

import (
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"fmt"

	"ruvel/core/audio"
	"ruvel/core/master"
	"ruvel/core/mix"
	"ruvel/internal/media"
)

// Part is what can be made by itself of what a file is made from. Whoever makes it, and however often, it is the same.
type Part struct {
	Kind   string // one of the kinds
	Number int
	With   []byte // what it is made with, besides the plan and the order
}

// Kinds of parts.
const (
	// Measured parts are what a stretch of the mix is like, before anything is done to it.
	Measured = "measured"
	// Encoded parts are pieces of the file.
	Encoded = "encoded"
)

// Hands make parts, wherever they are.
//
// Make has parts made that are told apart by their kind, their number and what they are made with, at the same time and in any order, and
// hands what has become of each to take, one at a time, in the order of parts. What was made of the same plan and order before need not be made
// again. It returns when the last was taken, with the first error of making or of take, or when the context ends.
type Hands interface {
	Make(ctx context.Context, parts []Part, take func(n int, made []byte) error) error
}

// perPart is how many blocks of ten seconds are measured as a part.
const perPart = 30

// span is the stretch that is brought to the target, and the one that the file holds.
func (o Order) span(plan *mix.Plan) (of, stretch master.Stretch) {
	stretch = master.Stretch{From: o.From, To: o.To, Channels: o.Setting.Channels, Renderer: func() master.Render { return mix.NewRenderer(plan).Render }}
	of = stretch
	if o.Of != nil {
		of.From, of.To = o.Of.From, min(o.Of.To, plan.Length())
	}
	return of, stretch
}

// isWhole says whether a stretch is all of a mix, as it is known by its facts.
func isWhole(plan *mix.Plan, s master.Stretch) bool {
	return s.Channels == 2 && s.From == 0 && s.To == plan.Length()
}

// MakePart makes a part of what an order is made from, in a folder for what must lie on the disk meanwhile. What of the plan is known of
// spans, such as by an earlier part, is not found out again.
func MakePart(ctx context.Context, plan *mix.Plan, o Order, p Part, dir string) ([]byte, error) {
	of, stretch := o.span(plan)
	switch p.Kind {
	case Measured:
		first, last := p.Number*perPart, min((p.Number+1)*perPart, master.Blocks(of.Length()))
		if first < 0 || first >= last {
			return nil, fmt.Errorf("there is no part %d of what is measured", p.Number)
		}
		if isWhole(plan, of) {
			return facts(ctx, plan, first, min(last, plan.Spans()))
		}
		c, err := master.AlongBlocks(ctx, of, first, last, atOnce, func(float64) {})
		if err != nil {
			return nil, err
		}
		return encoded(c)
	case Encoded:
		return o.encode(ctx, plan, of.From, stretch, p, dir)
	}
	return nil, fmt.Errorf("there is no kind of part called %q", p.Kind)
}

// known are the facts of a span.
type known struct {
	Key   mix.Key
	Facts []byte
}

// facts are those of some spans.
func facts(ctx context.Context, plan *mix.Plan, first, last int) ([]byte, error) {
	var all []known
	for n := first; n < last; n++ {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		key, err := plan.FactsKey(n)
		if err != nil {
			return nil, err
		}
		f, err := plan.Facts(n, key)
		if err != nil {
			return nil, err
		}
		all = append(all, known{key, f.Bytes()})
	}
	return encoded(all)
}

func encoded(v any) ([]byte, error) {
	var out bytes.Buffer
	err := gob.NewEncoder(&out).Encode(v)
	return out.Bytes(), err
}

func decoded(data []byte, into any) error {
	if err := gob.NewDecoder(bytes.NewReader(data)).Decode(into); err != nil {
		return fmt.Errorf("read a part: %w", err)
	}
	return nil
}

// encode makes a piece of the file. What is applied to the mix begins at a frame.
func (o Order) encode(ctx context.Context, plan *mix.Plan, begins audio.Frames, s master.Stretch, p Part, dir string) ([]byte, error) {
	if !o.Setting.InParts() {
		return nil, errors.New("this format is not made in parts")
	}
	cut := media.NewParts(o.Setting, s.Length())
	if p.Number < 0 || p.Number >= cut.Count() {
		return nil, fmt.Errorf("there is no part %d of the file", p.Number)
	}
	m, err := master.ParsePart(p.With)
	if err != nil {
		return nil, err
	}
	from, to := cut.Window(p.Number)
	all := audio.NewPCM(s.Channels, to-from)
	at := audio.Frames(0)
	if err := plan.Each(ctx, s.From+from, s.From+to, func(piece audio.PCM) error {
		piece = master.Fold(piece, s.Channels)
		m.Apply(piece, s.From-begins+from+at)
		for c := range piece {
			copy(all[c][at:], piece[c])
		}
		at += piece.Length()
		return nil
	}); err != nil {
		return nil, err
	}
	made, err := cut.Encode(ctx, dir, p.Number, all, o.loud())
	if err != nil {
		return nil, err
	}
	return encoded(made)
}

// loud is the amplitude from which true peaks of the file are of interest.
func (o Order) loud() float32 {
	if o.Target == nil {
		return 1
	}
	return float32(audio.DB(o.Target.TruePeak).Gain())
}

// measureInParts is measure by many hands.
func (o Order) measureInParts(ctx context.Context, plan *mix.Plan, of master.Stretch, progress func(float64)) (c master.Course, err error) {
	var parts []Part
	for n := 0; n*perPart < master.Blocks(of.Length()); n++ {
		parts = append(parts, Part{Kind: Measured, Number: n})
	}
	whole := isWhole(plan, of)
	err = o.Hands.Make(ctx, parts, func(n int, made []byte) error {
		progress(float64(n+1) / float64(len(parts)))
		if !whole {
			var next master.Course
			if err := decoded(made, &next); err != nil {
				return err
			}
			c = c.Then(next)
			return nil
		}
		var all []known
		if err := decoded(made, &all); err != nil {
			return err
		}
		for _, k := range all {
			if !plan.LearnFacts(k.Key, k.Facts) {
				return errors.New("what was measured elsewhere cannot be read")
			}
		}
		return nil
	})
	if err != nil || !whole {
		return c, err
	}
	m, err := plan.Measure(ctx)
	return m.Course(2), err
}

// writeInParts is write by many hands.
func (o Order) writeInParts(ctx context.Context, s master.Stretch, begins audio.Frames, m *master.Master, path string, progress func(float64)) (master.Course, error) {
	cut := media.NewParts(o.Setting, s.Length())
	parts := make([]Part, cut.Count())
	for n := range parts {
		from, to := cut.Window(n)
		with, err := m.Part(s.From-begins+from, s.From-begins+to)
		if err != nil {
			return master.Course{}, err
		}
		parts[n] = Part{Kind: Encoded, Number: n, With: with}
	}
	making, stop := context.WithCancel(ctx)
	defer stop()
	came, ended := make(chan []byte), make(chan error, 1)
	go func() {
		ended <- o.Hands.Make(making, parts, func(_ int, made []byte) error {
			select {
			case came <- made:
				return nil
			case <-making.Done():
				return making.Err()
			}
		})
	}()
	c, err := cut.Join(making, path, o.Label, func(n int) (part media.Part, err error) {
		select {
		case made := <-came:
			progress(toMeasure + (1-toMeasure)*float64(n+1)/float64(len(parts)))
			return part, decoded(made, &part)
		case err := <-ended:
			ended <- err
			return part, errors.Join(err, errors.New("a part is missing"))
		}
	})
	stop()
	made := <-ended
	switch {
	case ctx.Err() != nil:
		return c, ctx.Err()
	case made != nil && !errors.Is(made, context.Canceled):
		return c, made
	}
	return c, err
}
