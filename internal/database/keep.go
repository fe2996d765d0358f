package database

import (
	"context"
	"log/slog"
	"time"
)

// A server that dies is started again after the least of these times, and each time that
// it cannot start one waits twice as long, up to the most.
const (
	leastWait = 250 * time.Millisecond
	mostWait  = 15 * time.Second
	// steady is how long a server must have run for its death to be a new misfortune.
	steady = time.Minute
)

// keepUp starts the server again whenever it has ended, until the context ends.
func (s *Server) keepUp(ctx context.Context, p *process) {
	defer close(s.ended)
	wait := leastWait
	for {
		begun := time.Now()
		select {
		case <-p.ended:
		case <-ctx.Done():
			p.end()
			return
		}
		if time.Since(begun) > steady {
			wait = leastWait
		}
		slog.Error("the database has ended and is started again", "why", p.why(), "log", s.place.log())
		s.say("The database has stopped and is being started again.")
		for p = nil; p == nil; {
			select {
			case <-time.After(wait):
			case <-ctx.Done():
				return
			}
			wait = min(2*wait, mostWait)
			var err error
			if p, err = s.up(ctx); err != nil && ctx.Err() == nil {
				slog.Error("the database cannot be started; trying again", "why", err, "log", s.place.log(), "after", wait)
				s.say("The database cannot be started: " + err.Error() + ". It is tried again and again.")
			}
		}
		s.trouble.Store(nil)
		slog.Info("the database is there again")
	}
}

func (s *Server) say(words string) { s.trouble.Store(&words) }

// Trouble says in words why the server does not answer at the moment, or nothing if it does.
func (s *Server) Trouble() string {
	if words := s.trouble.Load(); words != nil {
		return *words
	}
	return ""
}

// Process is the number of the server's process.
func (s *Server) Process() int { return s.process.Load().cmd.Process.Pid }
