package store

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"fmt"
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
}

func (r revision) public() (studio.Revision, error) {
	out := studio.Revision{ID: r.ID, Character: r.Character, Parent: r.Parent, Op: r.Op, Params: json.RawMessage(r.Params), Author: r.Author, Time: r.Time}
	if err := json.Unmarshal([]byte(r.Outcome), &out.Outcome); err != nil {
		return out, fmt.Errorf("revision %d: %w", r.ID, err)
	}
	if err := json.Unmarshal([]byte(r.Parts), &out.Parts); err != nil {
		return out, fmt.Errorf("revision %d: %w", r.ID, err)
	}
	return out, nil
}

type blob struct {
	Hash string `gorm:"primaryKey"`
	Size int64
	Data []byte
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
func (s *Store) Create(ctx context.Context, c studio.Character, first studio.Revision, blobs []studio.Blob) (studio.Character, error) {
	row := character{ID: newID(), Production: c.Production, Name: c.Name, Role: c.Role}
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&production{Name: c.Production}).Error; err != nil {
			return err
		}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		first.Character = row.ID
		r, err := s.insert(tx, first, blobs)
		if err != nil {
			return err
		}
		row.Head, row.Tip = r.ID, r.ID
		return tx.Model(&row).Updates(map[string]any{"head": r.ID, "tip": r.ID}).Error
	})
	return row.public(), mapped(err)
}

// Remove implements studio.Store. The rows stay, marked.
func (s *Store) Remove(ctx context.Context, id string) error {
	r := s.db.WithContext(ctx).Model(&character{}).Where("id = ? and removed_at is null", id).Update("removed_at", time.Now())
	if r.Error == nil && r.RowsAffected == 0 {
		return studio.ErrNotFound
	}
	return mapped(r.Error)
}

// insert adds blobs that are new, and the revision.
func (s *Store) insert(tx *gorm.DB, r studio.Revision, blobs []studio.Blob) (studio.Revision, error) {
	for _, b := range blobs {
		row := blob{Hash: b.Hash, Size: int64(len(b.Data)), Data: s.zip.EncodeAll(b.Data, nil)}
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row).Error; err != nil {
			return r, err
		}
	}
	outcome, err := json.Marshal(r.Outcome)
	if err != nil {
		return r, err
	}
	parts, err := json.Marshal(r.Parts)
	if err != nil {
		return r, err
	}
	row := revision{Character: r.Character, Parent: r.Parent, Op: r.Op, Params: string(r.Params), Author: r.Author, Outcome: string(outcome), Parts: string(parts), Time: r.Time}
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

// History implements studio.Store.
func (s *Store) History(ctx context.Context, id string) ([]studio.Revision, error) {
	c, err := s.Character(ctx, id)
	if err != nil {
		return nil, err
	}
	var rows []revision
	err = s.db.WithContext(ctx).Raw(`with recursive line as (
		select * from revisions where id = ? union all
		select r.* from revisions r join line on r.id = line.parent)
		select * from line order by id desc`, c.Tip).Scan(&rows).Error
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
		err = studio.ErrStale{Head: c.Head}
	}
	return c, err
}

// Commit implements studio.Store.
func (s *Store) Commit(ctx context.Context, r studio.Revision, blobs []studio.Blob, claim *studio.Claim) (studio.Revision, error) {
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if _, err := locked(tx, r.Character, r.Parent); err != nil {
			return err
		}
		var err error
		if r, err = s.insert(tx, r, blobs); err != nil {
			return err
		}
		if claim != nil {
			done := held(tx, *claim).Updates(map[string]any{"state": studio.WorkDone, "share": 1, "revision": r.ID, "message": r.Outcome.Sentence})
			if done.Error != nil {
				return done.Error
			}
			if done.RowsAffected == 0 {
				return studio.ErrNotFound
			}
		}
		return tx.Model(&character{}).Where("id = ?", r.Character).Updates(map[string]any{"head": r.ID, "tip": r.ID}).Error
	})
	return r, mapped(err)
}

// SetHead implements studio.Store.
func (s *Store) SetHead(ctx context.Context, id string, from, to int64) error {
	return mapped(s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if _, err := locked(tx, id, from); err != nil {
			return err
		}
		return tx.Model(&character{}).Where("id = ?", id).Update("head", to).Error
	}))
}

// Blob implements studio.Store.
func (s *Store) Blob(ctx context.Context, hash string) ([]byte, error) {
	var b blob
	if err := s.db.WithContext(ctx).First(&b, "hash = ?", hash).Error; err != nil {
		return nil, mapped(err)
	}
	data, err := s.un.DecodeAll(b.Data, make([]byte, 0, b.Size))
	if err != nil {
		return nil, fmt.Errorf("blob %s is damaged: %w", hash, err)
	}
	return data, nil
}
