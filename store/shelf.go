package store

import (
	"context"
	"encoding/json"

	"wisemarrow/studio"

	"gorm.io/gorm/clause"
)

type shelfItem struct {
	Production string `gorm:"primaryKey"`
	Kind       string `gorm:"primaryKey"`
	Name       string `gorm:"primaryKey"`
	Body       string
}

// TableName implements gorm's Tabler.
func (shelfItem) TableName() string { return "shelf" }

// Shelf implements studio.Store.
func (s *Store) Shelf(ctx context.Context, production string) ([]studio.ShelfItem, error) {
	var list []shelfItem
	if err := s.db.WithContext(ctx).Where("production = ?", production).Order("kind, name").Find(&list).Error; err != nil {
		return nil, mapped(err)
	}
	out := make([]studio.ShelfItem, len(list))
	for i, x := range list {
		out[i] = studio.ShelfItem{Production: x.Production, Kind: x.Kind, Name: x.Name, Body: json.RawMessage(x.Body)}
	}
	return out, nil
}

// Shelve implements studio.Store.
func (s *Store) Shelve(ctx context.Context, item studio.ShelfItem) error {
	row := shelfItem{item.Production, item.Kind, item.Name, string(item.Body)}
	return mapped(s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error)
}

// Discard implements studio.Store.
func (s *Store) Discard(ctx context.Context, production, kind, name string) error {
	r := s.db.WithContext(ctx).Where("production = ? and kind = ? and name = ?", production, kind, name).Delete(&shelfItem{})
	if r.Error == nil && r.RowsAffected == 0 {
		return studio.ErrNotFound
	}
	return mapped(r.Error)
}
