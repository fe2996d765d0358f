package media

import (
	"context"
	"errors"
	"io"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"

	"ruvel/core/audio"
	"ruvel/core/dither"
	"ruvel/core/master"
)

// Sink takes sound at 48 kHz, piece by piece in order, and makes a file of it. The pieces are valid during the
// call alone. Only if Close returns nil is the file complete; whoever gets an error from it, or from Write,
// closes it all the same and removes the file.
type Sink interface {
	Write(pcm audio.PCM) error
	Close() error
}

// Heard is a sink that has listened to what it has written, as it is when it is decoded.
type Heard interface {
	// Course is that of the finished file, after Close.
	Course() master.Course
}

// Create begins a file, in a folder that it may lay other files into. The context ends it. What is known of pieces that
// have been encoded before, or nil, is used again, and added to.
func Create(ctx context.Context, path string, s Setting, label Label, known *Pieces) (Sink, error) {
	sink, err := create(ctx, path, s, label, known)
	if err != nil || s.Rate == audio.Rate {
		return sink, err
	}
	return newResampler(ctx, filepath.Dir(path), s.Rate, s.Channels, sink)
}

func create(ctx context.Context, path string, s Setting, label Label, known *Pieces) (Sink, error) {
	switch s.Format.how {
	case asWAV, asBWF:
		return newWAV(path, s, &label, known)
	case asMP3:
		return newMP3(ctx, path, s, &label, known)
	}
	return newOther(ctx, path, s, &label, known)
}

// interleaved appends the samples of a piece as ffmpeg takes them.
func interleaved(out []byte, pcm audio.PCM) []byte {
	return louder(out, pcm, 1)
}

// other is a file that ffmpeg writes in one go.
type other struct {
	encoder
	quantise *dither.Quantiser // of a format that keeps samples as whole numbers
	beside   []string          // files that it has been made with
	listens  *overheard        // to a stream
	hearing  *hearing          // of samples as they are kept
	course   master.Course
}

func newOther(ctx context.Context, path string, s Setting, label *Label, known *Pieces) (*other, error) {
	o := &other{}
	input, codec, quantise := s.codec()
	o.quantise = quantise
	dir := filepath.Dir(path)
	mp4 := s.Format.Extension == "m4a"
	fields := label.comments(s.Format.how != asFLAC)
	if mp4 {
		fields = label.boxes()
	}
	details, err := label.metadata(dir, fields, mp4)
	if err != nil {
		return nil, err
	}
	o.beside = append(o.beside, details)
	// Where ffmpeg has several inputs it sleeps for 10 ms whenever the short queue of one is empty; a long one never is.
	args := []string{"-v", "error", "-y", "-thread_queue_size", "1024", "-f", input, "-ar", strconv.Itoa(s.Rate), "-ac", strconv.Itoa(s.Channels), "-i", "pipe:0", "-f", "ffmetadata", "-i", details}
	cover, covered := label.Pictures[label.Artwork]
	if covered = covered && (mp4 || s.Format.how == asFLAC); covered {
		picture := filepath.Join(dir, "cover"+map[string]string{"image/png": ".png"}[cover.Type])
		if err := os.WriteFile(picture, cover.Data, 0o600); err != nil {
			return nil, err
		}
		o.beside = append(o.beside, picture)
		args = append(args, "-f", map[string]string{"image/png": "png_pipe"}[cover.Type]+map[bool]string{true: "jpeg_pipe"}[cover.Type != "image/png"], "-i", picture)
	}
	args = append(args, "-map", "0:a", "-map_metadata", "1", "-map_chapters", "1")
	if covered {
		args = append(args, "-map", "2:v", "-c:v", "copy", "-disposition:v", "attached_pic")
	}
	args = append(append(args, codec...), "-fflags", "+bitexact", "-flags:a", "+bitexact")
	args = append(args, s.container(label)...)
	if !s.Format.streams() {
		if o.quantise != nil {
			o.hearing = hear(s, o.quantise.Bytes, known)
		}
		return o, o.start(ctx, append(args, path), dir)
	}
	var stream io.ReadCloser
	if err := o.startWith(ctx, append(args, "pipe:1"), dir, func(cmd *exec.Cmd) (err error) {
		stream, err = cmd.StdoutPipe()
		return err
	}); err != nil {
		return nil, err
	}
	o.listens, err = overhear(ctx, stream, path, s, known.loud())
	return o, err
}

// codec says to ffmpeg in which form it is given samples and what it makes of them, and what makes whole numbers of them; nil: nothing does.
func (s Setting) codec() (input string, args []string, quantise *dither.Quantiser) {
	switch {
	case s.Format.how != asFLAC:
		return "f32le", s.Quality.args(s.Quality.Rate[s.Channels-1]), nil
	case s.Format.bits == 16:
		return "s16le", []string{"-c:a", "flac", "-sample_fmt", "s16"}, &dither.Quantiser{Bits: 16, Bytes: 2}
	}
	return "s32le", []string{"-c:a", "flac", "-sample_fmt", "s32", "-bits_per_raw_sample", "24"}, &dither.Quantiser{Bits: 24, Bytes: 4}
}

// container says to ffmpeg what the file is that the sound lies in.
func (s Setting) container(label *Label) []string {
	switch {
	case s.Format.Extension == "m4a":
		// In a movie that counts in frames, the edit list says the length to the frame, and not to the millisecond.
		args := []string{"-f", "ipod", "-movflags", "+faststart", "-movie_timescale", strconv.Itoa(s.Rate)}
		if language := label.spoken(); language != "" {
			args = append(args, "-metadata:s:a:0", "language="+language)
		}
		return args
	case s.Format.how == asFLAC:
		return []string{"-f", "flac"}
	case s.Format.Key == "opus":
		return []string{"-f", "opus", "-serial_offset", strconv.Itoa(label.serial())}
	}
	return []string{"-f", "ogg", "-serial_offset", strconv.Itoa(label.serial())}
}

// Course is that of the finished file, if it has been listened to.
func (o *other) Course() master.Course { return o.course }

func (o *other) Write(pcm audio.PCM) error {
	if o.quantise == nil {
		return o.encoder.Write(pcm)
	}
	o.buffer = o.quantise.Append(o.buffer[:0], pcm)
	o.hearing.write(o.buffer)
	return o.hand()
}

func (o *other) Close() (err error) {
	if o.listens != nil {
		_ = o.in.Close()
		err = o.listens.written()
	}
	o.course = o.hearing.end()
	err = errors.Join(err, o.encoder.Close())
	if o.listens != nil {
		var heard error
		o.course, heard = o.listens.course()
		err = errors.Join(err, heard)
	}
	for _, path := range o.beside {
		_ = os.Remove(path)
	}
	return err
}

// resampler hands sound on to a sink at another rate.
type resampler struct {
	encoder
	pipe io.ReadCloser
	to   Sink
	done chan error
}

// A longer filter than ffmpeg's own leaves nothing to hear.
const clean = "filter_size=64:cutoff=0.97:filter_type=kaiser:kaiser_beta=12"

func newResampler(ctx context.Context, dir string, rate, channels int, to Sink) (*resampler, error) {
	r := &resampler{to: to, done: make(chan error, 1)}
	n := strconv.Itoa(channels)
	args := []string{"-v", "error", "-f", "f32le", "-ar", strconv.Itoa(audio.Rate), "-ac", n, "-i", "pipe:0", "-af", "aresample=" + strconv.Itoa(rate) + ":" + clean, "-f", "f32le", "pipe:1"}
	err := r.startWith(ctx, args, dir, func(cmd *exec.Cmd) (err error) {
		if r.pipe, err = cmd.StdoutPipe(); err == nil {
			widen(r.pipe)
		}
		return err
	})
	if err != nil {
		return nil, errors.Join(err, to.Close())
	}
	go func() {
		_, err := read(r.pipe, channels, math.MaxInt64, to.Write)
		if err != nil {
			_ = r.pipe.Close() // whoever writes is told
		}
		r.done <- err
	}()
	return r, nil
}

func (r *resampler) Write(pcm audio.PCM) error {
	err := r.encoder.Write(pcm)
	if err != nil {
		select {
		case first := <-r.done:
			r.done <- first
			return errors.Join(first, err)
		default:
		}
	}
	return err
}

// Course is that of the file, if it has been listened to.
func (r *resampler) Course() master.Course {
	if heard, has := r.to.(Heard); has {
		return heard.Course()
	}
	return master.Course{}
}

func (r *resampler) Close() error {
	_ = r.in.Close()
	err := <-r.done
	return errors.Join(err, r.encoder.Close(), r.to.Close())
}
