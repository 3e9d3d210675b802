package store

import "gorm.io/gorm"

// BeforeCommit has f called before each COMMIT.
func (s *Store) BeforeCommit(f func()) {
	s.beforeCommit = func(*gorm.DB) { f() }
}
