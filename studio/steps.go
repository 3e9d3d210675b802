package studio

import (
	"slices"

	"wisemarrow/core/finding"
)

// FirstStep is one of the few things that are done at a stage, in their order, for who is new to it. Done tells
// from the state and from what the stage found whether it is; what nobody can measure is no step.
type FirstStep struct {
	What string
	Done func(s *State, r *Reviewed) bool
}

// ToldStep is a step as it is told.
type ToldStep struct {
	What string
	Done bool
}

// StepsOf are the first steps of a stage of a review, and which of them are done.
func StepsOf(r *Reviewed, s *State) []ToldStep {
	i := slices.IndexFunc(stages, func(x Stage) bool { return x.Name == r.Name })
	if i < 0 {
		return nil
	}
	var out []ToldStep
	for _, step := range stages[i].Steps {
		out = append(out, ToldStep{step.What, step.Done(s, r)})
	}
	return out
}

// Without is a step that is done once the stage was measured, on a state that is ready, and none of these
// findings is left.
func Without(ready func(s *State) bool, codes ...string) func(*State, *Reviewed) bool {
	return func(s *State, r *Reviewed) bool {
		return ready(s) && r.State != Checking &&
			!slices.ContainsFunc(r.Findings, func(f finding.Finding) bool { return slices.Contains(codes, f.Code) })
	}
}

// Settled is a step that is done once the stage was measured and nothing that blocks or harms is left.
func Settled(ready func(s *State) bool) func(*State, *Reviewed) bool {
	return func(s *State, r *Reviewed) bool { return ready(s) && r.State != Checking && r.Open() == 0 }
}

// Has is a step that the state alone tells.
func Has(ready func(s *State) bool) func(*State, *Reviewed) bool {
	return func(s *State, _ *Reviewed) bool { return ready(s) }
}

// HasMesh reports whether there is a mesh.
func HasMesh(s *State) bool { return s.Mesh != nil }

// HasSkeleton reports whether there is a skeleton.
func HasSkeleton(s *State) bool { return s.Skeleton != nil }

// HasWeights reports whether there are weights.
func HasWeights(s *State) bool { return s.Weights != nil }
