package storetest

import (
	"context"
	"net"
	"net/url"
	"sync"
	"testing"

	"ironthread/store"
)

// Line is a connection to the database that a test can stall, as one whose machine has frozen, or cut.
type Line struct {
	mu     sync.Mutex
	moves  *sync.Cond
	stall  bool
	cut    bool
	open   []net.Conn
	server string
}

// OnALine gives a store on a database of its own, as Filled does, whose connections all run over a line.
func OnALine(t testing.TB, name string, fill func(ctx context.Context, s *store.Store) error) (*store.Store, *Line) {
	t.Helper()
	at, err := url.Parse(filledDSN(t, name, fill))
	if err != nil {
		t.Fatal(err)
	}
	l := &Line{server: at.Host}
	l.moves = sync.NewCond(&l.mu)
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	go l.serve(listener)
	at.Host = listener.Addr().String()
	s, err := store.Open(context.Background(), at.String())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		l.Cut()
		s.Close()
		listener.Close()
	})
	return s, l
}

// Stall lets nothing through from now on; whoever asks gets no answer and no error.
func (l *Line) Stall() { l.set(func() { l.stall = true }) }

// Cut ends every connection, and every new one at once.
func (l *Line) Cut() {
	l.set(func() {
		l.cut = true
		for _, c := range l.open {
			c.Close()
		}
		l.open = nil
	})
}

// Mend lets everything through again.
func (l *Line) Mend() { l.set(func() { l.stall, l.cut = false, false }) }

func (l *Line) set(change func()) {
	l.mu.Lock()
	defer l.mu.Unlock()
	change()
	l.moves.Broadcast()
}

func (l *Line) serve(listener net.Listener) {
	for {
		from, err := listener.Accept()
		if err != nil {
			return // the test has ended
		}
		to, err := net.Dial("tcp", l.server)
		l.mu.Lock()
		if err != nil || l.cut {
			from.Close()
			if to != nil {
				to.Close()
			}
			l.mu.Unlock()
			continue
		}
		l.open = append(l.open, from, to)
		l.mu.Unlock()
		go l.pass(from, to)
		go l.pass(to, from)
	}
}

// pass hands on what comes, while nothing stalls it.
func (l *Line) pass(from, to net.Conn) {
	defer to.Close()
	defer from.Close()
	b := make([]byte, 16<<10)
	for {
		n, err := from.Read(b)
		if n > 0 {
			l.mu.Lock()
			for l.stall && !l.cut {
				l.moves.Wait()
			}
			l.mu.Unlock()
			if _, err := to.Write(b[:n]); err != nil {
				return
			}
		}
		if err != nil {
			return // it has ended, one way or another
		}
	}
}
