package pose

import (
	"fmt"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Clip is a motion: for every frame the root's move from rest, in metres, and
// the turn of each joint about its own axes at rest.
type Clip struct {
	Name   string          `json:"name"`
	Step   float64         `json:"step"` // seconds a frame
	Joints []string        `json:"joints"`
	Root   []r3.Vec        `json:"root"`  // by frame
	Turns  [][]quat.Number `json:"turns"` // by frame, then joint
}

// Frames returns the number of frames.
func (c *Clip) Frames() int { return len(c.Turns) }

// Validate reports the first frame that does not fit the joints.
func (c *Clip) Validate() error {
	if !(c.Step > 0) {
		return fmt.Errorf("a frame of clip %q lasts %g seconds", c.Name, c.Step)
	}
	if len(c.Root) != len(c.Turns) {
		return fmt.Errorf("clip %q has %d places of the root for %d frames", c.Name, len(c.Root), len(c.Turns))
	}
	for f, list := range c.Turns {
		if len(list) != len(c.Joints) {
			return fmt.Errorf("frame %d of clip %q has %d turns for %d joints", f, c.Name, len(list), len(c.Joints))
		}
	}
	return nil
}

// At returns the pose of a frame and the root's move.
func (c *Clip) At(frame int) (Pose, r3.Vec) {
	p := Pose{}
	for i, name := range c.Joints {
		p[name] = c.Turns[frame][i]
	}
	return p, c.Root[frame]
}

// WithHelpers returns a clip about the joints' own axes with the turns of the helper joints of s in every frame, for
// programs that do not know their rules.
func (c *Clip) WithHelpers(s *skeleton.Skeleton) *Clip {
	list := s.Helpers()
	if c == nil || len(list) == 0 {
		return c
	}
	out := &Clip{Name: c.Name, Step: c.Step, Root: c.Root, Turns: make([][]quat.Number, len(c.Turns))}
	var kept []int
	for k, name := range c.Joints {
		if i := s.Index(name); i < 0 || s.Joints[i].Helper == nil {
			kept, out.Joints = append(kept, k), append(out.Joints, name)
		}
	}
	for _, i := range list {
		out.Joints = append(out.Joints, s.Joints[i].Name)
	}
	for f := range c.Turns {
		p, _ := c.At(f)
		for _, k := range kept {
			out.Turns[f] = append(out.Turns[f], c.Turns[f][k])
		}
		for _, i := range list {
			q, _ := turnOf(s, p, i)
			out.Turns[f] = append(out.Turns[f], q)
		}
	}
	return out
}

// AboutWorld returns the clip of a skeleton with turns about the world's axes at
// rest instead of the joints' own: they mean the same whatever axes the joints
// are given later.
func (c *Clip) AboutWorld(s *skeleton.Skeleton) *Clip {
	return c.each(func(joint string, q quat.Number) quat.Number {
		if i := s.Index(joint); i >= 0 {
			q = quat.Mul(s.Joints[i].Rot, quat.Mul(q, quat.Conj(s.Joints[i].Rot)))
		}
		return geom.Normalise(q)
	})
}

// AboutOwn is the reverse of AboutWorld.
func (c *Clip) AboutOwn(s *skeleton.Skeleton) *Clip {
	return c.each(func(joint string, q quat.Number) quat.Number {
		if i := s.Index(joint); i >= 0 {
			q = quat.Mul(quat.Conj(s.Joints[i].Rot), quat.Mul(q, s.Joints[i].Rot))
		}
		return geom.Normalise(q)
	})
}

// Transform returns a clip about the world's axes in a world that is turned and
// scaled.
func (c *Clip) Transform(turn quat.Number, scale float64) *Clip {
	out := c.each(func(_ string, q quat.Number) quat.Number {
		return geom.Normalise(quat.Mul(turn, quat.Mul(q, quat.Conj(turn))))
	})
	for f := range out.Root {
		out.Root[f] = r3.Scale(scale, geom.Rotate(turn, out.Root[f]))
	}
	return out
}

// Without returns a clip about the world's axes for a skeleton from which joints
// (the keys) are taken out: what hangs from one of them takes over its turns, so
// that it moves as before.
func (c *Clip) Without(s *skeleton.Skeleton, gone map[string]string) *Clip {
	number := map[string]int{}
	for k, name := range c.Joints {
		number[name] = k
	}
	// The removed ancestors of each joint that stays, from the nearest up.
	above := map[string][]int{}
	stay := []string{}
	for _, j := range s.Joints {
		if _, out := gone[j.Name]; out {
			continue
		}
		for p := j.Parent; p >= 0; p = s.Joints[p].Parent {
			if _, out := gone[s.Joints[p].Name]; !out {
				break
			}
			if k, moves := number[s.Joints[p].Name]; moves {
				above[j.Name] = append(above[j.Name], k)
			}
		}
		if _, moves := number[j.Name]; moves || above[j.Name] != nil {
			stay = append(stay, j.Name)
		}
	}
	out := &Clip{Name: c.Name, Step: c.Step, Joints: stay, Root: c.Root}
	for f := range c.Turns {
		row := make([]quat.Number, len(stay))
		for i, name := range stay {
			row[i] = geom.Identity
			if k, moves := number[name]; moves {
				row[i] = c.Turns[f][k]
			}
			for _, k := range above[name] {
				row[i] = quat.Mul(c.Turns[f][k], row[i])
			}
		}
		out.Turns = append(out.Turns, row)
	}
	return out
}

// Renamed returns the clip with joints under other names (new by old).
func (c *Clip) Renamed(names map[string]string) *Clip {
	if len(names) == 0 {
		return c
	}
	out := *c
	out.Joints = slices.Clone(c.Joints)
	for i, n := range out.Joints {
		if to, ok := names[n]; ok {
			out.Joints[i] = to
		}
	}
	return &out
}

// InPlace returns the clip with a root that goes only up and down, which is along Z where zUp.
func (c *Clip) InPlace(zUp bool) *Clip {
	out := *c
	out.Root = make([]r3.Vec, len(c.Root))
	for f, p := range c.Root {
		if out.Root[f] = (r3.Vec{Y: p.Y}); zUp {
			out.Root[f] = r3.Vec{Z: p.Z}
		}
	}
	return &out
}

// Only returns the clip with just the joints that names (new by old) has, under
// their new names.
func (c *Clip) Only(names map[string]string) *Clip {
	out := &Clip{Name: c.Name, Step: c.Step, Root: c.Root}
	var which []int
	for k, n := range c.Joints {
		if to, ok := names[n]; ok {
			which = append(which, k)
			out.Joints = append(out.Joints, to)
		}
	}
	for _, list := range c.Turns {
		row := make([]quat.Number, len(which))
		for i, k := range which {
			row[i] = list[k]
		}
		out.Turns = append(out.Turns, row)
	}
	return out
}

// each returns the clip with every turn put through f.
func (c *Clip) each(f func(joint string, q quat.Number) quat.Number) *Clip {
	out := &Clip{Name: c.Name, Step: c.Step, Joints: c.Joints, Root: slices.Clone(c.Root)}
	for _, list := range c.Turns {
		row := make([]quat.Number, len(list))
		for i, q := range list {
			row[i] = like(f(c.Joints[i], q), q)
		}
		out.Turns = append(out.Turns, row)
	}
	return out
}
