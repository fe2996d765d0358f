// Command ruvel is the whole of Ruvel: the server, and its computations on the command line.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"github.com/alecthomas/kong"
)

type commands struct {
	Serve    serve     `cmd:"" help:"Serve the application on loopback."`
	Mix      mixdown   `cmd:"" help:"Render a session document to a file, without a server."`
	Measure  measure   `cmd:"" help:"Measure loudness and peaks of sound files."`
	Check    check     `cmd:"" help:"Say what a careful second pair of ears would say of a session document; the exit code is 1 if something must be mended."`
	Speech   listen    `cmd:"" help:"Find where somebody speaks in a sound file."`
	Export   export    `cmd:"" help:"Keep every episode of a running server as an archive in a folder."`
	Import   importing `cmd:"" help:"Open archives of episodes on a running server."`
	Demo     demoData  `cmd:"" help:"Write the sample episode and its sounds into a folder."`
	Describe describe  `cmd:"" help:"Write the API's description and the document's JSON Schema into a folder."`
}

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	var c commands
	k := kong.Parse(&c, kong.Name("ruvel"), kong.Description("Assemble voice and music into an episode."), kong.UsageOnError(), kong.WithHyphenPrefixedParameters(true), kong.BindTo(ctx, (*context.Context)(nil)))
	if err := k.Run(); err != nil {
		fmt.Fprintln(os.Stderr, "ruvel:", err)
		stop()
		os.Exit(1) //nolint:gocritic // stop has been called
	}
}
