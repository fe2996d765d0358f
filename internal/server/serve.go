package server

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"syscall"
	"time"
)

// Listen takes a port on loopback. One that is taken is a sentence, not a number. A server
// that was killed a moment ago may still be on its way out.
func Listen(port int) (l net.Listener, err error) {
	const tries, pause = 10, 150 * time.Millisecond
	for try := range tries {
		if l, err = net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port)); !errors.Is(err, syscall.EADDRINUSE) || try == tries-1 {
			break
		}
		time.Sleep(pause)
	}
	if errors.Is(err, syscall.EADDRINUSE) {
		return nil, fmt.Errorf("port %d is in use by another program; choose another with --port", port)
	}
	return l, err
}

// sendBuffer is how many bytes the system keeps for a connection. Left to itself it would
// keep ten seconds of sound, and that much later one would notice that a listener does not read.
const sendBuffer = 256 << 10

// finishing is how long requests that are under way may take when the server is to end.
const finishing = 10 * time.Second

// Serve answers on a listener until the context ends. Then streams end at once, and what
// else is under way is finished.
//
// With a second listener, pages for listeners and feeds are answered there and nothing else is, and on the first nothing of them.
func (s *Server) Serve(ctx context.Context, l net.Listener, pages ...net.Listener) error {
	s.PagesApart = len(pages) > 0
	requests, cancel := context.WithCancel(context.WithoutCancel(ctx))
	defer cancel()
	streams, endStreams := context.WithCancel(requests)
	s.streams = streams
	defer endStreams()
	all := []*http.Server{webServer(requests, s.handlerUntil(streams))}
	done := make(chan error, 2)
	go func() { done <- all[0].Serve(l) }()
	if s.PagesApart {
		all = append(all, webServer(requests, s.PagesHandler()))
		go func() { done <- all[1].Serve(pages[0]) }()
	}
	var err error
	select {
	case err = <-done:
	case <-ctx.Done():
	}
	endStreams()
	short, stop := context.WithTimeout(requests, finishing)
	defer stop()
	for _, web := range all {
		if web.Shutdown(short) != nil {
			_ = web.Close()
		}
	}
	return err
}

// webServer answers with a handler; the contexts of requests are of one that ends them.
func webServer(requests context.Context, h http.Handler) *http.Server {
	return &http.Server{
		Handler: h, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: idlePatience,
		BaseContext: func(net.Listener) context.Context { return requests },
		ConnContext: func(ctx context.Context, c net.Conn) context.Context {
			if tcp, ok := c.(*net.TCPConn); ok {
				_ = tcp.SetWriteBuffer(sendBuffer)
			}
			return ctx
		},
	}
}
