package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"
)

// person is somebody who works with a Ruvel from a browser: what is no answer, or one that says that it is to be tried again, they try again.
type person struct {
	house  *house
	name   string
	cookie string
	client *http.Client
}

// give up on a request that nothing is heard of.
const impatience = 8 * time.Second

func newPerson(h *house, name string) *person {
	return &person{house: h, name: name, client: &http.Client{Timeout: impatience, Transport: &http.Transport{MaxIdleConnsPerHost: 4}}}
}

// refused is an answer that says no.
type refused struct {
	status  int
	code    string
	current int64
	said    string
}

func (r *refused) Error() string { return fmt.Sprintf("%d %s: %s", r.status, r.code, r.said) }

// isRefused says whether an error is an answer that trying again changes nothing about.
func isRefused(err error) bool {
	var r *refused
	return errors.As(err, &r) && r.status < 500 && r.status != http.StatusTooManyRequests && r.status != http.StatusRequestTimeout && r.code != "cancelled"
}

// send asks once.
func (p *person) send(ctx context.Context, method, path string, body io.Reader, header ...string) (*http.Response, error) {
	r, err := http.NewRequestWithContext(ctx, method, p.house.address+"/api"+path, body)
	if err != nil {
		return nil, err
	}
	if p.cookie != "" {
		r.Header.Set("Cookie", p.cookie)
	}
	r.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(header); i += 2 {
		r.Header.Set(header[i], header[i+1])
	}
	answer, err := p.client.Do(r)
	if err != nil {
		return nil, err
	}
	if answer.StatusCode < 400 {
		return answer, nil
	}
	defer answer.Body.Close()
	said, _ := io.ReadAll(answer.Body)
	no := &refused{status: answer.StatusCode, said: strings.TrimSpace(string(said))}
	var problem struct {
		Code    string `json:"code"`
		Current int64  `json:"current"`
	}
	if json.Unmarshal(said, &problem) == nil {
		no.code, no.current = problem.Code, problem.Current
	}
	return nil, no
}

// once asks once, and reads the answer.
func (p *person) once(ctx context.Context, method, path string, in, out any) error {
	var body io.Reader
	if in != nil {
		data, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(data)
	}
	answer, err := p.send(ctx, method, path, body)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	if c := answer.Header.Get("Set-Cookie"); c != "" {
		p.cookie, _, _ = strings.Cut(c, ";")
	}
	if out == nil {
		_, err = io.Copy(io.Discard, answer.Body)
		return err
	}
	return json.NewDecoder(answer.Body).Decode(out)
}

// retries is how long it is waited before something is tried again.
const retries = 150 * time.Millisecond

// until asks until there is an answer. It is for what may be asked twice.
func (p *person) until(ctx context.Context, method, path string, in, out any) error {
	for {
		err := p.once(ctx, method, path, in, out)
		if err == nil || isRefused(err) || ctx.Err() != nil {
			return err
		}
		pause(ctx, retries)
	}
}

// pause waits for a while, or until the context ends.
func pause(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// comesIn lets somebody in by a link.
func (p *person) comesIn(ctx context.Context, link string) error {
	return p.once(ctx, http.MethodPost, "/invitations/accept", map[string]any{"link": link, "name": p.name, "signIn": strings.ToLower(p.name), "password": "the lamp is lit at dusk"}, nil)
}
