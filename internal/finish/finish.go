// Package finish makes finished files: it brings a mix to its target, writes it in a format with its details,
// measures what has become of it by reading it back, and does it again where a lossy format has put a peak
// above the ceiling. The server and the command line make the same bytes with it.
package finish

import (
	"context"
	"errors"
	"math"
	"os"
	"strings"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/master"
	"ruvel/core/mix"
	"ruvel/core/problem"
	"ruvel/core/session"
	"ruvel/internal/disk"
	"ruvel/internal/media"
)

// Order is what is wanted.
type Order struct {
	Setting  media.Setting
	From, To audio.Frames
	Target   *loudness.Target // nil: the mix is left as it is
	// Of is the stretch that is brought to the target, and of which the file is a part that stays as loud as it is in it; nil: the file itself.
	Of *session.Span
	// Course gives what was measured of that stretch before, or has it measured; nil: it is measured.
	Course func(measure func() (master.Course, error)) (master.Course, error)
	Label  media.Label
	Name   string // of the file without an ending, for those inside an archive
	// Hands make parts of it; nil: all of it is made here.
	Hands Hands
}

// Made is what has become of it.
type Made struct {
	Loudness loudness.Result `json:"-"` // measured on the file
	Gain     float64         `json:"gain" doc:"dB by which the mix was made louder"`
	master.Work
	Again int    `json:"again" doc:"How often it was written once more, because of what decoding made of its peaks or its loudness"`
	Over  bool   `json:"-"` // because of its peaks
	Off   bool   `json:"-"` // because of its loudness
	Text  string `json:"text" doc:"What was done, in words"`
	// Outline are the heights of the silhouette of what has become of it.
	Outline []byte `json:"-"`
}

// outlined is how many heights a silhouette has.
const outlined = 400

// Parts of the progress: measuring the mix, writing the file, measuring it.
const (
	toMeasure = 0.15
	toWrite   = 0.70
)

// again is how often a file is written once more at most.
const again = 3

// Make writes a file to a path, in a folder of its own that other files may be laid into meanwhile. If it fails
// there is no file.
func Make(ctx context.Context, plan *mix.Plan, o Order, path string, progress func(part float64)) (made Made, err error) {
	defer func() {
		if err != nil {
			_ = os.Remove(path)
			err = disk.Full(err)
		}
	}()
	progress = onward(progress)
	if o.From < 0 || o.To > plan.Length() || o.From >= o.To {
		return made, problem.New("nothing-to-mix", "from", "There is nothing to mix down between %v and %v; the session ends at %v.", o.From, o.To, plan.Length())
	}
	of, stretch := o.span(plan)
	if of.From > o.From || of.To < o.To {
		return made, problem.New("nothing-to-mix", "from", "A part of a mix lies between %v and %v, and this one does not.", of.From, of.To)
	}
	course, err := o.course(func() (master.Course, error) {
		told := func(p float64) { progress(p * toMeasure / 2) }
		if o.Hands != nil {
			return o.measureInParts(ctx, plan, of, told)
		}
		return measure(ctx, plan, of, told)
	})
	if err != nil {
		return made, err
	}
	m := &master.Master{}
	var aim float64
	var ceiling master.Ceiling
	if o.Target != nil {
		aim, ceiling.Level = o.Target.Integrated, o.Target.TruePeak-headroom(o.Setting)
	}
	known := &media.Pieces{Loud: o.loud(), Length: stretch.Length()}
	for ; ; made.Again++ {
		if o.Target != nil {
			if m, err = master.Reach(ctx, of, course, aim, ceiling, atOnce, func(p float64) { progress(toMeasure * (0.5 + p/2)) }); err != nil {
				return made, err
			}
		}
		came, err := write(ctx, plan, stretch, of.From, m, o, path, known, progress)
		if err != nil {
			return made, err
		}
		made.Loudness, made.Outline = came.Loudness(), came.Outline(outlined)
		made.Loudness.Length = min(made.Loudness.Length, o.To-o.From)
		if !made.misses(o, m, came.Later(o.From-of.From), &aim, &ceiling) {
			break
		}
	}
	made.Gain, made.Work = m.Gain, m.Work
	made.Text = say(o, m, made)
	if o.Setting.Format.Key == "bwf" {
		err = media.WriteLoudness(path, made.Loudness)
	}
	return made, err
}

// course is that of the whole mix that a file is part of, measured or as it is known; none if there is no target.
func (o Order) course(measured func() (master.Course, error)) (master.Course, error) {
	if o.Target == nil {
		return master.Course{}, nil
	}
	if o.Course == nil {
		return measured()
	}
	return o.Course(measured)
}

// misses says whether a file that has been decoded misses the target so that it is worth making again; then aim and ceiling are what it is
// made with.
func (made *Made) misses(o Order, m *master.Master, came master.Course, aim *float64, ceiling *master.Ceiling) bool {
	if o.Target == nil || made.Again == again || made.Loudness.Integrated <= float64(audio.Silence) {
		return false
	}
	off := o.Target.Integrated - made.Loudness.Integrated
	if o.Of != nil {
		off = 0 // a part of it is as loud as it is
	}
	over := ceiling.Lower(came, o.Target.TruePeak) > 0
	soft := m.Reached && math.Abs(off) >= 0.08
	if !over && !soft {
		return false
	}
	made.Over, made.Off = made.Over || over, made.Off || soft
	if m.Reached {
		// Where the file was cut to be encoded and decoded shows in the last digits of what was measured of it, and must not in what is made of it.
		const digits = 1e6
		*aim += math.Round(off*digits) / digits
	}
	return true
}

func atOnce(do func()) { do() }

// onward is a progress that never goes back.
func onward(progress func(float64)) func(float64) {
	var most float64
	return func(p float64) {
		if p > most {
			most = p
			progress(p)
		}
	}
}

// headroom is by how much the true peak is put lower at first.
func headroom(s media.Setting) float64 {
	h := s.Headroom()
	if s.Rate != audio.Rate {
		h = max(h, 0.05) // sampled elsewhere, its peaks are a little higher
	}
	return h
}

// measure takes what is known of the whole mix, where that is what is delivered.
func measure(ctx context.Context, plan *mix.Plan, s master.Stretch, progress func(float64)) (master.Course, error) {
	if isWhole(plan, s) {
		m, err := plan.Measure(ctx)
		progress(1)
		return m.Course(2), err
	}
	return master.Along(ctx, s, atOnce, progress)
}

// Ahead is what a target will take of what was measured of a whole mix, in a file of a setting.
func Ahead(m mix.Measured, t loudness.Target, s media.Setting) master.Outlook {
	return m.Course(s.Channels).Ahead(t, t.TruePeak-headroom(s))
}

func say(o Order, m *master.Master, made Made) string {
	if o.Target == nil {
		return "The mix as it is."
	}
	out := m.Say()
	if o.Of != nil {
		out += " It is as loud as it is in the show, which was brought to the target as a whole."
	}
	if made.Over {
		out += " Decoding raised some peaks over the ceiling, so they were put lower."
	}
	if made.Off {
		out += " The format had changed the loudness a little, so it was written again to meet the target."
	}
	return strings.ReplaceAll(out, " -", " −")
}

// write makes the file of a stretch, where what is applied to it begins at a frame, and gives the course of what has become of it.
func write(ctx context.Context, plan *mix.Plan, s master.Stretch, begins audio.Frames, m *master.Master, o Order, path string, known *media.Pieces, progress func(float64)) (came master.Course, err error) {
	if o.Setting.Format.Stems {
		return writeStems(ctx, plan, s, s.From-begins, m, o, path, func(p float64) { progress(toMeasure + p*(1-toMeasure)) })
	}
	if o.Hands != nil && o.Setting.InParts() {
		return o.writeInParts(ctx, s, begins, m, path, progress)
	}
	encoding, stop := context.WithCancel(ctx)
	defer stop()
	sink, err := media.Create(encoding, path, o.Setting, o.Label, known)
	if err != nil {
		return came, err
	}
	hears := o.Setting.Heard()
	part := toWrite
	if hears {
		part = 1 - toMeasure
	}
	done := audio.Frames(0)
	err = plan.Each(ctx, s.From, s.To, func(piece audio.PCM) error {
		piece = master.Fold(piece, s.Channels)
		m.Apply(piece, s.From-begins+done)
		for at := audio.Frames(0); at < piece.Length(); at += audio.Second {
			second := piece.Slice(at, min(at+audio.Second, piece.Length()))
			if err := sink.Write(second); err != nil {
				return err
			}
			done += second.Length()
			progress(toMeasure + part*done.Seconds()/s.Length().Seconds())
		}
		return nil
	})
	if err != nil {
		stop()
	}
	closed := sink.Close()
	if ctx.Err() != nil {
		return came, ctx.Err()
	}
	if err = errors.Join(err, closed); err != nil {
		return came, err
	}
	if hears {
		return sink.(media.Heard).Course(), nil
	}
	return Listen(ctx, path, known.Loud, func(p float64) { progress(toMeasure + toWrite + p*(1-toMeasure-toWrite)) })
}

// Listen decodes a sound file and gives its course, with the true peaks that are above loud, an amplitude.
func Listen(ctx context.Context, path string, loud float32, progress func(part float64)) (master.Course, error) {
	info, err := media.Probe(ctx, path)
	if err != nil {
		return master.Course{}, err
	}
	listener := master.NewListener(info.Channels, loud)
	done := audio.Frames(0)
	_, err = media.Decode(ctx, path, info, func(pcm audio.PCM) error {
		listener.Write(pcm)
		if done += pcm.Length(); info.Expected > 0 {
			progress(min(1, done.Seconds()/info.Expected.Seconds()))
		}
		return nil
	})
	return listener.Course(), err
}
