package main

import (
	"context"
	"os"
	"path/filepath"
	"slices"
)

// of each of these there are three.
const three = 3

// programs are those that the members run, besides what Debian has.
type programs struct {
	ruvel, queue, store string
	cores               int // that each Ruvel uses
}

// house is a Ruvel on many machines, all of which are this one: three nodes of a database, three servers of a queue, a store of files, a web
// server in front, and three Ruvels. Each Ruvel has lines of its own to all that it rests on.
type house struct {
	dir string
	programs
	address string // of the web server in front
	link    string // by which the first person comes in

	databases, queues, ruvels [three]*member
	files, front              *member
	nodes, nats               [three]string // addresses of the database's nodes, and of the queue's servers
	storeAt                   string
	toRuvel                   [three]*line      // from the front
	fromRuvel                 [three][]*line    // to all that it rests on
	between                   [three][2][]*line // of the queue's servers: those that come in, and those that go out
	lines                     []*line
}

const (
	databaseUser, databasePassword = "ruvel", "foghorn"
	storeKey, storeSecret          = "harbour", "fog horn at night"
)

// open begins a house in an empty folder.
func open(ctx context.Context, dir string, p programs) (*house, error) {
	if err := os.MkdirAll(dir, 0o711); err != nil {
		return nil, err
	}
	h := &house{dir: dir, programs: p}
	for _, begin := range []func(context.Context, programs) error{h.openDatabase, h.openQueue, h.openStore, h.openRuvels, h.openFront} {
		if err := begin(ctx, p); err != nil {
			h.close()
			return nil, err
		}
	}
	return h, nil
}

// close ends all members, the later ones first.
func (h *house) close() {
	for _, m := range slices.Backward(h.members()) {
		if m != nil {
			m.end()
		}
	}
	for _, l := range h.lines {
		l.close()
	}
}

func (h *house) members() []*member {
	return slices.Concat(h.databases[:], h.queues[:], []*member{h.files}, h.ruvels[:], []*member{h.front})
}

func (h *house) line(to string) (*line, error) {
	l, err := newLine(to)
	if err == nil {
		h.lines = append(h.lines, l)
	}
	return l, err
}

// sub makes a folder, for a user.
func (h *house) sub(name string, of *owner) (string, error) {
	path := filepath.Join(h.dir, name)
	if err := os.MkdirAll(path, 0o700); err != nil {
		return "", err
	}
	if of != nil {
		return path, os.Chown(path, int(of.uid), int(of.gid))
	}
	return path, nil
}
