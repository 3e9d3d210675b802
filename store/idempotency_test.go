package store_test

import (
	"io"
	"net"
	"net/url"
	"sync"
	"sync/atomic"
	"testing"

	"wisemarrow/formats/reading"
	"wisemarrow/store"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// line stands between the store and its database and can be cut so that what is sent
// arrives and the answer does not.
type line struct {
	to    string
	cut   atomic.Bool // the next message from the store is passed on; then all ends
	mu    sync.Mutex
	conns []net.Conn
}

func newLine(t *testing.T, database string) (l *line, through string) {
	t.Helper()
	u, err := url.Parse(database)
	require.NoError(t, err)
	l = &line{to: u.Host}
	at, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { _ = at.Close() })
	go func() {
		for {
			here, err := at.Accept()
			if err != nil {
				return
			}
			there, err := net.Dial("tcp", l.to)
			if err != nil {
				_ = here.Close()
				continue
			}
			l.mu.Lock()
			l.conns = append(l.conns, here, there)
			l.mu.Unlock()
			go l.forth(here, there)
			go func() { _, _ = io.Copy(here, there); _ = here.Close() }()
		}
	}()
	u.Host = at.Addr().String()
	return l, u.String()
}

func (l *line) forth(here, there net.Conn) {
	buf := make([]byte, 64<<10)
	for {
		n, err := here.Read(buf)
		if err != nil {
			_ = there.Close()
			return
		}
		if l.cut.CompareAndSwap(true, false) {
			_ = here.Close() // nothing comes back any more
			_, _ = there.Write(buf[:n])
			return
		}
		_, _ = there.Write(buf[:n])
	}
}

// The answer to COMMIT is lost. With a key the store finds out that the change was
// done; without one it says that it does not know, and never that nothing was changed.
func TestALostCommitIsFoundByItsKey(t *testing.T) {
	direct, x, database := opened(t)
	c := added(t, x)
	l, through := newLine(t, database)
	s, err := store.Open(ctx, through)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	behind := studio.New(s, reading.Default)

	s.BeforeCommit(func() { l.cut.Store(true) })
	r, _, err := behind.Do(studio.WithKey(ctx, "one"), c.ID, c.Head, "drop_loose", nil, "tester")
	require.NoError(t, err)
	now, err := direct.Character(ctx, c.ID)
	require.NoError(t, err)
	require.Equal(t, now.Head, r.ID)
	require.NotEqual(t, c.Head, now.Head)
	receipt, err := direct.Receipt(ctx, "one")
	require.NoError(t, err)
	require.Equal(t, studio.Receipt{Character: c.ID, Revision: r.ID}, receipt)

	_, err = behind.Undo(ctx, c.ID, now.Head)
	require.ErrorIs(t, err, studio.ErrUnknown)
	require.NotErrorIs(t, err, studio.ErrDown)

	s.BeforeCommit(func() {})
	_, err = direct.Receipt(ctx, "two")
	require.ErrorIs(t, err, studio.ErrNotFound)
}

// A change that is asked for twice with one key is done once, whichever kind it is.
func TestAKeyIsTakenOnce(t *testing.T) {
	s, x, _ := opened(t)
	c := added(t, x)
	key := studio.WithKey(ctx, "k")
	r, _, err := x.Do(key, c.ID, c.Head, "drop_loose", nil, "tester")
	require.NoError(t, err)
	_, _, err = x.Do(key, c.ID, r.ID, "drop_loose", nil, "tester")
	require.ErrorIs(t, err, studio.ErrRepeated)
	_, err = x.Undo(key, c.ID, r.ID)
	require.ErrorIs(t, err, studio.ErrRepeated)
	_, err = s.AddWork(key, studio.Work{Character: c.ID, Base: r.ID, Op: "drop_loose", Label: "Drop"})
	require.ErrorIs(t, err, studio.ErrRepeated)
	_, err = x.Add(key, studio.Character{Production: "Test", Name: "Twice"}, "tester", box(), "came in")
	require.ErrorIs(t, err, studio.ErrRepeated)
	all, err := s.Characters(ctx)
	require.NoError(t, err)
	require.Len(t, all, 1)
	now, err := s.Character(ctx, c.ID)
	require.NoError(t, err)
	require.Equal(t, r.ID, now.Head)
	_, err = x.Undo(studio.WithKey(ctx, "other"), c.ID, r.ID)
	require.NoError(t, err)
}
