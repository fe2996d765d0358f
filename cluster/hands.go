package main

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"
)

// desk is an episode on which several work, with what they have been told of it.
type desk struct {
	id string

	mu      sync.Mutex
	version int64           // the newest that was acknowledged
	since   time.Time       // then
	marks   map[string]bool // names of markers that were acknowledged: there, or removed again
}

func (d *desk) acknowledged(version int64, name string, there bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if version > d.version {
		d.version, d.since = version, time.Now()
	}
	d.marks[name] = there
}

// work is what all hands have done, and what they were told.
type work struct {
	tally   *tally
	show    string
	desks   []*desk
	played  string // the episode that is heard and mixed
	uploads sync.Map
	takes   sync.Map
	files   sync.Map // digests of what was heard and made, by what it is of
}

// edits puts markers on a desk, and takes some of them away again, as long as the context lasts. What was begun is brought to its end.
func (w *work) edits(ctx context.Context, p *person, d *desk) error {
	last := context.WithoutCancel(ctx)
	base := int64(1)
	type mark struct{ id, name string }
	var mine []mark
	for n := 0; ctx.Err() == nil; n++ {
		op := map[string]any{"type": "add-marker", "at": rand.IntN(48000 * 600), "name": fmt.Sprintf("%s %d", p.name, n)}
		name, there := op["name"].(string), true
		var of mark
		if len(mine) > 150 {
			of, mine = mine[0], mine[1:]
			op, name, there = map[string]any{"type": "remove-markers", "markers": []string{of.id}}, of.name, false
		}
		change, err := w.edit(last, p, d.id, &base, op)
		if err != nil {
			return fmt.Errorf("%s: %w", p.name, err)
		}
		d.acknowledged(change.Version, name, there)
		if there {
			for _, step := range change.Patch {
				if id, is := strings.CutPrefix(step.Path, "/markers/"); is && step.Op == "add" {
					mine = append(mine, mark{id, name}) // an answer to what had arrived before has no patch: that marker stays
				}
			}
		}
		pause(ctx, time.Duration(80+rand.IntN(80))*time.Millisecond)
	}
	return nil
}

// change is what is answered to an edit.
type change struct {
	Version int64 `json:"version"`
	Patch   []struct {
		Op   string `json:"op"`
		Path string `json:"path"`
	} `json:"patch"`
}

// edit sends an edit until it has been acknowledged: on another version where somebody was first, and once more where nothing was heard.
func (w *work) edit(ctx context.Context, p *person, episode string, base *int64, op map[string]any) (c change, err error) {
	gesture, again, begun := uuid.NewString(), false, time.Now()
	for {
		c = change{}
		err := p.once(ctx, http.MethodPost, "/episodes/"+episode+"/edits", map[string]any{"base": *base, "gesture": gesture, "again": again, "op": op}, &c)
		var no *refused
		switch {
		case err == nil:
			*base = c.Version
			w.tally.edited(begun, time.Now())
			return c, nil
		case errors.As(err, &no) && no.status == http.StatusConflict && no.current > 0:
			*base = no.current
			continue
		case isRefused(err):
			return c, err
		}
		again = true
		pause(ctx, retries)
	}
}

// noise are bytes of a WAV file, mono, 16 bits, of so many seconds, like no other.
func noise(seconds int) []byte {
	n := seconds * 48000
	out := []byte("RIFF\x00\x00\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00\x01\x00")
	out = binary.LittleEndian.AppendUint32(out, 48000)
	out = binary.LittleEndian.AppendUint32(out, 96000)
	out = append(out, 2, 0, 16, 0, 'd', 'a', 't', 'a')
	out = binary.LittleEndian.AppendUint32(out, uint32(2*n))
	for range n {
		out = binary.LittleEndian.AppendUint16(out, uint16(int16(rand.NormFloat64()*2000)))
	}
	binary.LittleEndian.PutUint32(out[4:], uint32(len(out)-8))
	return out
}

// upload sends a file piece by piece, wherever its last piece was taken in, and waits until it is a sound. It gives its id.
func (w *work) upload(ctx context.Context, p *person, name string, file []byte, place map[string]string) (sound string, err error) {
	meta := map[string]string{"filename": name, "show": w.show}
	for k, v := range place {
		meta[k] = v
	}
	var said []string
	for k, v := range meta {
		said = append(said, k+" "+base64.StdEncoding.EncodeToString([]byte(v)))
	}
	var location string
	for location == "" {
		answer, err := p.send(ctx, http.MethodPost, "/uploads/", nil, "Tus-Resumable", "1.0.0", "Upload-Length", strconv.Itoa(len(file)), "Upload-Metadata", strings.Join(said, ","))
		if isRefused(err) {
			return "", err
		}
		if err != nil { // it may have been announced: then nothing comes of it, and it goes by its age
			pause(ctx, retries)
			continue
		}
		answer.Body.Close()
		location = answer.Header.Get("Location")
	}
	id := location[strings.LastIndexByte(location, '/')+1:]
	for come := 0; come < len(file); {
		answer, err := p.send(ctx, http.MethodPatch, "/uploads/"+id, bytes.NewReader(file[come:min(len(file), come+512<<10)]), "Tus-Resumable", "1.0.0", "Upload-Offset", strconv.Itoa(come), "Content-Type", "application/offset+octet-stream")
		if err == nil {
			answer.Body.Close()
			come, err = strconv.Atoi(answer.Header.Get("Upload-Offset"))
			if err != nil {
				return "", err
			}
			continue
		}
		pause(ctx, retries)
		if answer, err = p.send(ctx, http.MethodHead, "/uploads/"+id, nil, "Tus-Resumable", "1.0.0"); err == nil {
			answer.Body.Close()
			if here, err := strconv.Atoi(answer.Header.Get("Upload-Offset")); err == nil {
				come = here
			}
		} else if isRefused(err) {
			return "", fmt.Errorf("an upload is gone of which %d bytes were acknowledged: %w", come, err)
		}
	}
	if err := w.ended(ctx, p, id); err != nil {
		return "", err
	}
	sum := sha256.Sum256(file)
	return hex.EncodeToString(sum[:]), nil
}

type job struct {
	State   string `json:"state"`
	Problem struct {
		Message string `json:"message"`
	} `json:"problem"`
}

// ended waits until a job is done.
func (w *work) ended(ctx context.Context, p *person, id string) error {
	begun := time.Now()
	for {
		var j job
		err := p.until(ctx, http.MethodGet, "/jobs/"+id, nil, &j)
		var no *refused
		missing := errors.As(err, &no) && no.status == http.StatusNotFound && time.Since(begun) < time.Minute // it is taken up soon
		switch {
		case err != nil && !missing:
			return fmt.Errorf("a job that was begun: %w", err)
		case j.State == "failed" || j.State == "cancelled":
			return fmt.Errorf("a job has %s: %s", j.State, j.Problem.Message)
		case j.State == "done":
			w.tally.did("jobs", time.Since(begun))
			return nil
		}
		pause(ctx, 100*time.Millisecond)
	}
}

// uploading sends files as long as the context lasts.
func (w *work) uploading(ctx context.Context, p *person) error {
	last := context.WithoutCancel(ctx)
	for n := 0; ctx.Err() == nil; n++ {
		name := fmt.Sprintf("Tide %d", n)
		sound, err := w.upload(last, p, name+".wav", noise(20), nil)
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		w.uploads.Store(sound, name)
		pause(ctx, time.Second)
	}
	return nil
}

// records takes as long as the context lasts.
func (w *work) records(ctx context.Context, p *person, d *desk, track string) error {
	last := context.WithoutCancel(ctx)
	const chunks, samples = 20, 4800
	for n := 0; ctx.Err() == nil; n++ {
		var take struct {
			ID string `json:"id"`
		}
		if err := p.until(last, http.MethodPost, "/episodes/"+d.id+"/takes", map[string]any{"track": track, "begins": n * 48000 * 3, "rate": 48000, "channels": 1}, &take); err != nil {
			return fmt.Errorf("begin a take: %w", err)
		}
		for seq := range chunks {
			data := make([]byte, 4*samples)
			for i := range samples {
				binary.LittleEndian.PutUint32(data[4*i:], math.Float32bits(float32(rand.NormFloat64()/20)))
			}
			for {
				answer, err := p.send(last, http.MethodPost, fmt.Sprintf("/takes/%s/%d", take.ID, seq), bytes.NewReader(data), "Content-Type", "application/octet-stream")
				if err == nil {
					answer.Body.Close()
					break
				}
				if isRefused(err) {
					return fmt.Errorf("chunk %d of a take: %w", seq, err)
				}
				pause(last, retries)
			}
			pause(ctx, 50*time.Millisecond)
		}
		var j struct {
			ID string `json:"id"`
		}
		if err := p.until(last, http.MethodPost, "/takes/"+take.ID+"/finish", map[string]any{"chunks": chunks}, &j); err != nil && !isClosed(err) {
			return fmt.Errorf("finish a take: %w", err)
		}
		w.takes.Store(take.ID, [2]any{d.id, int64(chunks * samples)})
		pause(ctx, time.Second)
	}
	return nil
}

// isClosed is true where an ending that was sent again had been taken in the first time.
func isClosed(err error) bool {
	var no *refused
	return errors.As(err, &no) && no.code == "take-closed"
}

// mixes has the episode that nobody changes mixed down as long as the context lasts: each file must be the same as the first of its kind.
func (w *work) mixes(ctx context.Context, p *person) error {
	last := context.WithoutCancel(ctx)
	for ctx.Err() == nil {
		var begun struct {
			Jobs []struct {
				ID string `json:"id"`
			} `json:"jobs"`
		}
		files := []map[string]any{{"format": "mp3"}, {"format": "wav-24"}}
		if err := p.once(last, http.MethodPost, "/episodes/"+w.played+"/mixdowns", map[string]any{"files": files, "overrule": true}, &begun); err != nil {
			if isRefused(err) {
				return fmt.Errorf("mix down: %w", err)
			}
			pause(ctx, retries) // what was begun without its answer coming through is done all the same
			continue
		}
		for k, j := range begun.Jobs {
			if err := w.ended(last, p, j.ID); err != nil {
				return fmt.Errorf("a mixdown: %w", err)
			}
			kind := fmt.Sprint(files[k]["format"])
			if err := w.same(last, p, "/mixdowns/"+j.ID+"/file", "file "+kind); err != nil {
				return err
			}
		}
		pause(ctx, 2*time.Second)
	}
	return nil
}

// same fetches something whole, again where it broke off, and says whether it is what it was the first time.
func (w *work) same(ctx context.Context, p *person, path, what string) error {
	for {
		sum, n, err := p.digest(ctx, path)
		if err == nil {
			first, _ := w.files.LoadOrStore(what, sum)
			if first != sum {
				return fmt.Errorf("%s is not what it was (%d bytes)", what, n)
			}
			return nil
		}
		if isRefused(err) {
			return fmt.Errorf("%s: %w", what, err)
		}
		pause(ctx, retries)
	}
}

func (p *person) digest(ctx context.Context, path string) (sum [32]byte, n int64, err error) {
	answer, err := p.send(ctx, http.MethodGet, path, nil)
	if err != nil {
		return sum, 0, err
	}
	defer answer.Body.Close()
	h := sha256.New()
	if n, err = io.Copy(h, answer.Body); err != nil {
		return sum, n, err
	}
	if answer.ContentLength >= 0 && n != answer.ContentLength {
		return sum, n, io.ErrUnexpectedEOF
	}
	return [32]byte(h.Sum(nil)), n, nil
}

// listens hears stretches of the episode that nobody changes: each must be the same as the first time, from whichever process it comes.
func (w *work) listens(ctx context.Context, p *person) error {
	for ctx.Err() == nil {
		from := rand.IntN(8) * 48000 * 5
		begun := time.Now()
		sum, n, err := p.digest(ctx, fmt.Sprintf("/episodes/%s/listen?from=%d&to=%d", w.played, from, from+48000*3))
		switch {
		case ctx.Err() != nil:
			return nil
		case isRefused(err):
			return fmt.Errorf("listen: %w", err)
		case err != nil || n < 3*48000*8: // it broke off, and is heard again
			w.tally.broke()
			pause(ctx, retries)
			continue
		}
		w.tally.did("heard", time.Since(begun))
		if first, _ := w.files.LoadOrStore(fmt.Sprint("heard ", from), sum); first != sum {
			return fmt.Errorf("what is heard at %d is not what it was", from)
		}
	}
	return nil
}
