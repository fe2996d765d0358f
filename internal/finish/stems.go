package finish

import (
	"archive/zip"
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"

	"ruvel/core/audio"
	"ruvel/core/master"
	"ruvel/core/mix"
	"ruvel/internal/media"
)

// parts of a mix, as mix.Renderer renders them.
var parts = [3]string{"voice", "music", "effects"}

// writeStems makes an archive of one file for each part. Each is as long as the mix, and what is done to the mix is done to
// each, so that together they are what the mix is. Their sum is measured.
func writeStems(ctx context.Context, plan *mix.Plan, s master.Stretch, after audio.Frames, m *master.Master, o Order, path string, progress func(float64)) (came master.Course, err error) {
	dir := filepath.Dir(path)
	setting := o.Setting
	setting.Format, _ = media.FindFormat("wav-24")
	var sinks [3]media.Sink
	var files [3]string
	defer func() {
		for i, sink := range sinks {
			if sink != nil {
				err = errors.Join(err, sink.Close())
			}
			if files[i] != "" {
				_ = os.Remove(files[i])
			}
		}
	}()
	for i, part := range parts {
		files[i] = filepath.Join(dir, part+".wav")
		label := o.Label
		label.Title += " (" + part + ")"
		if sinks[i], err = media.Create(ctx, files[i], setting, label, nil); err != nil {
			return came, err
		}
	}
	if came, err = renderStems(ctx, plan, s, after, m, &sinks, func(p float64) { progress(0.8 * p) }); err != nil {
		return came, err
	}
	for i := range sinks {
		closed := sinks[i].Close()
		sinks[i] = nil
		if closed != nil {
			return came, closed
		}
	}
	return came, pack(ctx, path, files[:], o.Name, func(p float64) { progress(0.8 + 0.2*p) })
}

// renderStems writes each part of a stretch where it belongs, and listens to their sum.
func renderStems(ctx context.Context, plan *mix.Plan, s master.Stretch, after audio.Frames, m *master.Master, sinks *[3]media.Sink, progress func(float64)) (came master.Course, err error) {
	const piece = 10 * audio.Second
	var room [3]audio.PCM
	for i := range room {
		room[i] = audio.NewPCM(2, piece)
	}
	sum := audio.NewPCM(s.Channels, piece)
	listener := master.NewListener(s.Channels, 1)
	render := mix.NewRenderer(plan)
	for at := audio.Frames(0); at < s.Length(); at += piece {
		if err := ctx.Err(); err != nil {
			return came, err
		}
		n := min(piece, s.Length()-at)
		var pieces [3]audio.PCM
		for i := range pieces {
			room[i].Clear()
			pieces[i] = room[i].Slice(0, n)
		}
		if err := render.RenderParts(pieces, s.From+at); err != nil {
			return came, err
		}
		whole := sum.Slice(0, n)
		whole.Clear()
		for i := range pieces {
			stem := master.Fold(pieces[i], s.Channels)
			m.Apply(stem, after+at)
			for c := range whole {
				for k, v := range stem[c] {
					whole[c][k] += v
				}
			}
			if err := sinks[i].Write(stem); err != nil {
				return came, err
			}
		}
		listener.Write(whole)
		progress((at + n).Seconds() / s.Length().Seconds())
	}
	return listener.Course(), nil
}

// pack puts files into an archive as they are, under the name of the order, and takes each away when it is in.
func pack(ctx context.Context, path string, files []string, name string, progress func(float64)) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	archive := zip.NewWriter(f)
	add := func(file string) error {
		in, err := os.Open(file)
		if err != nil {
			return err
		}
		defer in.Close()
		to, err := archive.CreateHeader(&zip.FileHeader{Name: name + " - " + filepath.Base(file), Method: zip.Store})
		if err != nil {
			return err
		}
		if _, err := io.Copy(to, in); err != nil {
			return err
		}
		return os.Remove(file)
	}
	for i, file := range files {
		if err = ctx.Err(); err == nil {
			err = add(file)
		}
		if err != nil {
			break
		}
		progress(float64(i+1) / float64(len(files)))
	}
	return errors.Join(err, archive.Close(), f.Close())
}
