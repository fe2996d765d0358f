package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"time"
)

var firstLink = regexp.MustCompile(`/join#(\S+)`)

// openRuvels begins three Ruvels, each with a folder of its own in which nothing lies that matters.
func (h *house) openRuvels(ctx context.Context, p programs) error {
	free, err := ports(three)
	if err != nil {
		return err
	}
	for k := range three {
		rests, err := h.rests(k)
		if err != nil {
			return err
		}
		if h.toRuvel[k], err = h.line(at(free[k])); err != nil {
			return err
		}
		name := fmt.Sprintf("ruvel-%d", k+1)
		dir, err := h.sub(name, nil)
		if err != nil {
			return err
		}
		program := p.ruvel
		said := make(chan string, 1)
		m := &member{kind: "ruvel", name: name, dir: h.dir}
		m.command = func() *exec.Cmd {
			cmd := exec.Command(program, append([]string{"serve", "--people", "--no-demo", "--data", dir, "--port", strconv.Itoa(free[k]), "--keep-free", "0"}, rests...)...)
			cmd.Env = append(os.Environ(), "AWS_ACCESS_KEY_ID="+storeKey, "AWS_SECRET_ACCESS_KEY="+storeSecret, "AWS_EC2_METADATA_DISABLED=true", "GOMAXPROCS="+strconv.Itoa(max(1, p.cores)))
			cmd.Stdout = printed(said)
			return cmd
		}
		m.serves = func(ctx context.Context) error { return answers(ctx, "http://"+at(free[k])+"/api/health") }
		h.ruvels[k] = m
		if err := m.begin(ctx); err != nil {
			return err
		}
		select {
		case h.link = <-said: // the newest is good
		case <-time.After(10 * time.Second):
			return errors.New("no link for the first person was printed")
		}
	}
	return nil
}

// rests says what a Ruvel rests on, each by a line of its own.
func (h *house) rests(k int) ([]string, error) {
	own := func(to string) (string, error) {
		l, err := h.line(to)
		if err != nil {
			return "", err
		}
		h.fromRuvel[k] = append(h.fromRuvel[k], l)
		return l.address(), nil
	}
	var nodes, servers []string
	for i := range three { // each has another one that it asks first
		node, err := own(h.nodes[(k+i)%three])
		if err != nil {
			return nil, err
		}
		server, err := own(h.nats[(k+i)%three])
		if err != nil {
			return nil, err
		}
		nodes, servers = append(nodes, node), append(servers, "nats://"+server)
	}
	store, err := own(h.storeAt)
	bucket := url.Values{"endpoint": {"http://" + store}, "region": {"eu"}, "use_path_style": {"true"}}
	return []string{
		"--database", databaseUser + ":" + databasePassword + "@tcp(" + strings.Join(nodes, ",") + ")/ruvel", "--nats", strings.Join(servers, ","), "--bucket", "s3://originals?" + bucket.Encode(),
	}, err
}

// printed takes what a Ruvel prints, and hands on the link for the first person.
func printed(link chan<- string) io.Writer {
	r, w := io.Pipe()
	go func() {
		lines := bufio.NewScanner(r)
		for lines.Scan() {
			if m := firstLink.FindStringSubmatch(lines.Text()); m != nil {
				select {
				case link <- m[1]:
				default:
				}
			}
		}
	}()
	return w
}

// openFront begins the web server that everybody reaches: whoever is ready is asked in turn.
func (h *house) openFront(ctx context.Context, _ programs) error {
	free, err := ports(1)
	if err != nil {
		return err
	}
	h.address = "http://" + at(free[0])
	var servers strings.Builder
	for k, l := range h.toRuvel {
		fmt.Fprintf(&servers, "  server ruvel-%d %s\n", k+1, l.address())
	}
	text := fmt.Sprintf(`defaults
  mode http
  timeout connect 1s
  timeout client 1h
  timeout server 1h
  timeout check 1s
  option redispatch 1
  retries 2
frontend desk
  bind %s
  option forwardfor
  default_backend ruvels
backend ruvels
  balance roundrobin
  option httpchk
  http-check send meth GET uri /api/health hdr Host localhost
  default-server check inter 500ms fall 2 rise 1 on-marked-down shutdown-sessions
%s`, at(free[0]), servers.String())
	config := filepath.Join(h.dir, "front.cfg")
	if err := os.WriteFile(config, []byte(text), 0o600); err != nil {
		return err
	}
	h.front = &member{
		kind: "front", name: "front", dir: h.dir,
		command: func() *exec.Cmd { return exec.Command("haproxy", "-db", "-f", config) },
		serves:  func(ctx context.Context) error { return answers(ctx, h.address+"/api/health") },
	}
	return h.front.begin(ctx)
}
