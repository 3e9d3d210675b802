package studio

import (
	"slices"

	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
)

// InBuild is the state with the shape targets that a hand sets as a set of values has them, or with one target at 1 and the
// others off. The sheet, results that are kept and the like are as they were.
func (s *State) InBuild(name string) (*State, error) {
	rig := s.Rig()
	values := map[string]float64{name: 1}
	if k := slices.IndexFunc(rig.Sets, func(x shape.Set) bool { return x.Name == name }); k >= 0 {
		values = rig.Sets[k].Values
	} else if k := rig.Find(name); k < 0 {
		return nil, Wrong("there is no shape target or set of values %q", name)
	} else if !rig.Targets[k].ByHand() {
		return nil, Wrong("%s is brought on by %s, and cannot be a build of its own", name, rig.Targets[k].By())
	}
	out := *s
	out.Shapes = rig.Set(values)
	return &out, nil
}

// WithBuild returns the state with its joints where another build has them, whose vertices are in place already: what was done to
// the skin at rest is still done, and motions turn each joint about its own axes as before.
func (s State) WithBuild(built *skeleton.Skeleton) State {
	before := s.Skeleton
	if built == before {
		return s
	}
	s.Skeleton = built
	if s.Binding != nil {
		s.Binding = s.Binding.Rebuilt(before, built)
	}
	again := func(c *pose.Clip) *pose.Clip { return c.AboutOwn(before).AboutWorld(built) }
	s.Clips, s.Poses = EachClip(s.Clips, again), EachClip(s.Poses, again)
	if s.Bind != nil && s.Bind.Skeleton != nil && changed(s.Bind.Skeleton, before) == nil {
		b := *s.Bind
		b.Skeleton = built
		s.Bind = &b
	}
	return s
}

// Built is the skeleton of a state in the body that its sliders make.
func (s *State) Built() *skeleton.Skeleton {
	e := s.Rig().For(s.Skeleton, s.Settings.Marks)
	return e.Built(e.Values(nil))
}
