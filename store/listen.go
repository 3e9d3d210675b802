package store

import (
	"context"
	"time"
)

// Listen calls wake with the id of every character that has got another head or
// other work, by this process or another, until ctx ends. When the connection is
// lost or made, wake is called with "", since something may have been missed.
func (s *Store) Listen(ctx context.Context, wake func(character string)) {
	for ctx.Err() == nil {
		_ = s.listen(ctx, wake) // ends with the connection; it is made again
		wake("")
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

func (s *Store) listen(ctx context.Context, wake func(character string)) error {
	held, err := s.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	conn := held.Hijack() // it listens, and goes back to nobody
	defer func() {
		end, done := context.WithTimeout(context.WithoutCancel(ctx), time.Second)
		defer done()
		_ = conn.Close(end)
	}()
	if _, err := conn.Exec(ctx, "listen wisemarrow"); err != nil {
		return err
	}
	wake("")
	for {
		n, err := conn.WaitForNotification(ctx)
		if err != nil {
			return err
		}
		wake(n.Payload)
	}
}
