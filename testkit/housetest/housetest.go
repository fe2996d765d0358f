// Package housetest gives a package's tests a whole Ruvel, served on loopback.
package housetest

import (
	"context"
	"fmt"
	"net"
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"ruvel/internal/running"
	"ruvel/internal/server"
	"ruvel/testkit/dbtest"
)

// House is a running Ruvel.
type House struct {
	*running.House
	Address string // http://127.0.0.1:port
	Data    string // its data folder
}

// Main starts a house, hands it to ready, runs the tests of a package and ends both, and
// whatever else is to be ended after them.
func Main(m *testing.M, ready func(House) error, ends ...func()) {
	dsn, err := dbtest.Make()
	if err != nil {
		fmt.Fprintln(os.Stderr, "the tests have no database:", err)
		os.Exit(1)
	}
	code := run(m, running.Settings{Database: dsn}, ready, ends)
	dbtest.Tidy()
	os.Exit(code)
}

// Into is Main of a package whose tests need no more than a house, which is put where they find it.
func Into(m *testing.M, house *House) {
	Main(m, func(h House) error {
		*house = h
		return nil
	})
}

// MainAlone is Main with a database server of the house's own, which may be killed.
func MainAlone(m *testing.M, ready func(House) error, ends ...func()) {
	os.Exit(run(m, running.Settings{}, ready, ends))
}

func run(m *testing.M, settings running.Settings, ready func(House) error, ends []func()) int {
	code, err := within(m, settings, ready, ends)
	if err != nil {
		fmt.Fprintln(os.Stderr, "the tests could not be started:", err)
		return 1
	}
	return code
}

func within(m *testing.M, settings running.Settings, ready func(House) error, ends []func()) (code int, err error) {
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
	settings.Data = data
	house, served, err := open(ctx, settings)
	if err != nil {
		return 1, err
	}
	defer house.Close()
	if err := ready(house); err != nil {
		return 1, err
	}
	code = m.Run()
	for _, end := range ends {
		end()
	}
	cancel()
	return code, <-served
}

// Own is a house for one test alone, which may do to it what others would not bear. Tidy of dbtest removes its database.
func Own(t testing.TB) House {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	t.Cleanup(cancel)
	house, served, err := open(ctx, running.Settings{Data: t.TempDir(), Database: dbtest.New(t)})
	require.NoError(t, err)
	t.Cleanup(func() {
		cancel()
		require.NoError(t, <-served)
		house.Close()
	})
	return house
}

// open starts a house, which is served until the context ends; what came of that is told then.
func open(ctx context.Context, settings running.Settings) (of House, served <-chan error, err error) {
	house, err := running.Start(ctx, settings)
	if err != nil {
		return House{}, nil, err
	}
	l, err := server.Listen(0)
	if err != nil {
		house.Close()
		return House{}, nil, err
	}
	end := make(chan error, 1)
	go func() { end <- house.Serve(ctx, l) }()
	return House{house, fmt.Sprintf("http://127.0.0.1:%d", l.Addr().(*net.TCPAddr).Port), settings.Data}, end, nil
}
