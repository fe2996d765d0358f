package e2e

import (
	"net"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Line is a network between the browser and a server that can be cut and mended.
type Line struct {
	Address string // to open instead of the server's

	mu     sync.Mutex
	cut    bool
	open   map[net.Conn]bool
	passed int64 // bytes to the server since CutAfter
	limit  int64 // cut by itself after so many; 0 is never
	rate   int64 // bytes a second to the server on each connection; 0: as many as go
	asleep chan struct{}
	dead   map[net.Conn]bool // connections over which nothing goes any more, without a sign
}

// StartLine lays a line to a server's address.
func StartLine(t testing.TB, server string) *Line {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	l := &Line{Address: "http://" + listener.Addr().String(), open: map[net.Conn]bool{}, dead: map[net.Conn]bool{}}
	t.Cleanup(func() {
		_ = listener.Close()
		l.Wake()
		l.Cut()
	})
	go func() {
		for {
			near, err := listener.Accept()
			if err != nil {
				return
			}
			go l.join(near, strings.TrimPrefix(server, "http://"))
		}
	}()
	return l
}

func (l *Line) join(near net.Conn, server string) {
	l.mu.Lock()
	asleep := l.asleep
	l.mu.Unlock()
	if asleep != nil {
		<-asleep // nobody answers while the machine sleeps
	}
	far, err := net.Dial("tcp", server)
	l.mu.Lock()
	if err != nil || l.cut {
		l.mu.Unlock()
		_ = near.Close()
		if err == nil {
			_ = far.Close()
		}
		return
	}
	l.open[near], l.open[far] = true, true
	l.mu.Unlock()
	go l.pass(near, far, false)
	l.pass(far, near, true)
}

func (l *Line) pass(to, from net.Conn, up bool) {
	defer to.Close()
	defer from.Close()
	buffer := make([]byte, 32<<10)
	for {
		n, err := from.Read(buffer)
		if n > 0 && l.isDead(from, to) {
			continue // it goes nowhere
		}
		if n > 0 {
			if _, err := to.Write(buffer[:n]); err != nil {
				return
			}
			if rate := l.speed(); up && rate > 0 {
				time.Sleep(time.Duration(n) * time.Second / time.Duration(rate))
			}
			if up && l.spent(int64(n)) {
				l.Cut()
			}
		}
		if err != nil {
			return
		}
	}
}

func (l *Line) spent(n int64) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.passed += n
	return l.limit > 0 && l.passed > l.limit
}

func (l *Line) speed() int64 {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.rate
}

// Slow lets no more than so many bytes a second go to the server on each connection.
func (l *Line) Slow(rate int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.rate = rate
}

func (l *Line) isDead(a, b net.Conn) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.dead[a] || l.dead[b]
}

// Sleep has every connection die without a sign, as when a laptop sleeps; no new one comes about until Wake.
func (l *Line) Sleep() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.asleep = make(chan struct{})
	for c := range l.open {
		l.dead[c] = true
	}
}

// Wake lets new connections be made; those from before stay dead.
func (l *Line) Wake() {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.asleep != nil {
		close(l.asleep)
		l.asleep = nil
	}
}

// CutAfter lets so many more bytes go to the server and then cuts the line.
func (l *Line) CutAfter(bytes int64) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.passed, l.limit = 0, bytes
}

// Passed is how many bytes have gone to the server since CutAfter.
func (l *Line) Passed() int64 {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.passed
}

// IsCut says whether the line is cut.
func (l *Line) IsCut() bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.cut
}

// Cut breaks every connection and lets none be made.
func (l *Line) Cut() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.cut = true
	for c := range l.open {
		_ = c.Close()
	}
	l.open = map[net.Conn]bool{}
}

// Mend lets connections be made again.
func (l *Line) Mend() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.cut, l.limit = false, 0
}
