package store

import (
	"context"
	"log/slog"
	"strings"
	"time"

	"gorm.io/gorm"
)

// Tidied is what nothing refers to any longer: what was released, or would be.
type Tidied struct {
	Characters int64 `json:"characters"` // removed long enough ago
	Revisions  int64 `json:"revisions"`  // theirs, and those of branches that were undone and left
	Works      int64 `json:"works"`      // of removed characters
	Blobs      int64 `json:"blobs"`      // that no revision, work or shelf names
	Bytes      int64 `json:"bytes"`      // that these take in the database
	Staged     int64 `json:"staged"`     // sent and never named, and what an earlier night set aside
	Derived    int64 `json:"derived"`    // computed long ago and not asked for since
}

// Any reports whether there is anything to release.
func (t Tidied) Any() bool { return t != Tidied{} }

// TidyAfter is how long what was removed or undone stays before it may be released.
const TidyAfter = 30 * 24 * time.Hour

// leftover are revisions that nobody can come to again: of characters that were removed before a time, and
// those made before it that lead neither to a character's head, nor to where redo goes, nor to a version or a file that was handed
// over.
const leftover = `with recursive line as (
	select r.id, r.parent from revisions r join characters c on r.character = c.id and r.id in (c.head, c.tip)
	union
	select r.id, r.parent from revisions r where r.id in (select revision from versions union select revision from deliveries)
	union
	select r.id, r.parent from revisions r join line on r.id = line.parent)
select r.id from revisions r join characters c on r.character = c.id
where c.removed_at < @before
   or r.time < @before and not exists (select from line where line.id = r.id)
  and not exists (select from works w where w.state in ('queued', 'running') and w.base = r.id)`

// named are the hashes that something names which stays: parts of revisions, and whatever looks like one in the parameters
// of operations, of works, and on the shelf; and what other content stands on.
const named = `select p.value as hash from revisions r, jsonb_each_text(r.parts) p where r.id not in (select id from leftover)
union select (regexp_matches(params::text, '[0-9a-f]{64}', 'g'))[1] from revisions where id not in (select id from leftover)
union select (regexp_matches(w.params::text, '[0-9a-f]{64}', 'g'))[1] from works w join characters c on w.character = c.id where c.removed_at is null or c.removed_at >= @before
union select (regexp_matches(body::text, '[0-9a-f]{64}', 'g'))[1] from shelf
union select base from blobs where base is not null`

// Nightly tidies, and logs what was released.
func (s *Store) Nightly(ctx context.Context) error {
	t, err := s.Tidy(ctx, TidyAfter, false)
	if err == nil && t.Any() {
		slog.Info(
			"tidied",
			"characters",
			t.Characters,
			"revisions",
			t.Revisions,
			"works",
			t.Works,
			"set aside",
			t.Blobs,
			"bytes",
			t.Bytes,
			"dropped",
			t.Staged,
			"derived",
			t.Derived,
		)
	}
	return err
}

// Tidy releases what nothing refers to any longer and has not for a time: characters that were removed,
// branches that were undone and left, and content that nothing names. Content is set aside first and goes a
// day later, if it was not named meanwhile: so that a change on its way cannot lose what it is about to name.
// With look nothing is changed and it says what would go, content that is set aside included.
func (s *Store) Tidy(ctx context.Context, after time.Duration, look bool) (Tidied, error) {
	var out Tidied
	before := time.Now().Add(-after)
	at := map[string]any{"before": before, "derived": derivedFor.Seconds(), "staged": stagedFor.Seconds()}
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		with := func(sql string) []any { // parameters, for a statement that has any
			if strings.Contains(sql, "@") {
				return []any{at}
			}
			return nil
		}
		count := func(into *int64, sql string) error { return tx.Raw(sql, with(sql)...).Scan(into).Error }
		for _, sql := range []string{
			"create temp table leftover (id bigint primary key) on commit drop", "insert into leftover " + leftover,
			"create temp table named (hash text primary key) on commit drop", "insert into named " + named,
		} {
			if err := tx.Exec(sql, with(sql)...).Error; err != nil {
				return err
			}
		}
		for _, c := range []struct {
			into *int64
			sql  string
		}{
			{&out.Characters, "select count(*) from characters where removed_at < @before"},
			{&out.Revisions, "select count(*) from leftover"},
			{&out.Works, "select count(*) from works w join characters c on w.character = c.id where c.removed_at < @before"},
			{&out.Derived, "select count(*) from derived where made_at < now() - make_interval(secs => @derived)"},
			{&out.Staged, "select count(*) from blobs where staged_at < now() - make_interval(secs => @staged)"},
		} {
			if err := count(c.into, c.sql); err != nil {
				return err
			}
		}
		if !look {
			for _, sql := range []string{
				"delete from works w using characters c where w.character = c.id and c.removed_at < @before",
				"delete from versions v using characters c where v.character = c.id and c.removed_at < @before",
				"delete from deliveries d using characters c where d.character = c.id and c.removed_at < @before",
				"delete from revisions where id in (select id from leftover)",
				"delete from characters where removed_at < @before",
				// What an earlier night set aside and something names after all stays.
				"update blobs set staged_at = null where staged_at is not null and hash in (select hash from named)",
			} {
				if err := tx.Exec(sql, with(sql)...).Error; err != nil {
					return err
				}
			}
		}
		row := struct{ N, Bytes int64 }{}
		if err := tx.Raw("select count(*) as n, coalesce(sum(octet_length(data)), 0) as bytes from blobs b where staged_at is null and not exists (select from named n where n.hash = b.hash)").Scan(&row).Error; err != nil {
			return err
		}
		out.Blobs, out.Bytes = row.N, row.Bytes
		if look {
			return nil
		}
		return tx.Exec(
			"update blobs b set staged_at = now() where staged_at is null and not exists (select from named n where n.hash = b.hash)",
		).Error
	})
	if err != nil || look {
		return out, mapped(err)
	}
	return out, s.Sweep(ctx)
}
