package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"

	"ruvel/core/audio"
	"ruvel/core/loudness"
	"ruvel/core/mix"
	"ruvel/core/session"
	"ruvel/internal/demo"
	"ruvel/internal/finish"
	"ruvel/internal/media"
	"ruvel/internal/server"
)

type measure struct {
	Files []string `arg:"" help:"Sound files." type:"existingfile"`
	JSON  bool     `help:"Write one JSON object a file." name:"json"`
}

// Run measures each file.
func (c measure) Run(ctx context.Context) error {
	for _, path := range c.Files {
		course, err := finish.Listen(ctx, path, 0, func(float64) {})
		if err != nil {
			return fmt.Errorf("%s: %w", path, err)
		}
		r := course.Loudness()
		if c.JSON {
			if err := json.NewEncoder(os.Stdout).Encode(struct {
				File string `json:"file"`
				loudness.Result
			}{path, r}); err != nil {
				return err
			}
			continue
		}
		fmt.Printf("%s\n  length          %v\n  integrated      %.1f LUFS\n  range           %.1f LU\n  max momentary   %.1f LUFS\n  max short-term  %.1f LUFS\n  true peak       %.1f dBTP\n  sample peak     %.1f dBFS\n",
			path, r.Length, r.Integrated, r.Range, r.MaxMomentary, r.MaxShortTerm, r.TruePeak, r.SamplePeak)
	}
	return nil
}

// files decodes the sounds of a document that stands alone, each once.
func files(ctx context.Context, dir string, doc session.Document) mix.Sounds {
	decoded := map[string]audio.PCM{}
	return func(id string) (audio.PCM, error) {
		if pcm, ok := decoded[id]; ok {
			return pcm, nil
		}
		name := doc.Sounds[id].Path
		if name == "" || !filepath.IsLocal(name) {
			return nil, fmt.Errorf("the document gives no path beside itself for the sound %s", id)
		}
		path := filepath.Join(dir, name)
		info, err := media.Probe(ctx, path)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", path, err)
		}
		pcm := make(audio.PCM, info.Channels)
		if _, err := media.Decode(ctx, path, info, func(piece audio.PCM) error {
			for c := range pcm {
				pcm[c] = append(pcm[c], piece[c]...)
			}
			return nil
		}); err != nil {
			return nil, fmt.Errorf("%s: %w", path, err)
		}
		decoded[id] = pcm
		return pcm, nil
	}
}

type demoData struct {
	Folder string `arg:"" help:"Where to write." type:"path"`
}

// Run writes the sample episode.
func (c demoData) Run(ctx context.Context) error { return demo.Write(ctx, c.Folder) }

type describe struct {
	Folder string `arg:"" help:"Where to write." type:"path"`
}

// Run writes the descriptions.
func (c describe) Run(context.Context) error {
	api, schema, err := server.Describe()
	if err != nil {
		return err
	}
	for name, data := range map[string][]byte{"openapi.json": api, "session.schema.json": schema, "roles.md": server.Roles()} {
		if err := os.WriteFile(filepath.Join(c.Folder, name), data, 0o644); err != nil {
			return err
		}
	}
	return nil
}
