package main

import (
	"net"
	"sync"
)

// line is a way from one member to another, which can be cut: then nothing passes through it, and nobody is told, as where
// a cable is pulled. What was on its way passes when it is mended.
type line struct {
	to       string
	listener net.Listener

	mu   sync.Mutex
	open *sync.Cond
	cut  bool
	done bool
}

// newLine makes a line to an address.
func newLine(to string) (*line, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	n := &line{to: to, listener: l}
	n.open = sync.NewCond(&n.mu)
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go n.carry(c)
		}
	}()
	return n, nil
}

// address is where it begins.
func (n *line) address() string { return n.listener.Addr().String() }

// set cuts the line, or mends it.
func (n *line) set(cut bool) {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.cut = cut
	n.open.Broadcast()
}

func (n *line) close() {
	n.mu.Lock()
	n.done = true
	n.open.Broadcast()
	n.mu.Unlock()
	_ = n.listener.Close()
}

// passes waits while the line is cut, and says whether anything passes then.
func (n *line) passes() bool {
	n.mu.Lock()
	defer n.mu.Unlock()
	for n.cut && !n.done {
		n.open.Wait()
	}
	return !n.done
}

func (n *line) carry(from net.Conn) {
	defer from.Close()
	if !n.passes() {
		return
	}
	to, err := net.Dial("tcp", n.to)
	if err != nil {
		return
	}
	defer to.Close()
	var both sync.WaitGroup
	for _, way := range [][2]net.Conn{{from, to}, {to, from}} {
		both.Go(func() {
			defer way[1].(*net.TCPConn).CloseWrite()
			data := make([]byte, 64<<10)
			for {
				k, err := way[0].Read(data)
				if k > 0 {
					if !n.passes() {
						return
					}
					if _, err := way[1].Write(data[:k]); err != nil {
						_ = way[0].Close()
						return
					}
				}
				if err != nil {
					n.passes() // an end does not come through either
					return
				}
			}
		})
	}
	both.Wait()
}
