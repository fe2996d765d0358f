package hosts

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"ruvel/internal/disk"
)

// Practice behaves like a host outside, as good and as bad as those are, so that sending can be tried
// without one. What it accepts it keeps in a folder, each file under the key of its sending.
type Practice struct {
	Dir string
	// Pause is how long it waits between two pieces of a file when it is slow; 0: a fifth of a second.
	Pause time.Duration
}

// The ways of the practice host.
const (
	Accepts   = "accepts"
	Refuses   = "refuses"
	Slow      = "slow"
	BreaksOff = "breaks-off"
)

// pieces is in how many pieces it takes a file when it is slow; breaks is how often it breaks off before it takes one.
const (
	pieces = 25
	breaks = 2
)

var _ Host = Practice{}

// Name implements Host.
func (Practice) Name() string { return "The practice host" }

// Ways implements Host.
func (Practice) Ways() []Method {
	return []Method{{Accepts, "accepts it"}, {Refuses, "refuses it"}, {Slow, "is slow"}, {BreaksOff, "breaks off twice"}}
}

// Send implements Host.
func (h Practice) Send(ctx context.Context, p Delivery) (Receipt, error) {
	dir := filepath.Join(h.Dir, filepath.Base(p.Key))
	path := filepath.Join(dir, "file"+filepath.Ext(filepath.Base(p.File)))
	if info, err := os.Stat(path); err == nil && info.Size() == p.Size { // it has arrived before, and its receipt was lost
		return receipt(path)
	}
	if p.Way == Refuses {
		return Receipt{}, Refused{"The practice host does not take this file: it was asked to refuse it."}
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return Receipt{}, disk.Full(err)
	}
	r, err := p.open(ctx)
	if err != nil {
		return Receipt{}, err
	}
	defer r.Close()
	out, err := os.Create(path + ".part")
	if err != nil {
		return Receipt{}, disk.Full(err)
	}
	defer os.Remove(out.Name())
	err = h.take(ctx, out, r, p)
	if err = errors.Join(err, out.Close()); err != nil {
		return Receipt{}, err
	}
	if err := os.Rename(out.Name(), path); err != nil {
		return Receipt{}, err
	}
	return receipt(path)
}

// take takes the bytes of a file in the way that was asked for.
func (h Practice) take(ctx context.Context, to io.Writer, from io.Reader, p Delivery) error {
	from = disk.Until(ctx, from)
	switch {
	case p.Way == BreaksOff && p.Try <= breaks:
		n, err := io.CopyN(to, from, p.Size/2)
		if err != nil {
			return err
		}
		return fmt.Errorf("the connection to the practice host broke off after %d of %d bytes", n, p.Size)
	case p.Way == Slow:
		for range pieces {
			if _, err := io.CopyN(to, from, p.Size/pieces+1); errors.Is(err, io.EOF) {
				return nil
			} else if err != nil {
				return err
			}
			select {
			case <-ctx.Done():
				return ctx.Err()
			case <-time.After(h.pause()):
			}
		}
	}
	_, err := io.Copy(to, from)
	return err
}

func (h Practice) pause() time.Duration {
	if h.Pause > 0 {
		return h.Pause
	}
	return time.Second / 5
}

// receipt says what the practice host has of a file.
func receipt(path string) (Receipt, error) {
	f, err := os.Open(path)
	if err != nil {
		return Receipt{}, err
	}
	defer f.Close()
	sum := sha256.New()
	n, err := io.Copy(sum, f)
	return Receipt{fmt.Sprintf("It has arrived whole: %d bytes, SHA-256 %s….", n, hex.EncodeToString(sum.Sum(nil))[:12])}, err
}
