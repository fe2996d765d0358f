// Command cluster lets a Ruvel on many machines be tried on one: three nodes of a database, three servers of a queue, a store of files, a
// web server in front and three Ruvels, all on loopback, with ten people at work, while one after the other is killed, stopped, cut off
// and brought back. It says how long that kept anybody waiting, and fails if anything that was acknowledged is lost, or there twice.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"os/signal"
	"syscall"
	"time"
)

func main() {
	var set settings
	flag.DurationVar(&set.lasts, "lasts", 10*time.Minute, "for how long people work")
	flag.DurationVar(&set.wrong, "wrong", 8*time.Second, "for how long each thing is wrong")
	flag.DurationVar(&set.rest, "rest", 12*time.Second, "for how long all is well after it")
	dir := flag.String("dir", "", "the folder for everything, which must not be there; left out: one that goes afterwards")
	mix := flag.Bool("hour", false, "instead, let an hour be mixed down by one Ruvel of one core, and by three")
	much := flag.Bool("load", false, "instead, find out how many edits and listeners this machine bears with all of it")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, *dir, set, *mix, *much); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(ctx context.Context, dir string, set settings, mix, much bool) error {
	if dir == "" {
		temporary, err := os.MkdirTemp("", "ruvel-cluster")
		if err != nil {
			return err
		}
		defer os.RemoveAll(temporary)
		if err := os.Chmod(temporary, 0o711); err != nil { // the database's user goes through it
			return err
		}
		dir = temporary
	}
	p, err := build(ctx, ".", "bin")
	if err != nil {
		return err
	}
	begun := time.Now()
	if p.cores = 2; mix {
		p.cores = 1
	}
	h, err := open(ctx, dir, p)
	if err != nil {
		return err
	}
	defer h.close()
	fmt.Printf("The house stands after %v, at %s\n", time.Since(begun).Round(100*time.Millisecond), h.address)
	if mix {
		return hour(ctx, h, os.Stdout)
	}
	if much {
		return load(ctx, h, os.Stdout)
	}
	return try(ctx, h, set, os.Stdout)
}
