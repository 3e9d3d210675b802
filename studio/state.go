// Package studio holds the use cases: the state of a character, the operations
// that change it, its findings by stage, its history, and the long work on it.
// It declares the store and the queue that it needs; others implement them.
package studio

import (
	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
)

// State is everything that a character is at one revision. It is a value: an
// operation returns a new one and leaves the parts that it does not touch
// shared. Skeleton, Weights, Fit and Bind are nil before their stage.
type State struct {
	Mesh     *mesh.Mesh
	Skeleton *skeleton.Skeleton
	Weights  *weights.Weights
	Fit      *skeleton.FitReport
	Bind     *BindRecord
	Settings Settings
}

// Settings are what a character follows in naming and axes, and where it came
// from.
type Settings struct {
	Source     string              `json:"source"` // file name
	Notes      []string            `json:"notes,omitempty"`
	Joined     int                 `json:"joined,omitempty"` // split vertices that are one here
	Suffixes   skeleton.Suffixes   `json:"suffixes"`
	Convention skeleton.Convention `json:"convention"`
	Oriented   bool                `json:"oriented"` // axes were set by an operation
}

// DefaultSettings are those of a new character.
func DefaultSettings() Settings {
	return Settings{Suffixes: skeleton.DefaultSuffixes, Convention: skeleton.DefaultConvention}
}

// BindRecord is what the last bind did and the skeleton that it was done for.
type BindRecord struct {
	Report   bind.Report        `json:"report"`
	Stray    []int32            `json:"stray,omitempty"`
	Skeleton *skeleton.Skeleton `json:"skeleton"`
	Options  BindHeat           `json:"options"`
}

// renumbered returns the state with another mesh whose vertices are the old
// ones by mapping; nil means that their numbers did not change.
func (s State) renumbered(m *mesh.Mesh, mapping mesh.Mapping) State {
	s.Mesh = m
	if mapping == nil {
		return s
	}
	if s.Weights != nil {
		s.Weights = s.Weights.Renumber(mapping, len(m.Points))
	}
	if s.Bind != nil {
		record := *s.Bind
		record.Stray = nil
		record.Report.Vertices = len(m.Points)
		if s.Weights != nil {
			record.Stray = s.Weights.Unweighted()
		}
		record.Report.Unweighted = len(record.Stray)
		s.Bind = &record
	}
	return s
}
