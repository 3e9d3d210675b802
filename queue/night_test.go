package queue

import (
	"context"
	"errors"
	"testing"
	"time"

	"github.com/riverqueue/river"
	"github.com/stretchr/testify/require"
)

// The night's job comes once a day at one time, whenever a process begins.
func TestEveryNightIsOnceADay(t *testing.T) {
	day := func(h, m int) time.Time { return time.Date(2026, 12, 31, h, m, 0, 0, time.Local) }
	require.Equal(t, day(3, 40), everyNight{}.Next(day(3, 39)))
	require.Equal(t, day(3, 40).AddDate(0, 0, 1), everyNight{}.Next(day(3, 40)))
	require.Equal(t, day(3, 40).AddDate(0, 0, 1), everyNight{}.Next(day(23, 59)))
}

type nights struct {
	n   int
	err error
}

func (s *nights) Unattended(context.Context) ([]string, error) { return nil, nil }
func (s *nights) Nightly(context.Context) error                { s.n++; return s.err }

// A night on which it fails is no job that River tries again and again.
func TestAFailedNightWaitsForTheNext(t *testing.T) {
	s := &nights{err: errors.New("the disk is full")}
	w := &nightWorker{store: s}
	require.NoError(t, w.Work(context.Background(), &river.Job[nightly]{}))
	require.Equal(t, 1, s.n)
}
