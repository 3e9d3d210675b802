// Package studio holds the use cases: the state of a character, the operations
// that change it, its findings by stage, its history, and the long work on it.
// It declares the store and the queue that it needs; others implement them.
package studio

import (
	"slices"

	"wisemarrow/core/bind"
	"wisemarrow/core/fit"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/formats/look"
)

// State is everything that a character is at one revision. It is a value: an
// operation returns a new one and leaves the parts that it does not touch
// shared. Skeleton, Weights, Fit and Bind are nil before their stage.
type State struct {
	Mesh     *mesh.Mesh
	Skeleton *skeleton.Skeleton
	Weights  *weights.Weights
	Fit      *fit.Report
	Bind     *BindRecord
	Look     *look.Look // materials as they came, for the handoff; nil without
	// Clips are motions that came with a skeleton. Their turns are about the
	// world's axes at rest, so that joints may be given other axes.
	Clips    []*pose.Clip
	Settings Settings
}

// Settings are what a character follows in naming and axes, and where it came
// from.
type Settings struct {
	Source     string              `json:"source"` // file name
	Notes      []string            `json:"notes,omitempty"`
	Joined     int                 `json:"joined,omitempty"` // split vertices that are one here
	Marks      skeleton.Marks      `json:"suffixes"`
	Convention skeleton.Convention `json:"convention"`
	Oriented   bool                `json:"oriented"`       // axes were set by an operation
	Kind       string              `json:"kind,omitempty"` // of health.Kinds
}

// DefaultSettings are those of a new character.
func DefaultSettings() Settings {
	return Settings{Marks: skeleton.DefaultMarks, Convention: skeleton.DefaultConvention}
}

// BindRecord is what the last bind did and the skeleton that it was done for.
type BindRecord struct {
	Report   bind.Report        `json:"report"`
	Stray    []int32            `json:"stray,omitempty"`
	Skeleton *skeleton.Skeleton `json:"skeleton"`
	Options  BindHeat           `json:"options"`
}

// withMesh returns the state with another mesh whose vertices come from the old
// ones by origin; nil means that their numbers did not change.
func (s State) withMesh(m *mesh.Mesh, origin mesh.Origin) State {
	s.Mesh = m
	if origin != nil && s.Weights != nil {
		s.Weights = s.Weights.Gather(origin)
	}
	return s.recounted()
}

// recounted returns the state with the vertices without weights counted anew.
func (s State) recounted() State {
	if s.Bind == nil || s.Weights == nil {
		return s
	}
	record := *s.Bind
	record.Stray = s.stray()
	record.Report.Vertices = len(s.Mesh.Points)
	record.Report.Unweighted, record.Report.Stray = len(record.Stray), record.Stray
	s.Bind = &record
	return s
}

// stray returns the vertices without weights that are not out of the bind.
func (s State) stray() []int32 {
	if s.Weights == nil {
		return nil
	}
	list := s.Weights.Unweighted()
	if s.Mesh == nil {
		return list
	}
	_, out := s.Mesh.Bindable()
	if out == nil {
		return list
	}
	return slices.DeleteFunc(list, func(v int32) bool { return out[v] })
}

// moved returns the state with mesh, skeleton and the skeleton of the bind
// brought elsewhere together, so that the skin stays as it was.
func (s State) moved(p mesh.Placement) State {
	if s.Skeleton != nil && p != mesh.NoPlacement {
		to := p.Similarity(s.Mesh)
		s.Skeleton = s.Skeleton.Transform(to, p.Rotation())
		s.Clips = eachClip(s.Clips, func(c *pose.Clip) *pose.Clip { return c.Transform(p.Rotation(), p.Scale) })
		if s.Bind != nil {
			record := *s.Bind
			record.Skeleton = record.Skeleton.Transform(to, p.Rotation())
			s.Bind = &record
		}
	}
	s.Mesh = s.Mesh.Bake(p)
	return s
}
