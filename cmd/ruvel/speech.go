package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"

	"ruvel/core/audio"
	"ruvel/core/speech"
	"ruvel/internal/media"
)

type listen struct {
	File        string  `arg:"" help:"Sound file." type:"existingfile"`
	Sensitivity float64 `help:"For an exceptional recording: take voices for speech that are so many dB softer, or louder if it is negative."`
	JSON        bool    `help:"Write a JSON list of stretches, in seconds." name:"json"`
}

// stretch is a phrase in seconds.
type stretch struct {
	Start float64 `json:"start"`
	End   float64 `json:"end"`
}

// Run finds the phrases of a file.
func (c listen) Run(ctx context.Context) error {
	info, err := media.Probe(ctx, c.File)
	if err != nil {
		return fmt.Errorf("%s: %w", c.File, err)
	}
	l := speech.NewListener()
	if _, err := media.Decode(ctx, c.File, info, func(pcm audio.PCM) error {
		l.Write(pcm)
		return nil
	}); err != nil {
		return fmt.Errorf("%s: %w", c.File, err)
	}
	found := []stretch{}
	for _, p := range l.PhrasesWith(c.Sensitivity) {
		found = append(found, stretch{p.From.Seconds(), p.To.Seconds()})
	}
	if c.JSON {
		return json.NewEncoder(os.Stdout).Encode(found)
	}
	for _, p := range found {
		fmt.Printf("%9.2f  %9.2f\n", p.Start, p.End)
	}
	return nil
}
