package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"time"

	"wisemarrow/studio"

	"gorm.io/gorm"
)

type work struct {
	ID        string `gorm:"primaryKey"`
	Character string
	Base      int64
	Op        string
	Label     string
	Params    string
	Author    string
	State     string
	What      string
	Share     float64
	Message   string
	Revision  int64
	Attempt   int
	Enough    bool `gorm:"default:false"`
	// Times are the database's: clocks of servers may differ.
	BeatAt    time.Time `gorm:"default:now()"`
	CreatedAt time.Time `gorm:"default:now();autoCreateTime:false"`
}

func (w work) public() studio.Work {
	return studio.Work{
		ID:        w.ID,
		Character: w.Character,
		Base:      w.Base,
		Op:        w.Op,
		Label:     w.Label,
		Params:    json.RawMessage(w.Params),
		Author:    w.Author,
		State:     w.State,
		What:      w.What,
		Share:     w.Share,
		Message:   w.Message,
		Revision:  w.Revision,
		Attempt:   w.Attempt,
	}
}

// open are the states of work that has not ended.
var open = []string{studio.WorkQueued, studio.WorkRunning}

// now is the database's time, and silent what has not been heard of for
// studio.AbandonAfter by it.
var (
	now    = gorm.Expr("now()")
	silent = fmt.Sprintf("beat_at < now() - interval '%g seconds'", studio.AbandonAfter.Seconds())
)

// held narrows to the work that this attempt still holds.
func held(tx *gorm.DB, c studio.Claim) *gorm.DB {
	return tx.Where("id = ? and attempt = ? and state = ?", c.Work, c.Attempt, studio.WorkRunning)
}

// AddWork implements studio.Store.
func (s *Store) AddWork(ctx context.Context, w studio.Work) (studio.Work, error) {
	params := string(w.Params)
	if params == "" {
		params = "{}"
	}
	row := work{ID: newID(), Character: w.Character, Base: w.Base, Op: w.Op, Label: w.Label, Params: params, Author: w.Author,
		State: studio.WorkQueued, What: "Waiting for a worker"}
	err := s.once(ctx, func(tx *gorm.DB) (studio.Receipt, error) {
		var waiting int64
		if err := tx.Model(&work{}).Where("author = ? and state in ?", w.Author, open).Count(&waiting).Error; err != nil {
			return studio.Receipt{}, err
		}
		if waiting >= studio.MostWaiting {
			return studio.Receipt{}, studio.Wrong(
				"%d works of yours wait or run already: wait for some of them to end, or cancel them",
				waiting,
			)
		}
		if err := tx.Create(&row).Error; err != nil {
			return studio.Receipt{}, err
		}
		if s.jobs != nil {
			plain, ok := tx.Statement.ConnPool.(*sql.Tx)
			if !ok {
				return studio.Receipt{}, fmt.Errorf("a work is stored outside of a transaction: %T", tx.Statement.ConnPool)
			}
			if err := s.jobs.InsertTx(ctx, plain, row.ID); err != nil {
				return studio.Receipt{}, err
			}
		}
		return studio.Receipt{Character: w.Character, Work: row.ID}, nil
	})
	return row.public(), err
}

// Work implements studio.Store.
func (s *Store) Work(ctx context.Context, id string) (studio.Work, error) {
	var w work
	err := s.db.WithContext(ctx).First(&w, "id = ?", id).Error
	return w.public(), mapped(err)
}

// OpenWork implements studio.Store: what is queued or running on a character,
// or ended in the last half minute, newest first.
func (s *Store) OpenWork(ctx context.Context, id string) ([]studio.Work, error) {
	var list []work
	err := s.db.WithContext(ctx).
		Where("character = ? and (state in ? or beat_at > now() - interval '30 seconds')", id, open).
		Order("created_at desc").
		Find(&list).
		Error
	out := make([]studio.Work, len(list))
	for i, w := range list {
		out[i] = w.public()
	}
	return out, mapped(err)
}

// Unattended returns the work that has been queued, or whose attempt has been
// silent, for studio.AbandonAfter. Queued work is not named again for as long.
func (s *Store) Unattended(ctx context.Context) ([]string, error) {
	var ids []string
	err := s.db.WithContext(ctx).Model(&work{}).Where("state in ? and "+silent, open).Order("created_at").Pluck("id", &ids).Error
	if err == nil && len(ids) > 0 {
		err = s.db.WithContext(ctx).Model(&work{}).Where("id in ? and state = ?", ids, studio.WorkQueued).Update("beat_at", now).Error
	}
	return ids, mapped(err)
}

// maxAttempts is how often a work may be begun before it counts as failed.
const maxAttempts = 4

// turn picks the queued work whose turn it is: people take turns, whoever has fewest works running first, then who
// was served longest ago; of one person's the oldest.
var turn = `select id from works w where state = 'queued' order by
	(select count(*) from works r where r.author = w.author and r.state = 'running' and not (r.` + silent + `)),
	(select coalesce(max(r.beat_at), 'epoch') from works r where r.author = w.author and r.state <> 'queued' and r.created_at > now() - interval '1 day'),
	w.created_at, w.id limit 1 for update skip locked`

// ClaimWork implements studio.Store.
func (s *Store) ClaimWork(ctx context.Context, id string) (studio.Work, studio.Claim, error) {
	var w work
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var abandoned int64
		if err := tx.Model(&work{}).Where("id = ? and state = ? and "+silent, id, studio.WorkRunning).Count(&abandoned).Error; err != nil {
			return err
		}
		if abandoned == 0 {
			var next []string
			if err := tx.Raw(turn).Scan(&next).Error; err != nil {
				return err
			}
			if len(next) == 0 {
				return studio.ErrNotFound
			}
			id = next[0]
		}
		r := tx.Model(&work{}).Where("id = ? and (state = ? or (state = ? and "+silent+"))", id, studio.WorkQueued, studio.WorkRunning).
			Updates(map[string]any{"state": studio.WorkRunning, "attempt": gorm.Expr("attempt + 1"), "beat_at": now, "what": "Starting"})
		if r.Error != nil {
			return r.Error
		}
		if r.RowsAffected == 0 {
			return studio.ErrNotFound
		}
		if err := tx.First(&w, "id = ?", id).Error; err != nil {
			return err
		}
		if w.Attempt > maxAttempts {
			return tx.Model(&w).Updates(map[string]any{"state": studio.WorkFailed,
				"message": "it started several times but never finished: each worker stopped during it"}).Error
		}
		return nil
	})
	if err == nil && w.Attempt > maxAttempts {
		err = studio.ErrNotFound
	}
	return w.public(), studio.Claim{Work: w.ID, Attempt: w.Attempt}, mapped(err)
}

// Beat implements studio.Store.
func (s *Store) Beat(ctx context.Context, c studio.Claim, what string, share float64) (bool, error) {
	var rows []struct {
		Enough     bool
		Base, Head int64
	}
	err := s.db.WithContext(ctx).Raw(`update works w set beat_at = now(), what = ?, share = ? where id = ? and attempt = ? and state = ?
		returning enough, base, (select head from characters c where c.id = w.character) as head`,
		what, share, c.Work, c.Attempt, studio.WorkRunning).Scan(&rows).Error
	switch {
	case err != nil:
		return false, mapped(err)
	case len(rows) == 0:
		return false, studio.ErrNotFound
	case rows[0].Head != rows[0].Base:
		return false, studio.StaleError{Head: rows[0].Head}
	}
	return rows[0].Enough, nil
}

// CloseWork implements studio.Store.
func (s *Store) CloseWork(ctx context.Context, c studio.Claim, state, message string) error {
	return mapped(
		held(s.db.WithContext(ctx).Model(&work{}), c).Updates(map[string]any{"state": state, "message": message, "beat_at": now}).Error,
	)
}

// ReleaseWork implements studio.Store. The attempt does not count: it did not fail.
func (s *Store) ReleaseWork(ctx context.Context, c studio.Claim) error {
	return mapped(
		held(
			s.db.WithContext(ctx).Model(&work{}),
			c,
		).Updates(map[string]any{"state": studio.WorkQueued, "attempt": gorm.Expr("attempt - 1"),
			"share": 0, "what": "Given back by a worker that stopped; waiting for another", "beat_at": now}).
			Error,
	)
}

// CancelWork implements studio.Store. Work that has ended stays as it is.
func (s *Store) CancelWork(ctx context.Context, id string) (studio.Work, error) {
	err := s.db.WithContext(ctx).Model(&work{}).Where("id = ? and state in ?", id, open).
		Updates(map[string]any{"state": studio.WorkCancelled, "message": "cancelled; nothing was changed", "beat_at": now}).Error
	if err != nil {
		return studio.Work{}, mapped(err)
	}
	return s.Work(ctx, id)
}

// StopWork implements studio.Store. Work that has ended stays as it is.
func (s *Store) StopWork(ctx context.Context, id string) (studio.Work, error) {
	if err := s.db.WithContext(ctx).Model(&work{}).Where("id = ? and state in ?", id, open).Update("enough", true).Error; err != nil {
		return studio.Work{}, mapped(err)
	}
	return s.Work(ctx, id)
}

// CountWorks returns how many works of the last day are in each state.
func (s *Store) CountWorks(ctx context.Context) (map[string]int, error) {
	var rows []struct {
		State string
		N     int
	}
	err := s.db.WithContext(ctx).
		Model(&work{}).
		Select("state, count(*) as n").
		Where("created_at > now() - interval '1 day'").
		Group("state").
		Find(&rows).
		Error
	out := map[string]int{}
	for _, r := range rows {
		out[r.State] = r.N
	}
	return out, mapped(err)
}
