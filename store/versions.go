package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"wisemarrow/studio"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

type version struct {
	ID          int64 `gorm:"primaryKey"`
	Character   string
	Revision    int64
	Name        string
	Note        string
	Author      string
	Time        time.Time
	Profile     string
	Score       *float64
	Over        int
	Findings    string
	Picture     []byte
	Pictured    bool `gorm:"->"` // read from a query alone
	Withdrawn   string
	WithdrawnBy string
	WithdrawnAt *time.Time
}

// TableName implements gorm's Tabler.
func (version) TableName() string { return "versions" }

func (v version) plain() (studio.Version, error) {
	out := studio.Version{
		ID: v.ID, Character: v.Character, Revision: v.Revision, Name: v.Name, Note: v.Note, Author: v.Author, Time: v.Time,
		Profile: v.Profile, Score: v.Score, Over: v.Over, Findings: []studio.FoundThen{}, Pictured: v.Pictured,
		Withdrawn: v.Withdrawn, WithdrawnBy: v.WithdrawnBy, WithdrawnAt: v.WithdrawnAt,
	}
	if err := json.Unmarshal([]byte(v.Findings), &out.Findings); err != nil {
		return out, fmt.Errorf("reading the findings of version %d: %w", v.ID, err)
	}
	return out, nil
}

// Versions implements studio.Versions.
func (s *Store) Versions(ctx context.Context, character string) ([]studio.Version, error) {
	var list []version
	err := s.db.WithContext(ctx).
		Select("id, character, revision, name, note, author, time, profile, score, over, findings, picture is not null as pictured, "+
			"withdrawn, withdrawn_by, withdrawn_at").
		Where("character = ?", character).Order("id").Find(&list).Error
	if err != nil {
		return nil, mapped(err)
	}
	out := make([]studio.Version, len(list))
	for i, v := range list {
		if out[i], err = v.plain(); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// KeepVersion implements studio.Versions.
func (s *Store) KeepVersion(ctx context.Context, v studio.Version, picture []byte) (studio.Version, error) {
	found, err := json.Marshal(v.Findings)
	if err != nil {
		return v, err
	}
	row := version{
		Character: v.Character, Revision: v.Revision, Name: v.Name, Note: v.Note, Author: v.Author, Time: v.Time,
		Profile: v.Profile, Score: v.Score, Over: v.Over, Findings: string(found), Picture: picture,
	}
	err = s.db.WithContext(ctx).Omit("Pictured").Create(&row).Error
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return v, studio.ErrTaken
	}
	if err != nil {
		return v, mapped(err)
	}
	v.ID, v.Pictured = row.ID, picture != nil
	return v, nil
}

// Withdraw implements studio.Versions.
func (s *Store) Withdraw(ctx context.Context, character string, id int64, why, author string) error {
	r := s.db.WithContext(ctx).Model(&version{}).Where("character = ? and id = ? and withdrawn = ''", character, id).
		Updates(map[string]any{"withdrawn": why, "withdrawn_by": author, "withdrawn_at": time.Now()})
	if r.Error == nil && r.RowsAffected == 0 {
		return studio.ErrNotFound
	}
	return mapped(r.Error)
}

// Picture implements studio.Versions.
func (s *Store) Picture(ctx context.Context, character string, id int64) ([]byte, error) {
	var v version
	err := s.db.WithContext(ctx).Select("picture").Where("character = ? and id = ?", character, id).Take(&v).Error
	if err == nil && v.Picture == nil {
		return nil, studio.ErrNotFound
	}
	return v.Picture, mapped(err)
}

type delivery struct {
	Character string `gorm:"primaryKey"`
	Hash      string `gorm:"primaryKey"`
	Revision  int64
	What      string
	Asked     string
	Profile   string
	Size      int64
	Author    string
	Times     int
	First     time.Time
	Last      time.Time
}

// TableName implements gorm's Tabler.
func (delivery) TableName() string { return "deliveries" }

// Delivered implements studio.Versions.
func (s *Store) Delivered(ctx context.Context, d studio.Delivery) error {
	now := time.Now()
	row := delivery{d.Character, d.Hash, d.Revision, d.What, d.Asked, d.Profile, d.Size, d.Author, 1, now, now}
	return mapped(s.db.WithContext(ctx).Clauses(clause.OnConflict{
		Columns: []clause.Column{{Name: "character"}, {Name: "hash"}},
		DoUpdates: clause.Assignments(map[string]any{
			"times": gorm.Expr("deliveries.times + 1"), "author": d.Author, "last": now, "revision": d.Revision, "asked": d.Asked, "profile": d.Profile,
		}),
	}).Create(&row).Error)
}

// Deliveries implements studio.Versions.
func (s *Store) Deliveries(ctx context.Context, character string, limit int) ([]studio.Delivery, error) {
	return s.deliveries(ctx, limit, "character = ?", character)
}

// DeliveriesOf implements studio.Versions.
func (s *Store) DeliveriesOf(ctx context.Context, hash string, limit int) ([]studio.Delivery, error) {
	return s.deliveries(ctx, limit, "hash = ? and exists (select from characters c where c.id = deliveries.character and c.removed_at is null)", hash)
}

func (s *Store) deliveries(ctx context.Context, limit int, where string, args ...any) ([]studio.Delivery, error) {
	var list []delivery
	if err := s.db.WithContext(ctx).Where(where, args...).Order("last desc, hash").Limit(limit).Find(&list).Error; err != nil {
		return nil, mapped(err)
	}
	out := make([]studio.Delivery, len(list))
	for i, d := range list {
		out[i] = studio.Delivery(d)
	}
	return out, nil
}
