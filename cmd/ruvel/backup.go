package main

import (
	"bytes"
	"cmp"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"ruvel/core/details"
	"ruvel/core/problem"
	"ruvel/internal/archive"
	"ruvel/internal/backup"
	"ruvel/internal/disk"
)

type export struct {
	Folder string `arg:"" help:"Where to write the archives, one for each episode and layout, and the settings of each show." type:"path"`
	Show   string `help:"Of this show alone."`
	Server string `help:"Address of the server." default:"http://127.0.0.1:8080"`
	Token  string `help:"A token of yours, where people sign in." env:"RUVEL_TOKEN"`
}

// Run writes the archive of every episode. One that was written before is replaced when the new one is whole.
func (c export) Run(ctx context.Context) error {
	if err := os.MkdirAll(c.Folder, 0o755); err != nil {
		return err
	}
	s := client{c.Server, c.Token}
	shows, err := get[[]struct{ ID, Name string }](ctx, s, "/shows")
	if err != nil {
		return err
	}
	count := 0
	for _, show := range shows {
		if c.Show != "" && show.Name != c.Show {
			continue
		}
		episodes, err := get[[]struct{ ID, Title string }](ctx, s, "/shows/"+show.ID+"/episodes")
		if err != nil {
			return err
		}
		layouts, err := get[[]struct{ ID, Title string }](ctx, s, "/shows/"+show.ID+"/layouts")
		if err != nil {
			return err
		}
		path, err := s.keepSettings(ctx, show.ID, show.Name, c.Folder)
		if err != nil {
			return err
		}
		fmt.Println(path)
		for _, e := range append(episodes, layouts...) {
			path, err := s.keep(ctx, e.ID, c.Folder)
			if err != nil {
				return fmt.Errorf("%s: %w", e.Title, err)
			}
			count++
			fmt.Println(path)
		}
	}
	if count == 0 {
		return fmt.Errorf("there is no episode to be kept%s", map[bool]string{true: " of a show called " + strconv.Quote(c.Show)}[c.Show != ""])
	}
	return nil
}

type importing struct {
	Archives []string `arg:"" help:"Archives of episodes and layouts, and settings of shows (.show.json)." type:"existingfile"`
	Show     string   `help:"The show that they go to; it is made if there is none of that name. Left out: the one that each comes from."`
	Server   string   `help:"Address of the server." default:"http://127.0.0.1:8080"`
	Token    string   `help:"A token of yours, where people sign in." env:"RUVEL_TOKEN"`
}

// Run opens archives as episodes.
func (c importing) Run(ctx context.Context) error {
	s := client{c.Server, c.Token}
	for _, path := range c.Archives {
		open := s.open
		if strings.HasSuffix(path, backup.SettingsEnding) {
			open = s.takeSettings
		}
		if err := open(ctx, path, c.Show); err != nil {
			return fmt.Errorf("%s: %w", path, err)
		}
		fmt.Println(path + ": opened")
	}
	return nil
}

// client asks a server.
type client struct{ address, token string }

// ask sends a request and refuses answers that are no success, in the server's own words.
func (c client) ask(ctx context.Context, method, at string, body io.Reader, headers map[string]string) (*http.Response, error) {
	r, err := http.NewRequestWithContext(ctx, method, at, body)
	if err != nil {
		return nil, err
	}
	for k, v := range headers {
		r.Header.Set(k, v)
	}
	if c.token != "" {
		r.Header.Set("Authorization", "Bearer "+c.token)
	}
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return nil, fmt.Errorf("the server at %s does not answer: %w", c.address, err)
	}
	if answer.StatusCode < 300 {
		return answer, nil
	}
	defer answer.Body.Close()
	var said struct{ Detail string }
	_ = json.NewDecoder(io.LimitReader(answer.Body, 1<<16)).Decode(&said)
	if answer.StatusCode == http.StatusUnauthorized {
		said.Detail += " A token of yours lets you in: make one under Your account, and give it with --token or as RUVEL_TOKEN."
	}
	return nil, errors.New(cmp.Or(said.Detail, answer.Status))
}

func get[T any](ctx context.Context, c client, path string) (out T, err error) {
	answer, err := c.ask(ctx, http.MethodGet, c.address+"/api"+path, nil, nil)
	if err != nil {
		return out, err
	}
	defer answer.Body.Close()
	return out, json.NewDecoder(answer.Body).Decode(&out)
}

// keep writes the archive of an episode into a folder, aside at first, and says where it lies.
func (c client) keep(ctx context.Context, episode, folder string) (string, error) {
	answer, err := c.ask(ctx, http.MethodGet, c.address+"/api/episodes/"+episode+"/archive", nil, nil)
	if err != nil {
		return "", err
	}
	defer answer.Body.Close()
	_, said, err := mime.ParseMediaType(answer.Header.Get("Content-Disposition"))
	if err != nil {
		return "", fmt.Errorf("the server does not say what the archive is called: %w", err)
	}
	path := filepath.Join(folder, backup.Named(strings.TrimSuffix(filepath.Base(said["filename"]), ".zip"), episode)+".zip")
	return path, backup.Archive(path, disk.File{Mode: readable}, func(f *os.File) error {
		_, err := io.Copy(f, answer.Body)
		return err
	})
}

// readable is a file that others may read as well: whoever asks for one has named its folder.
const readable = 0o644

// keepSettings writes what a show keeps besides its episodes into a folder, and says where it lies.
func (c client) keepSettings(ctx context.Context, show, name, folder string) (string, error) {
	settings, err := get[json.RawMessage](ctx, c, "/shows/"+show+"/settings")
	if err != nil {
		return "", err
	}
	path := filepath.Join(folder, backup.Named(details.Sheet{Show: name}.FileName(""), show)+backup.SettingsEnding)
	return path, disk.File{Mode: readable, Lasting: true}.ReplaceBy(path, settings)
}

// takeSettings gives a show the settings that a file holds.
func (c client) takeSettings(ctx context.Context, path, show string) error {
	data, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	var said struct{ Name string }
	if err := json.Unmarshal(data, &said); err != nil || said.Name == "" {
		return errors.New("these are no settings of a show")
	}
	id, err := c.show(ctx, cmp.Or(show, said.Name))
	if err != nil {
		return err
	}
	answer, err := c.ask(ctx, http.MethodPut, c.address+"/api/shows/"+id+"/settings", bytes.NewReader(data), map[string]string{"Content-Type": "application/json"})
	if err != nil {
		return err
	}
	return answer.Body.Close()
}

// open sends an archive and waits until it is an episode.
func (c client) open(ctx context.Context, path, show string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return err
	}
	a, err := archive.Open(f, info.Size())
	if err != nil {
		return err
	}
	id, err := c.show(ctx, cmp.Or(show, a.Show))
	if err != nil {
		return err
	}
	job, err := c.send(ctx, f, info, id)
	if err != nil {
		return err
	}
	for {
		j, err := get[struct {
			State   string
			Problem *problem.Problem
		}](ctx, c, "/jobs/"+job)
		switch {
		case err != nil:
			return err
		case j.State == "done":
			return nil
		case j.Problem != nil && j.State == "failed":
			return errors.New(j.Problem.Message)
		case j.State == "failed" || j.State == "cancelled":
			return errors.New("it was not opened: " + j.State)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
}

// show gives the show of a name, which is made if there is none.
func (c client) show(ctx context.Context, name string) (string, error) {
	all, err := get[[]struct{ ID, Name string }](ctx, c, "/shows")
	if err != nil {
		return "", err
	}
	for _, s := range all {
		if s.Name == name {
			return s.ID, nil
		}
	}
	body, err := json.Marshal(map[string]string{"name": name})
	if err != nil {
		return "", err
	}
	answer, err := c.ask(ctx, http.MethodPost, c.address+"/api/shows", bytes.NewReader(body), map[string]string{"Content-Type": "application/json"})
	if err != nil {
		return "", err
	}
	defer answer.Body.Close()
	var made struct{ ID string }
	return made.ID, json.NewDecoder(answer.Body).Decode(&made)
}

// send uploads a file by the tus protocol, and gives the id of the job that it becomes.
func (c client) send(ctx context.Context, f io.ReaderAt, info os.FileInfo, show string) (job string, err error) {
	told := func(text string) string { return base64.StdEncoding.EncodeToString([]byte(text)) }
	name := strings.TrimSuffix(info.Name(), filepath.Ext(info.Name())) + ".zip"
	answer, err := c.ask(ctx, http.MethodPost, c.address+"/api/uploads/", nil, map[string]string{
		"Tus-Resumable": "1.0.0", "Upload-Length": strconv.FormatInt(info.Size(), 10), "Upload-Metadata": "filename " + told(name) + ",show " + told(show),
	})
	if err != nil {
		return "", err
	}
	_ = answer.Body.Close()
	at, err := url.Parse(answer.Header.Get("Location"))
	if err != nil {
		return "", err
	}
	answer, err = c.ask(ctx, http.MethodPatch, c.address+at.Path, io.NewSectionReader(f, 0, info.Size()), map[string]string{
		"Tus-Resumable": "1.0.0", "Upload-Offset": "0", "Content-Type": "application/offset+octet-stream",
	})
	if err != nil {
		return "", err
	}
	return filepath.Base(at.Path), answer.Body.Close()
}
