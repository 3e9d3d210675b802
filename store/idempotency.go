package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"wisemarrow/studio"

	"gorm.io/gorm"
)

type idempotencyKey struct {
	Key       string `gorm:"primaryKey"`
	Character string
	Revision  int64
	Work      string
	What      string
	At        time.Time `gorm:"default:now()"`
}

// TableName implements gorm's Tabler.
func (idempotencyKey) TableName() string { return "asked" }

// Receipt implements studio.Store.
func (s *Store) Receipt(ctx context.Context, key string) (studio.Receipt, error) {
	var a idempotencyKey
	err := s.db.WithContext(ctx).First(&a, "key = ?", key).Error
	return studio.Receipt{Character: a.Character, Revision: a.Revision, Work: a.Work, What: a.What}, mapped(err)
}

// once does a change in a transaction and notes under the key of the context what came
// of it. A key that is taken is studio.ErrRepeated. Where the connection is lost after
// COMMIT was sent, nobody knows whether it was done: the key tells, and where it cannot
// the error is studio.ErrUnknown.
func (s *Store) once(ctx context.Context, do func(tx *gorm.DB) (studio.Receipt, error)) error {
	key := studio.KeyOf(ctx)
	ready := false // all but COMMIT is done
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		receipt, err := do(tx)
		if err != nil {
			return err
		}
		if key != "" {
			err = tx.Create(
				&idempotencyKey{
					Key:       key,
					Character: receipt.Character,
					Revision:  receipt.Revision,
					Work:      receipt.Work,
					What:      studio.WhatOf(ctx),
				},
			).Error
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
			if _, found := s.Receipt(again, key); found == nil {
				return nil
			}
			time.Sleep(150 * time.Millisecond)
		}
	}
	return fmt.Errorf("%w (%v)", studio.ErrUnknown, err)
}
