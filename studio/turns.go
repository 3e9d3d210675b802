package studio

import "wisemarrow/core/pose"

// Turns are turns of joints about their own axes by name: x, y, z, w.
type Turns map[string][4]float64

// Pose returns them as a pose of a skeleton; a joint that it lacks, or what is no turn, is refused.
func (t Turns) Pose(s *State) (pose.Pose, error) {
	for name := range t {
		if s.Skeleton.Index(name) < 0 {
			return nil, Wrong("there is no joint %q", name)
		}
	}
	p, err := pose.Turned(t)
	if err != nil {
		return nil, Wrong("%v", err)
	}
	return p, nil
}

// TurnsOf is a pose as operations name it.
func TurnsOf(p pose.Pose) Turns {
	t := Turns{}
	for name, q := range p {
		t[name] = [4]float64{q.Imag, q.Jmag, q.Kmag, q.Real}
	}
	return t
}
