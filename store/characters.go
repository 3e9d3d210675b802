package store

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"wisemarrow/studio"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

type production struct {
	Name string `gorm:"primaryKey"`
}

type character struct {
	ID         string `gorm:"primaryKey"`
	Production string
	Name       string
	Role       string
	Head       int64
	Tip        int64
	RemovedAt  *time.Time
}

func (c character) public() studio.Character {
	return studio.Character{ID: c.ID, Production: c.Production, Name: c.Name, Role: c.Role, Head: c.Head, Tip: c.Tip}
}

type revision struct {
	ID        int64 `gorm:"primaryKey"`
	Character string
	Parent    int64
	Op        string
	Params    string
	Author    string
	Outcome   string
	Parts     string
	Time      time.Time
	Bound     bool   `gorm:"-:migration;->"` // of a list that leaves the parts out
	Binding   string `gorm:"-:migration;->"`
}

func (r revision) public() (studio.Revision, error) {
	out := studio.Revision{
		ID:        r.ID,
		Character: r.Character,
		Parent:    r.Parent,
		Op:        r.Op,
		Params:    json.RawMessage(r.Params),
		Author:    r.Author,
		Time:      r.Time,
		Bound:     r.Bound,
		Binding:   r.Binding,
	}
	if err := json.Unmarshal([]byte(r.Outcome), &out.Outcome); err != nil {
		return out, fmt.Errorf("revision %d: %w", r.ID, err)
	}
	if r.Parts == "" { // of a list that leaves them out
		return out, nil
	}
	if err := json.Unmarshal([]byte(r.Parts), &out.Parts); err != nil {
		return out, fmt.Errorf("revision %d: %w", r.ID, err)
	}
	return out, nil
}

// newID returns a random identifier of 26 letters and digits.
func newID() string { return strings.ToLower(rand.Text()) }

// Productions implements studio.Store.
func (s *Store) Productions(ctx context.Context) ([]string, error) {
	var list []production
	if err := s.db.WithContext(ctx).Order("created_at").Find(&list).Error; err != nil {
		return nil, mapped(err)
	}
	out := make([]string, len(list))
	for i, p := range list {
		out[i] = p.Name
	}
	return out, nil
}

// Characters implements studio.Store.
func (s *Store) Characters(ctx context.Context) ([]studio.Character, error) {
	var list []character
	if err := s.db.WithContext(ctx).Where("removed_at is null").Order("created_at").Find(&list).Error; err != nil {
		return nil, mapped(err)
	}
	out := make([]studio.Character, len(list))
	for i, c := range list {
		out[i] = c.public()
	}
	return out, nil
}

// Character implements studio.Store.
func (s *Store) Character(ctx context.Context, id string) (studio.Character, error) {
	var c character
	err := s.db.WithContext(ctx).Where("removed_at is null").First(&c, "id = ?", id).Error
	return c.public(), mapped(err)
}

// Create implements studio.Store.
func (s *Store) Create(ctx context.Context, c studio.Character, first studio.Commit) (studio.Character, error) {
	row := character{ID: newID(), Production: c.Production, Name: c.Name, Role: c.Role}
	err := s.once(ctx, func(tx *gorm.DB) (studio.Receipt, error) {
		var receipt studio.Receipt
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&production{Name: c.Production}).Error; err != nil {
			return receipt, err
		}
		if err := tx.Create(&row).Error; err != nil {
			return receipt, err
		}
		first.Character = row.ID
		r, err := s.insert(tx, first)
		if err != nil {
			return receipt, err
		}
		row.Head, row.Tip = r.ID, r.ID
		return studio.Receipt{Character: row.ID, Revision: r.ID}, tx.Model(&row).Updates(map[string]any{"head": r.ID, "tip": r.ID}).Error
	})
	return row.public(), err
}

// Remove implements studio.Store. The rows stay, marked.
func (s *Store) Remove(ctx context.Context, id string) error {
	r := s.db.WithContext(ctx).Model(&character{}).Where("id = ? and removed_at is null", id).Update("removed_at", time.Now())
	if r.Error == nil && r.RowsAffected == 0 {
		return studio.ErrNotFound
	}
	return mapped(r.Error)
}

// Rename implements studio.Store.
func (s *Store) Rename(ctx context.Context, id, name string) error {
	r := s.db.WithContext(ctx).Model(&character{}).Where("id = ? and removed_at is null", id).Update("name", name)
	if r.Error == nil && r.RowsAffected == 0 {
		return studio.ErrNotFound
	}
	return mapped(r.Error)
}

// insert adds blobs that are new, and the revision.
func (s *Store) insert(tx *gorm.DB, c studio.Commit) (studio.Revision, error) {
	r := c.Revision
	if err := s.insertBlobs(tx, c.Blobs, nil, before(c)); err != nil {
		return r, err
	}
	if err := claimBlobs(tx, c.Files); err != nil {
		return r, err
	}
	outcome, err := json.Marshal(r.Outcome)
	if err != nil {
		return r, err
	}
	parts, err := json.Marshal(r.Parts)
	if err != nil {
		return r, err
	}
	row := revision{
		Character: r.Character,
		Parent:    r.Parent,
		Op:        r.Op,
		Params:    string(r.Params),
		Author:    r.Author,
		Outcome:   string(outcome),
		Parts:     string(parts),
		Time:      r.Time,
	}
	if err := tx.Create(&row).Error; err != nil {
		return r, err
	}
	r.ID = row.ID
	return r, nil
}

// Revision implements studio.Store.
func (s *Store) Revision(ctx context.Context, id int64) (studio.Revision, error) {
	var r revision
	if err := s.db.WithContext(ctx).First(&r, "id = ?", id).Error; err != nil {
		return studio.Revision{}, mapped(err)
	}
	return r.public()
}

// Revisions implements studio.Store.
func (s *Store) Revisions(ctx context.Context, ids []int64) (map[int64]studio.Revision, error) {
	out := map[int64]studio.Revision{}
	for part := range slices.Chunk(ids, atOnce) {
		var rows []revision
		if err := s.db.WithContext(ctx).Where("id in ?", part).Find(&rows).Error; err != nil {
			return nil, mapped(err)
		}
		for _, r := range rows {
			one, err := r.public()
			if err != nil {
				return nil, err
			}
			out[r.ID] = one
		}
	}
	return out, nil
}

// Next implements studio.Store: the newest child, since a change made after an undo
// begins a new line.
func (s *Store) Next(ctx context.Context, id string, head int64) (studio.Revision, error) {
	var r revision
	err := s.db.WithContext(ctx).Where("character = ? and parent = ?", id, head).Order("id desc").First(&r).Error
	if err != nil {
		return studio.Revision{}, mapped(err)
	}
	return r.public()
}

// History implements studio.Store.
func (s *Store) History(ctx context.Context, id string, before int64, limit int) ([]studio.Revision, error) {
	from := "select c.tip from characters c where c.id = @id and c.removed_at is null"
	if before != 0 {
		from = "select r.parent from revisions r where r.id = @before and r.character = @id"
	}
	var rows []revision
	err := s.db.WithContext(ctx).Raw(`with recursive line as (
		select r.id, r.parent, 1 as n from revisions r where r.character = @id and r.id = (`+from+`)
		union all
		select r.id, r.parent, n + 1 from revisions r join line on r.id = line.parent where n < @limit)
		select r.id, r.character, r.parent, r.op, r.author, r.outcome, r.time, jsonb_exists(r.parts, 'weights') and jsonb_exists(r.parts, 'skeleton') as bound, coalesce(r.parts->>'binding', '') as binding from revisions r join line on line.id = r.id order by r.id desc`,
		map[string]any{"id": id, "before": before, "limit": limit}).Scan(&rows).Error
	return public(rows, err)
}

// Line implements studio.Store.
func (s *Store) Line(ctx context.Context, id string, to int64) ([]studio.Revision, error) {
	var rows []revision
	err := s.db.WithContext(ctx).Raw(`with recursive line as (
		select r.id, r.parent from revisions r where r.character = @id and r.id = @to
		union all
		select r.id, r.parent from revisions r join line on r.id = line.parent)
		select r.* from revisions r join line on line.id = r.id order by r.id`, map[string]any{"id": id, "to": to}).Scan(&rows).Error
	return public(rows, err)
}

func public(rows []revision, err error) ([]studio.Revision, error) {
	if err != nil {
		return nil, mapped(err)
	}
	out := make([]studio.Revision, len(rows))
	for i, r := range rows {
		if out[i], err = r.public(); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// locked reads a character for an update and fails unless it is at head.
func locked(tx *gorm.DB, id string, head int64) (character, error) {
	var c character
	err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("removed_at is null").First(&c, "id = ?", id).Error
	if err == nil && c.Head != head {
		err = studio.StaleError{Head: c.Head}
	}
	return c, err
}

// Commit implements studio.Store.
func (s *Store) Commit(ctx context.Context, c studio.Commit) (studio.Revision, error) {
	r := c.Revision
	err := s.once(ctx, func(tx *gorm.DB) (studio.Receipt, error) {
		var receipt studio.Receipt
		var err error
		if r, err = s.insert(tx, c); err != nil {
			return receipt, err
		}
		if c.Work != nil {
			done := held(
				tx.Model(&work{}),
				*c.Work,
			).Updates(map[string]any{"state": studio.WorkDone, "share": 1, "revision": r.ID, "message": r.Outcome.Sentence})
			if done.Error != nil {
				return receipt, done.Error
			}
			if done.RowsAffected == 0 {
				return receipt, studio.ErrNotFound
			}
		}
		// Of two at a time the second waits here for the first, and finds another head.
		moved := tx.Model(&character{}).Where("id = ? and head = ? and removed_at is null", r.Character, c.Head).
			Updates(map[string]any{"head": r.ID, "tip": r.ID})
		if moved.Error == nil && moved.RowsAffected == 0 {
			_, err := locked(tx, r.Character, c.Head)
			return receipt, cmp.Or(err, error(studio.StaleError{Head: c.Head}))
		}
		return studio.Receipt{Character: r.Character, Revision: r.ID}, moved.Error
	})
	return r, err
}

// SetHead implements studio.Store.
func (s *Store) SetHead(ctx context.Context, id string, from, to int64) error {
	return s.once(ctx, func(tx *gorm.DB) (studio.Receipt, error) {
		if _, err := locked(tx, id, from); err != nil {
			return studio.Receipt{}, err
		}
		return studio.Receipt{Character: id, Revision: to}, tx.Model(&character{}).Where("id = ?", id).Update("head", to).Error
	})
}
