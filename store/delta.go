package store

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"wisemarrow/studio"

	"github.com/klauspost/compress/zstd"
	"gorm.io/gorm"
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

// before returns, for new content of a revision, the hash of what its part was.
func before(c studio.Commit) map[string]string {
	large := map[string]bool{}
	for _, b := range c.Blobs {
		if len(b.Data) >= deltaLeast && len(b.Data) <= deltaMost {
			large[b.Hash] = true
		}
	}
	out := map[string]string{}
	for key, hash := range c.Parts {
		if was := c.Was[key]; large[hash] && was != "" && was != hash {
			out[hash] = was
		}
	}
	return out
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
	var found []blob
	err := tx.Raw(`with recursive bases as materialized (
			select hash, base from blobs where hash in ? and depth < ? and size between ? and ? order by hash for share),
		`+chain("bases")+rowsOfChain, wanted, deltaDeep, deltaLeast, deltaMost).Scan(&found).Error
	if err != nil {
		return err
	}
	depth := map[string]int{}
	for _, b := range found {
		depth[b.Hash] = b.Depth
	}
	held, err := s.assembled(found, wanted)
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

// chain is the part of a statement that finds all content that some, of the name from, stands on. A store that
// is damaged might have it go round, so it is bounded.
func chain(from string) string {
	return fmt.Sprintf(`chain as (
			select hash, base, 0 as n from %s
			union
			select b.hash, b.base, n + 1 from blobs b join chain on b.hash = chain.base where n <= %d)
		`, from, deltaDeep)
}

const rowsOfChain = "select hash, size, data, base, depth from blobs where hash in (select hash from chain)"

// contents reads content by hash; what stands on other content is put together with it.
func (s *Store) contents(db *gorm.DB, hashes []string) (map[string][]byte, error) {
	var rows []blob
	for part := range slices.Chunk(hashes, atOnce) {
		var found []blob
		err := db.Raw("with recursive wanted as (select hash, base from blobs where hash in ?), "+chain("wanted")+rowsOfChain, part).Scan(&found).Error
		if err != nil {
			return nil, err
		}
		rows = append(rows, found...)
	}
	return s.assembled(rows, hashes)
}

// assembled puts content by hash together of rows that have all that it stands on.
func (s *Store) assembled(list []blob, hashes []string) (map[string][]byte, error) {
	rows := make(map[string]blob, len(list))
	for _, b := range list {
		rows[b.Hash] = b
	}
	out := make(map[string][]byte, len(hashes))
	var read func(hash string, deep int) ([]byte, error)
	read = func(hash string, deep int) ([]byte, error) {
		if data, ok := out[hash]; ok {
			return data, nil
		}
		b, ok := rows[hash]
		if !ok {
			return nil, nil // told by who wants it
		}
		if deep > deltaDeep {
			return nil, fmt.Errorf("the content of %s has a longer chain of bases than is ever written: the store is damaged", hash)
		}
		un := s.un
		if b.Base != nil {
			was, err := read(*b.Base, deep+1)
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
	wanted := make(map[string][]byte, len(hashes))
	for _, hash := range hashes {
		data, err := read(hash, 0)
		if err != nil {
			return nil, err
		}
		if data != nil {
			wanted[hash] = data
		}
	}
	return wanted, nil
}

// Blobs implements studio.Store.
func (s *Store) Blobs(ctx context.Context, hashes []string) (map[string][]byte, error) {
	out, err := s.contents(s.db.WithContext(ctx), hashes)
	return out, mapped(err)
}
