package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"ruvel/core/audio"
	"ruvel/core/credits"
	"ruvel/core/edit"
	"ruvel/core/mix"
	"ruvel/core/review"
	"ruvel/core/session"
)

type check struct {
	Session string `arg:"" help:"An archive of an episode, or a session document whose sounds are given by relative path." type:"existingfile"`
	Limits  string `help:"JSON file with other limits; those that are left out are the usual ones." type:"existingfile"`
	Credits string `help:"JSON file with what is written down about the sounds: a list of objects with id, name, part, title, author, source and licence." type:"existingfile"`
	JSON    bool   `help:"Write a JSON list of findings." name:"json"`
}

// errMust ends the program with the code 1.
var errMust = errors.New("something must be mended")

// told is a finding as it is written.
type told struct {
	review.Finding
	Fix *toldFix `json:"fix,omitempty"`
}

type toldFix struct {
	Do   string          `json:"do"`
	Text string          `json:"text"`
	Op   json.RawMessage `json:"op"`
}

// Run reviews the document.
func (c check) Run(ctx context.Context) error {
	u, err := unpack(ctx, c.Session)
	if err != nil {
		return err
	}
	defer u.done()
	c.Session = u.session
	if c.Credits == "" {
		c.Credits = u.credits
	}
	data, err := os.ReadFile(c.Session)
	if err != nil {
		return err
	}
	doc, err := session.Parse(data)
	if err != nil {
		return fmt.Errorf("%s: %w", c.Session, err)
	}
	m := review.Material{Document: doc, Limits: review.Usual()}
	if err := readJSON(c.Limits, &m.Limits); err != nil {
		return err
	}
	if err := m.Limits.Check(); err != nil {
		return fmt.Errorf("%s: %w", c.Limits, err)
	}
	if m.Credits, err = c.papers(doc); err != nil {
		return err
	}
	if err := hear(ctx, &m, filepath.Dir(c.Session)); err != nil {
		return err
	}
	found, err := review.Of(m)
	if err != nil {
		return err
	}
	if err := c.write(found); err != nil {
		return err
	}
	for _, f := range found {
		if f.Weight == review.Must && !f.Aside {
			return errMust
		}
	}
	return nil
}

func readJSON(path string, into any) error {
	if path == "" {
		return nil
	}
	data, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	if err := json.Unmarshal(data, into); err != nil {
		return fmt.Errorf("%s: %w", path, err)
	}
	return nil
}

// papers is what is written down about the sounds that are used.
func (c check) papers(doc session.Document) (used []credits.Sound, err error) {
	var all []struct{ ID, Name, Part, Title, Author, Source, Licence string }
	if err := readJSON(c.Credits, &all); err != nil {
		return nil, err
	}
	for _, id := range doc.SoundsInOrder() {
		for _, s := range all {
			if s.ID == id {
				used = append(used, credits.Sound{ID: s.ID, Name: s.Name, Part: session.Part(s.Part), Title: s.Title, Author: s.Author, Source: s.Source, Licence: s.Licence})
			}
		}
	}
	return used, nil
}

// hear reads the sounds and measures the mix. A sound that is not there is missing, which is no error.
func hear(ctx context.Context, m *review.Material, dir string) error {
	read := files(ctx, dir, m.Document)
	for _, id := range m.Document.SoundsInOrder() {
		name := m.Document.Sounds[id].Path
		if _, err := os.Stat(filepath.Join(dir, name)); name == "" || !filepath.IsLocal(name) || err != nil {
			m.Missing = append(m.Missing, id)
		}
	}
	if len(m.Missing) > 0 {
		return nil
	}
	source := mix.Known(read)
	plan, err := mix.CompileFrom(m.Document, source, nil)
	if err != nil {
		return err
	}
	of, err := plan.Measure(ctx)
	if err != nil {
		return err
	}
	m.Plan, m.Mix, m.Source = plan, &of, source
	m.Examined = func(id string) (e review.Examined, err error) {
		pcm, err := read(id)
		if err != nil {
			return e, err
		}
		phrases, err := source.Phrases(id, m.Document.Sounds[id].Sensitivity)
		if err != nil {
			return e, err
		}
		return e, audio.Guard(func() { e = review.Examine(pcm, phrases) })
	}
	return nil
}

func (c check) write(found []review.Finding) error {
	if c.JSON {
		out := []told{}
		for _, f := range found {
			t := told{Finding: f}
			if f.Fix != nil {
				t.Fix = &toldFix{f.Fix.Do, f.Fix.Text, edit.Encode(f.Fix.Op)}
			}
			out = append(out, t)
		}
		return json.NewEncoder(os.Stdout).Encode(out)
	}
	for _, f := range found {
		where, weight := "", string(f.Weight)
		if f.To > f.From {
			where = f.From.String()
		}
		if f.Aside {
			weight = "aside"
		}
		fmt.Printf("%-6s  %-9s  %s\n", weight, where, f.Text)
		if f.Fix != nil && !f.Aside {
			fmt.Printf("                   %s: %s\n", f.Fix.Do, f.Fix.Text)
		}
	}
	if len(found) == 0 {
		fmt.Println("Nothing to mention.")
	}
	return nil
}
