package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"runtime/debug"
	"syscall"
	"time"

	"wisemarrow/formats/reading"

	"golang.org/x/sync/semaphore"
)

// room is the memory that large requests may take together. They wait for each other
// instead of adding up until the process ends.
type room struct {
	bytes int64
	held  *semaphore.Weighted
	wait  time.Duration
}

// newRoom is half of what the process may take (GOMEMLIMIT).
func newRoom() *room { return roomOf(debug.SetMemoryLimit(-1)/2, 30*time.Second) }

func roomOf(bytes int64, wait time.Duration) *room {
	return &room{bytes, semaphore.NewWeighted(bytes), wait}
}

var errBusy = errors.New(
	"the server has other large files at hand and no memory for this one yet. Nothing was changed; send it again in a minute",
)

// What takes more than this part of the room is large: for the first half of its time it does not stand in the
// way of what is smaller and came later, and then has its turn.
const largePart = 8

// patience is how often one that is large asks for room.
const patience = 20 * time.Millisecond

// take waits for memory; give returns it.
func (m *room) take(ctx context.Context, bytes int64) (give func(), err error) {
	if bytes > m.bytes {
		return nil, fmt.Errorf(
			"%w for this server: it would take about %d MB of memory, and %d are there. Nothing was changed; thin the mesh, or run the server on a larger machine",
			reading.ErrTooLarge,
			bytes>>20,
			m.bytes>>20,
		)
	}
	within, stop := context.WithTimeout(ctx, m.wait)
	defer stop()
	give = func() { m.held.Release(bytes) }
	for half := time.Now().Add(m.wait / 2); bytes > m.bytes/largePart && time.Now().Before(half); {
		if m.held.TryAcquire(bytes) {
			return give, nil
		}
		select {
		case <-within.Done():
		case <-time.After(patience):
			continue
		}
		break
	}
	if err := m.held.Acquire(within, bytes); err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, errBusy
	}
	return give, nil
}

// readingTakes is how much memory a file takes while it is read and becomes a
// character, in times its size: measured as 19 on a GLB and 8 on an OBJ of 100,000
// vertices.
const readingTakes = 20

// inMemory is how much of the files of a request stays in memory while they arrive; the rest is spooled to the
// system's folder for such files.
const inMemory = 1 << 20

// errNoSpool is a full disk where files that arrive are spooled.
var errNoSpool = errors.New(
	"the disk on which the server receives files is full. Nothing was changed; make room in its temporary folder, or ask whoever runs it to, and send the file again",
)

// files receives the files of a request, on disk, and goes on when there is memory to read them: as much as has
// arrived needs, whatever was announced, and how long it took to arrive is nobody's wait.
func (s *site) files(next http.HandlerFunc) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		size, err := s.receive(w, r)
		var give func()
		if err == nil {
			defer func() { _ = r.MultipartForm.RemoveAll() }()
			give, err = s.room.take(r.Context(), readingTakes*size)
		}
		if err != nil {
			s.problem(w, r, err)
			return
		}
		defer give()
		next(w, r)
	}
}

// receive reads the form of a request to its end and returns how large its files are together.
func (s *site) receive(w http.ResponseWriter, r *http.Request) (size int64, err error) {
	limit := s.studio.Limits().Bytes
	r.Body = http.MaxBytesReader(w, r.Body, limit+1<<20)
	switch err := r.ParseMultipartForm(inMemory); {
	case errors.Is(err, syscall.ENOSPC):
		return 0, errNoSpool
	case err != nil:
		return 0, unread(err, "%d MB: thin the mesh, or have the limit raised where the server is started (--max-megabytes)", limit>>20)
	}
	for _, list := range r.MultipartForm.File {
		for _, h := range list {
			size += h.Size
		}
	}
	return size, nil
}

// viewTakes is how many bytes the bundle of a view takes for each corner of a face
// while it is made.
const viewTakes = 170

// drawn makes the bundle of a view of so many corners when there is memory for it.
func (s *site) drawn(ctx context.Context, corners int, make func() ([]byte, error)) ([]byte, error) {
	give, err := s.room.take(ctx, int64(viewTakes*corners))
	if err != nil {
		return nil, err
	}
	defer give()
	return make()
}
