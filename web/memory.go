package web

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"runtime/debug"
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

var errBusy = errors.New("the server has other large files at hand and no memory for this one yet. Nothing was changed; send it again in a minute")

// take waits for memory; give returns it.
func (m *room) take(ctx context.Context, bytes int64) (give func(), err error) {
	if bytes > m.bytes {
		return nil, fmt.Errorf("%w for this server: it would take about %d MB of memory, and %d are there. Nothing was changed; thin the mesh, or run the server on a larger machine", reading.ErrTooLarge, bytes>>20, m.bytes>>20)
	}
	within, stop := context.WithTimeout(ctx, m.wait)
	defer stop()
	if err := m.held.Acquire(within, bytes); err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		return nil, errBusy
	}
	return func() { m.held.Release(bytes) }, nil
}

// readingTakes is how much memory a file takes while it is read and becomes a
// character, in times its size: measured as 19 on a GLB and 8 on an OBJ of 100,000
// vertices.
const readingTakes = 20

// files lets requests with files in when there is memory for them.
func (s *site) files(next http.HandlerFunc) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		size := r.ContentLength
		if most := s.studio.Limits().Bytes; size < 0 {
			size = most // it does not say how much will come
		} else {
			size = min(size, most) // what is larger is refused when it is read
		}
		give, err := s.room.take(r.Context(), readingTakes*size)
		if err != nil {
			s.problem(w, r, err)
			return
		}
		defer give()
		next(w, r)
	}
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
