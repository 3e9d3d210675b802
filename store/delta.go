package store

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"wisemarrow/studio"

	"github.com/klauspost/compress/zstd"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// A change by hand touches a few vertices of columns that hold thousands. What a part becomes is stored as what
// differs from what it was, where that is much shorter: the content of before is the dictionary that zstd
// compresses with (RFC 8878, section 5; "patch from" of its command line).

const (
	deltaLeast = 2 << 10 // bytes of content below which it is not worth the trouble
	deltaMost  = 8 << 20 // of content that is held in memory beside what it was before
	deltaDeep  = 12      // how many stand one on another, before one is stored whole again
	deltaGain  = 2       // times shorter than whole that it must be
	deltaDict  = 1       // the number of the dictionary in a frame
)

// before returns, for new content of a revision, the hash of what its part was at the parent.
func before(tx *gorm.DB, c studio.Commit) (map[string]string, error) {
	large := map[string]bool{}
	for _, b := range c.Blobs {
		if len(b.Data) >= deltaLeast && len(b.Data) <= deltaMost {
			large[b.Hash] = true
		}
	}
	if len(large) == 0 || c.Parent == 0 {
		return nil, nil
	}
	var parent revision
	if err := tx.Select("parts").First(&parent, "id = ?", c.Parent).Error; err != nil {
		return nil, err
	}
	var parts studio.Parts
	if err := json.Unmarshal([]byte(parent.Parts), &parts); err != nil {
		return nil, fmt.Errorf("revision %d: %w", c.Parent, err)
	}
	out := map[string]string{}
	for key, hash := range c.Parts {
		if was := parts[key]; large[hash] && was != "" && was != hash {
			out[hash] = was
		}
	}
	return out, nil
}

// deltas gives rows of new content a base, where what differs from it is much shorter. of names the base by the
// hash of the content. Bases are locked, so that they stay until the transaction ends.
func (s *Store) deltas(tx *gorm.DB, rows []blob, content map[string][]byte, of map[string]string) error {
	var wanted []string
	for _, r := range rows {
		if base := of[r.Hash]; base != "" {
			wanted = append(wanted, base)
		}
	}
	if len(wanted) == 0 {
		return nil
	}
	slices.Sort(wanted)
	wanted = slices.Compact(wanted)
	var bases []blob
	if err := tx.Clauses(clause.Locking{Strength: "SHARE"}).Select("hash", "size", "depth").Where("hash in ? and depth < ? and size between ? and ?", wanted, deltaDeep, deltaLeast,
		deltaMost).Order("hash").Find(&bases).Error; err != nil {
		return err
	}
	depth := map[string]int{}
	var hashes []string
	for _, b := range bases {
		depth[b.Hash] = b.Depth
		hashes = append(hashes, b.Hash)
	}
	held, err := s.contents(tx, hashes)
	if err != nil {
		return err
	}
	for i := range rows {
		r := &rows[i]
		base := of[r.Hash]
		was, ok := held[base]
		if !ok {
			continue
		}
		enc, err := zstd.NewWriter(
			nil,
			zstd.WithEncoderConcurrency(1),
			zstd.WithEncoderDictRaw(deltaDict, was),
			zstd.WithWindowSize(windowOf(len(was)+len(content[r.Hash]))),
			zstd.WithEncoderLevel(zstd.SpeedDefault),
		)
		if err != nil {
			return err
		}
		short := enc.EncodeAll(content[r.Hash], nil)
		_ = enc.Close()
		if deltaGain*len(short) < len(r.Data) {
			r.Data, r.Base, r.Depth = short, &base, depth[base]+1
		}
	}
	return nil
}

// windowOf is the window that reaches over so many bytes: a power of two.
func windowOf(bytes int) int {
	w := zstd.MinWindowSize
	for w < bytes {
		w *= 2
	}
	return w
}

// contents reads content by hash; what stands on other content is put together with it.
func (s *Store) contents(db *gorm.DB, hashes []string) (map[string][]byte, error) {
	rows := map[string]blob{}
	for todo := hashes; len(todo) > 0; {
		var next []string
		for part := range slices.Chunk(todo, atOnce) {
			var found []blob
			if err := db.Select("hash", "size", "data", "base").Where("hash in ?", part).Find(&found).Error; err != nil {
				return nil, err
			}
			for _, b := range found {
				rows[b.Hash] = b
			}
		}
		for _, hash := range todo {
			b, ok := rows[hash]
			if ok && b.Base != nil && rows[*b.Base].Hash == "" {
				next = append(next, *b.Base)
			}
		}
		slices.Sort(next)
		todo = slices.Compact(next)
		if len(rows) > len(hashes)*(deltaDeep+1) {
			return nil, fmt.Errorf(
				"the content of %s has a longer chain of bases than is ever written: the store is damaged",
				cmp.Or(hashes...),
			)
		}
	}
	out := make(map[string][]byte, len(hashes))
	var read func(hash string) ([]byte, error)
	read = func(hash string) ([]byte, error) {
		if data, ok := out[hash]; ok {
			return data, nil
		}
		b, ok := rows[hash]
		if !ok {
			return nil, nil // told by who asked for it
		}
		un := s.un
		if b.Base != nil {
			was, err := read(*b.Base)
			if err == nil && was == nil {
				err = fmt.Errorf("%s, its base, is missing", *b.Base)
			}
			if err != nil {
				return nil, fmt.Errorf("blob %s: %w", hash, err)
			}
			if un, err = zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderDictRaw(deltaDict, was),
				zstd.WithDecoderMaxWindow(64<<20)); err != nil {
				return nil, err
			}
			defer un.Close()
		}
		data, err := un.DecodeAll(b.Data, make([]byte, 0, b.Size))
		if err != nil || int64(len(data)) != b.Size {
			return nil, fmt.Errorf("blob %s is damaged: %w", hash, cmp.Or(err, fmt.Errorf("it has %d bytes of %d", len(data), b.Size)))
		}
		out[hash] = data
		return data, nil
	}
	asked := make(map[string][]byte, len(hashes))
	for _, hash := range hashes {
		data, err := read(hash)
		if err != nil {
			return nil, err
		}
		if data != nil {
			asked[hash] = data
		}
	}
	return asked, nil
}

// Blobs implements studio.Store.
func (s *Store) Blobs(ctx context.Context, hashes []string) (map[string][]byte, error) {
	out, err := s.contents(s.db.WithContext(ctx), hashes)
	return out, mapped(err)
}
