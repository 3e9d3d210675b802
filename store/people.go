package store

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"wisemarrow/people"
	"wisemarrow/studio"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

type person struct {
	Name     string `gorm:"primaryKey"`
	Role     string
	Password string
	Added    time.Time `gorm:"default:now()"`
	Since    time.Time `gorm:"default:'epoch'"`
}

// TableName implements gorm's Tabler.
func (person) TableName() string { return "people" }

func (p person) public() people.Person {
	return people.Person{Name: p.Name, Role: people.Role(p.Role), Password: p.Password, Added: p.Added, Since: p.Since}
}

// People implements people.Store.
func (s *Store) People(ctx context.Context) ([]people.Person, error) {
	var rows []person
	err := s.db.WithContext(ctx).Order("lower(name)").Find(&rows).Error
	out := make([]people.Person, len(rows))
	for i, p := range rows {
		out[i] = p.public()
	}
	return out, mapped(err)
}

// Person implements people.Store.
func (s *Store) Person(ctx context.Context, name string) (people.Person, error) {
	var p person
	err := s.db.WithContext(ctx).First(&p, "lower(name) = lower(?)", name).Error
	return p.public(), someone(err)
}

func someone(err error) error {
	if err = mapped(err); errors.Is(err, studio.ErrNotFound) {
		return people.ErrNobody
	}
	return err
}

// AddPerson implements people.Store.
func (s *Store) AddPerson(ctx context.Context, p people.Person) error {
	err := s.db.WithContext(ctx).Create(&person{Name: p.Name, Role: string(p.Role), Password: p.Password}).Error
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return people.ErrTaken
	}
	return mapped(err)
}

// ChangePerson implements people.Store. A zero Since stays as it is.
func (s *Store) ChangePerson(ctx context.Context, p people.Person) error {
	return s.amongPeople(ctx, p.Name, func(tx *gorm.DB) error {
		to := map[string]any{"role": string(p.Role), "password": p.Password}
		if !p.Since.IsZero() {
			to["since"] = p.Since
		}
		return tx.Updates(to).Error
	})
}

// RemovePerson implements people.Store.
func (s *Store) RemovePerson(ctx context.Context, name string) error {
	return s.amongPeople(ctx, name, func(tx *gorm.DB) error { return tx.Delete(&person{}).Error })
}

// amongPeople changes a person, unless it would leave people without a lead.
func (s *Store) amongPeople(ctx context.Context, name string, change func(tx *gorm.DB) error) error {
	return someone(s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var all []person // locked, so that two leads cannot remove each other
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Order("name").Find(&all).Error; err != nil {
			return err
		}
		leads := func() (n int64, err error) {
			err = tx.Model(&person{}).Where("role = ?", people.Lead).Count(&n).Error
			return n, err
		}
		before, err := leads()
		if err != nil {
			return err
		}
		r := tx.Model(&person{}).Where("lower(name) = lower(?)", name)
		var n int64
		if err := r.Count(&n).Error; err != nil {
			return err
		}
		if n == 0 {
			return people.ErrNobody
		}
		if err := change(tx.Model(&person{}).Where("lower(name) = lower(?)", name)); err != nil {
			return err
		}
		after, err := leads()
		if err == nil && before > 0 && after == 0 {
			return people.ErrLastLead
		}
		return err
	}))
}

// Try implements people.Store.
func (s *Store) Try(ctx context.Context, key string, free int) (wait time.Duration, err error) {
	err = s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Exec("insert into attempts (key) values (?) on conflict do nothing", key).Error; err != nil {
			return err
		}
		var a struct {
			Failed int
			Ago    float64
		}
		if err := tx.Raw("select failed, extract(epoch from now() - last) as ago from attempts where key = ? for update", key).Scan(&a).Error; err != nil {
			return err
		}
		ago := time.Duration(a.Ago * float64(time.Second))
		if wait = people.Pause(a.Failed, free, ago); wait > 0 {
			return nil
		}
		failed := a.Failed + 1
		if ago > time.Hour {
			failed = 1
		}
		return tx.Exec("update attempts set failed = ?, last = now() where key = ?", failed, key).Error
	})
	return wait, mapped(err)
}

// Excuse implements people.Store.
func (s *Store) Excuse(ctx context.Context, key string) error {
	return mapped(s.db.WithContext(ctx).Exec("update attempts set failed = greatest(failed - 1, 0) where key = ?", key).Error)
}

// Forget implements people.Store.
func (s *Store) Forget(ctx context.Context, key string) error {
	return mapped(s.db.WithContext(ctx).Exec("delete from attempts where key = ?", key).Error)
}

type audit struct {
	ID              int64
	Time            time.Time `gorm:"default:now()"`
	Who, From, What string
}

// TableName implements gorm's Tabler.
func (audit) TableName() string { return "audit" }

// Note implements people.Store.
func (s *Store) Note(ctx context.Context, e people.Event) error {
	return mapped(s.db.WithContext(ctx).Create(&audit{Who: e.Who, From: e.From, What: e.What}).Error)
}

// Events implements people.Store, newest first.
func (s *Store) Events(ctx context.Context, limit int) ([]people.Event, error) {
	var rows []audit
	err := s.db.WithContext(ctx).Order("id desc").Limit(limit).Find(&rows).Error
	out := make([]people.Event, len(rows))
	for i, a := range rows {
		out[i] = people.Event{Time: a.Time, Who: a.Who, From: a.From, What: a.What}
	}
	return out, mapped(err)
}

// SQL returns the pool of connections, for sessions.
func (s *Store) SQL() (*sql.DB, error) { return s.db.DB() }
