package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"wisemarrow/studio"

	"gorm.io/gorm"
)

type asked struct {
	Key       string `gorm:"primaryKey"`
	Character string
	Revision  int64
	Work      string
	What      string
	At        time.Time `gorm:"default:now()"`
}

// TableName implements gorm's Tabler.
func (asked) TableName() string { return "asked" }

// Came implements studio.Store.
func (s *Store) Came(ctx context.Context, key string) (studio.Came, error) {
	var a asked
	err := s.db.WithContext(ctx).First(&a, "key = ?", key).Error
	return studio.Came{Character: a.Character, Revision: a.Revision, Work: a.Work, What: a.What}, mapped(err)
}

// once does a change in a transaction and notes under the key of the context what came
// of it. A key that is taken is studio.ErrRepeated. Where the connection is lost after
// COMMIT was sent, nobody knows whether it was done: the key tells, and where it cannot
// the error is studio.ErrUnknown.
func (s *Store) once(ctx context.Context, do func(tx *gorm.DB) (studio.Came, error)) error {
	key := studio.KeyOf(ctx)
	ready := false // all but COMMIT is done
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		came, err := do(tx)
		if err != nil {
			return err
		}
		if key != "" {
			err = tx.Create(&asked{Key: key, Character: came.Character, Revision: came.Revision, Work: came.Work, What: studio.WhatOf(ctx)}).Error
			if errors.Is(err, gorm.ErrDuplicatedKey) {
				return studio.ErrRepeated
			}
			if err != nil {
				return err
			}
		}
		ready = true
		if s.beforeCommit != nil {
			s.beforeCommit(tx)
		}
		return nil
	})
	if err = mapped(err); errors.Is(err, studio.ErrFull) {
		s.full.Store(time.Now().UnixNano())
	}
	if err == nil || !ready {
		return err
	}
	if key != "" {
		// The request may have been given up; what came of it is still to be told.
		again, end := context.WithTimeout(context.WithoutCancel(ctx), 3*time.Second)
		defer end()
		for range 6 { // the server may still be at it
			if _, found := s.Came(again, key); found == nil {
				return nil
			}
			time.Sleep(150 * time.Millisecond)
		}
	}
	return fmt.Errorf("%w (%v)", studio.ErrUnknown, err)
}
