package store

import (
	"cmp"
	"context"
	"slices"
	"time"

	"wisemarrow/studio"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

type blob struct {
	Hash     string `gorm:"primaryKey"`
	Size     int64
	Data     []byte
	StagedAt *time.Time
	Base     *string // content that Data is what differs from; nil where it is whole
	Depth    int
}

// atOnce is how many rows one statement names; the protocol allows 65,535
// parameters.
const atOnce = 8000

// insertBlobs adds content that is new; staged content that is named stays for good. of is what content was
// before, by its hash.
func (s *Store) insertBlobs(tx *gorm.DB, blobs []studio.Blob, staged *time.Time, of map[string]string) error {
	content := map[string][]byte{}
	rows := make([]blob, len(blobs))
	for i, b := range blobs {
		content[b.Hash] = b.Data
		rows[i] = blob{Hash: b.Hash, Size: int64(len(b.Data)), Data: s.zip.EncodeAll(b.Data, nil), StagedAt: staged}
	}
	// In one order, so that two transactions never wait for each other.
	slices.SortFunc(rows, func(a, b blob) int { return cmp.Compare(a.Hash, b.Hash) })
	rows = slices.CompactFunc(rows, func(a, b blob) bool { return a.Hash == b.Hash })
	if err := s.deltas(tx, rows, content, of); err != nil {
		return err
	}
	for len(rows) > 0 {
		// A statement holds a few large blobs or many small ones.
		n, bytes := 0, 0
		for n < len(rows) && n < 500 && (n == 0 || bytes+len(rows[n].Data) < 16<<20) {
			bytes += len(rows[n].Data)
			n++
		}
		err := tx.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "hash"}},
			DoUpdates: clause.Assignments(map[string]any{"staged_at": gorm.Expr("excluded.staged_at")}),
			Where:     clause.Where{Exprs: []clause.Expression{gorm.Expr("blobs.staged_at is not null")}}}).Create(rows[:n]).Error
		if err != nil {
			return err
		}
		rows = rows[n:]
	}
	return nil
}

// claimBlobs makes staged content that a revision names stay.
func claimBlobs(tx *gorm.DB, hashes []string) error {
	for part := range slices.Chunk(hashes, atOnce) {
		// Locked, so that no sweep takes them meanwhile.
		var rows []string
		if err := tx.Model(&blob{}).Clauses(clause.Locking{Strength: "UPDATE"}).Where("hash in ?", part).Pluck("hash", &rows).Error; err != nil {
			return err
		}
		if len(rows) < len(part) {
			return studio.Wrong("a file that this names is not stored any more: send it again")
		}
		if err := tx.Model(&blob{}).Where("hash in ? and staged_at is not null", part).Update("staged_at", nil).Error; err != nil {
			return err
		}
	}
	return nil
}

// Stage implements studio.Store.
func (s *Store) Stage(ctx context.Context, blobs []studio.Blob) error {
	now := time.Now()
	return mapped(s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error { return s.insertBlobs(tx, blobs, &now, nil) }))
}

// How long staged content waits to be named, and what was derived is kept.
const (
	stagedFor  = 24 * time.Hour
	derivedFor = 30 * 24 * time.Hour
)

// Sweep drops content that nobody named within a day, what came of changes as long ago,
// and what was derived long ago.
func (s *Store) Sweep(ctx context.Context) error {
	db := s.db.WithContext(ctx)
	// What other content stands on stays until that has gone.
	if err := db.Where("staged_at < now() - make_interval(secs => ?) and not exists (select from blobs d where d.base = blobs.hash)", stagedFor.Seconds()).Delete(&blob{}).Error; err != nil {
		return mapped(err)
	}
	if err := db.Where("at < now() - make_interval(secs => ?)", stagedFor.Seconds()).Delete(&idempotencyKey{}).Error; err != nil {
		return mapped(err)
	}
	if err := db.Exec("delete from attempts where last < now() - make_interval(secs => ?)", stagedFor.Seconds()).Error; err != nil {
		return mapped(err)
	}
	return mapped(db.Where("made_at < now() - make_interval(secs => ?)", derivedFor.Seconds()).Delete(&derived{}).Error)
}

type derived struct {
	Key  string `gorm:"primaryKey"`
	Data []byte
}

// TableName implements gorm's Tabler.
func (derived) TableName() string { return "derived" }

// Derived implements studio.Store.
func (s *Store) Derived(ctx context.Context, keys []string) (map[string][]byte, error) {
	out := map[string][]byte{}
	for part := range slices.Chunk(keys, atOnce) {
		var rows []derived
		if err := s.db.WithContext(ctx).Where("key in ?", part).Find(&rows).Error; err != nil {
			return nil, mapped(err)
		}
		for _, d := range rows {
			out[d.Key] = d.Data
		}
	}
	return out, nil
}

// Derive implements studio.Store.
func (s *Store) Derive(ctx context.Context, values map[string][]byte) error {
	rows := make([]derived, 0, len(values))
	for key, data := range values {
		rows = append(rows, derived{key, data})
	}
	slices.SortFunc(rows, func(a, b derived) int { return cmp.Compare(a.Key, b.Key) })
	return mapped(s.db.WithContext(ctx).Clauses(clause.OnConflict{DoNothing: true}).CreateInBatches(rows, 500).Error)
}
