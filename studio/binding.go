package studio

import (
	"fmt"
	"slices"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
)

// WithAxes returns the state with other axes of the same joints, which are where they
// were: the bind pose gets the same axes, so that the skin stays where it is.
func (s State) WithAxes(sk *skeleton.Skeleton) State {
	if s.Binding != nil {
		s.Binding = s.Binding.Reoriented(s.Skeleton, sk)
	}
	s.Shapes = s.Shapes.Reoriented(s.Skeleton, sk)
	s.Skeleton = sk
	return s
}

// settled brings along what hangs on the places of joints: what they keep to, and the bind
// pose: a skin that gets weights is bound in the pose in
// which the joints stand, and while it is loose its record follows them.
func settled(before, after State) State {
	if before.Skeleton != nil && after.Skeleton != nil && before.Skeleton != after.Skeleton {
		after.Skeleton = skeleton.Carried(before.Skeleton, after.Skeleton)
	}
	switch {
	case after.Weights == nil || after.Skeleton == nil:
		after.Binding = nil
	case after.Binding == nil:
		after.Binding = pose.Recorded(after.Skeleton)
	case after.Settings.Loose && before.Skeleton != nil && after.Skeleton != before.Skeleton:
		if moved := changed(before.Skeleton, after.Skeleton); moved != nil {
			after.Binding = after.Binding.Rerecorded(after.Skeleton, moved)
		}
	}
	after.Weights = settledMix(before, after)
	after.Sheet = settledSheet(before, after)
	if after.Bind != nil && after.Bind.Score != nil && after.Bind == before.Bind &&
		(after.Weights != before.Weights || after.Sheet == nil || after.Sheet.Stale) {
		bind := *after.Bind
		bind.Score = nil
		after.Bind = &bind
	}
	return after
}

// settledMix returns the weights with what was said of how each vertex blends, which stays
// whatever else becomes of the weights of the same vertices. An operation that takes it away
// leaves an empty one.
func settledMix(before, after State) *weights.Weights {
	w := after.Weights
	if w == nil {
		return nil
	}
	out := *w
	switch {
	case w.Mix != nil && len(w.Mix.Vertices) == 0:
		out.Mix = nil
	case w.Mix == nil && before.Weights != nil && before.Weights.Mix != nil && len(before.Weights.Of) == len(w.Of):
		out.Mix = before.Weights.Mix
	default:
		return w
	}
	return &out
}

// changed returns the names of joints that stand or hang elsewhere, are turned, or are new.
func changed(before, after *skeleton.Skeleton) (out []string) {
	at := before.Numbers()
	name := func(s *skeleton.Skeleton, i int) string {
		if i < 0 {
			return ""
		}
		return s.Joints[i].Name
	}
	for _, j := range after.Joints {
		k, ok := at[j.Name]
		if !ok || before.Joints[k].Pos != j.Pos || before.Joints[k].Rot != j.Rot ||
			name(before, before.Joints[k].Parent) != name(after, j.Parent) {
			out = append(out, j.Name)
		}
	}
	return out
}

// AwayFrom returns the joints that stand elsewhere, or are turned otherwise, than record r
// of the bind pose has them.
func (s State) AwayFrom(r int) (out []string) {
	if s.Binding == nil || s.Skeleton == nil || r >= len(s.Binding.Records) {
		return nil
	}
	limit := pose.MovedLimit(s.Skeleton)
	for _, d := range s.Binding.Drifts(s.Skeleton, r) {
		if d.Off(limit, pose.TurnedLimit) {
			out = append(out, d.Joint)
		}
	}
	return out
}

// FurtherBound returns the bind pose after vertices that had no weights got some: in the
// recorded pose it stays. Away from it that is refused, or they get a record of their own
// where the policy allows it.
func (s State) FurtherBound(vertices []int32) (*pose.Binding, error) {
	b := s.Binding
	if b == nil || len(vertices) == 0 || s.Settings.Loose {
		return b, nil
	}
	away := s.AwayFrom(0)
	switch {
	case away == nil:
		return b, nil
	case !s.Settings.Elsewhere:
		return nil, Wrong(
			"%d joints are not in the bind pose (%s), so this bind would create a second one. At Bind pose, return to it, record it again, or allow a second pose",
			len(away),
			Said(away[:min(3, len(away))]),
		)
	case len(b.Records) == pose.MaxRecords:
		return nil, Wrong("there are %d bind poses already: bring them to one first", pose.MaxRecords)
	}
	out := &pose.Binding{
		Records: append(slices.Clip(b.Records), pose.Record{Name: fmt.Sprintf("bind_%d", len(b.Records)+1), Skeleton: s.Skeleton}),
		Of:      make([]uint8, len(s.Mesh.Points)),
	}
	copy(out.Of, b.Of)
	for _, v := range vertices {
		out.Of[v] = uint8(len(b.Records))
	}
	return out, nil
}
