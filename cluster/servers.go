package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"time"
)

// openQueue begins a NATS cluster. Its servers know each other by lines that can be cut.
func (h *house) openQueue(ctx context.Context, p programs) error {
	free, err := ports(three * 3)
	if err != nil {
		return err
	}
	for k := range three {
		var routes []string
		for other := range three {
			if other == k {
				continue
			}
			l, err := h.line(at(free[3*other+1]))
			if err != nil {
				return err
			}
			h.between[k][1], h.between[other][0] = append(h.between[k][1], l), append(h.between[other][0], l)
			routes = append(routes, strconv.Quote("nats-route://"+l.address()))
		}
		name := fmt.Sprintf("queue-%d", k+1)
		dir, err := h.sub(name, nil)
		if err != nil {
			return err
		}
		config := filepath.Join(dir, "settings")
		text := fmt.Sprintf("listen: %q\nserver_name: %q\nhttp: %q\njetstream { store_dir: %q }\nping_interval: \"1s\"\nping_max: 2\ncluster {\n  name: ruvel\n  listen: %q\n  no_advertise: true\n  cluster_advertise: \"127.0.0.1:9\"\n  routes: [%s]\n}\n",
			at(free[3*k]), name, at(free[3*k+2]), dir, at(free[3*k+1]), strings.Join(routes, ", "))
		if err := os.WriteFile(config, []byte(text), 0o600); err != nil {
			return err
		}
		program, health := p.queue, "http://"+at(free[3*k+2])+"/healthz"
		h.queues[k] = &member{
			kind: "queue", name: name, dir: h.dir, command: func() *exec.Cmd { return exec.Command(program, "-c", config) },
			serves: func(ctx context.Context) error { return answers(ctx, health) },
		}
		h.nats[k] = at(free[3*k])
	}
	for _, m := range h.queues {
		if err := m.launch(); err != nil {
			return err
		}
	}
	for _, m := range h.queues {
		if err := m.wait(ctx); err != nil {
			return err
		}
	}
	return nil
}

// answers says whether an address answers well.
func answers(ctx context.Context, address string) error {
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return err
	}
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	_, _ = io.Copy(io.Discard, answer.Body)
	if answer.StatusCode != http.StatusOK {
		return errors.New(answer.Status)
	}
	return nil
}

// openStore begins a store that is spoken to as to S3 and keeps files in a folder.
func (h *house) openStore(ctx context.Context, p programs) error {
	free, err := ports(1)
	if err != nil {
		return err
	}
	dir, err := h.sub("store", nil)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Join(dir, "originals"), 0o700); err != nil {
		return err
	}
	beside, err := h.sub("beside-store", nil) // what is known of files, which not every disk can keep with them
	if err != nil {
		return err
	}
	program := p.store
	h.storeAt = at(free[0])
	h.files = &member{
		kind: "store", name: "store", dir: h.dir,
		command: func() *exec.Cmd {
			return exec.Command(program, "--access", storeKey, "--secret", storeSecret, "--region", "eu", "--keep-alive", "--port", h.storeAt, "--health", "/health", "--quiet", "posix", "--sidecar", beside, dir)
		},
		serves: func(ctx context.Context) error { return answers(ctx, "http://"+h.storeAt+"/health") },
	}
	return h.files.begin(ctx)
}
