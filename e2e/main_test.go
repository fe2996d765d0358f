package e2e

import (
	"context"
	"fmt"
	"net"
	"os"
	"testing"

	"ruvel/internal/demo"
	"ruvel/internal/server"
)

// base is the address of a server with the sample series, shared by the tests of this package.
var base string

func TestMain(m *testing.M) {
	os.Exit(run(m))
}

func run(m *testing.M) int {
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	dir, err := os.MkdirTemp("", "ruvel-e2e")
	check(err)
	defer os.RemoveAll(dir)
	check(os.Chmod(dir, 0o755))
	house, err := server.Start(ctx, server.Settings{Data: dir})
	check(err)
	defer house.Close()
	_, err = demo.Fill(ctx, house.Store, house.Sounds, func(string) {})
	check(err)
	l, err := server.Listen(0)
	check(err)
	base = fmt.Sprintf("http://127.0.0.1:%d", l.Addr().(*net.TCPAddr).Port)
	served := make(chan error, 1)
	go func() { served <- house.Serve(ctx, l) }()
	code := m.Run()
	cancel()
	<-served
	return code
}

func check(err error) {
	if err != nil {
		panic(err)
	}
}
