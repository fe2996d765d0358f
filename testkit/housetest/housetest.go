// Package housetest gives a package's tests a whole Ruvel, served on loopback.
package housetest

import (
	"context"
	"fmt"
	"net"
	"os"
	"testing"

	"ruvel/internal/server"
)

// House is a running Ruvel.
type House struct {
	*server.House
	Address string // http://127.0.0.1:port
	Data    string // its data folder
}

// Main starts a house, hands it to ready, runs the tests of a package and ends both, and
// whatever else is to be ended after them.
func Main(m *testing.M, ready func(House) error, ends ...func()) {
	code, err := run(m, ready, ends)
	if err != nil {
		fmt.Fprintln(os.Stderr, "the tests could not be started:", err)
		code = 1
	}
	os.Exit(code)
}

func run(m *testing.M, ready func(House) error, ends []func()) (code int, err error) {
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	data, err := os.MkdirTemp("", "ruvel-house")
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(data)
	if err := os.Chmod(data, 0o755); err != nil { // the database runs as a user of its own
		return 1, err
	}
	house, err := server.Start(ctx, server.Settings{Data: data})
	if err != nil {
		return 1, err
	}
	defer house.Close()
	l, err := server.Listen(0)
	if err != nil {
		return 1, err
	}
	served := make(chan error, 1)
	go func() { served <- house.Serve(ctx, l) }()
	if err := ready(House{house, fmt.Sprintf("http://127.0.0.1:%d", l.Addr().(*net.TCPAddr).Port), data}); err != nil {
		return 1, err
	}
	code = m.Run()
	for _, end := range ends {
		end()
	}
	cancel()
	return code, <-served
}
