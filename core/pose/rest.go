package pose

import (
	"errors"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Rested returns the skeleton with a pose as its rest: joints stand and are turned as they
// are in the pose. A joint that the pose does not move stays just as it is.
func Rested(s *skeleton.Skeleton, p Pose) *skeleton.Skeleton {
	out := s.Clone()
	turned := turnedBy(s, p)
	long := lengthens(s, p)
	for i, j := range s.Joints {
		if !turned[i] {
			continue
		}
		t, q := s.Local(i)
		t = long.place(j.Parent, t)
		if turn, ok := turnOf(s, p, i); ok {
			q = quat.Mul(q, geom.Normalise(turn))
		}
		o := &out.Joints[i]
		o.Pos, o.Rot = t, geom.Normalise(q)
		if j.Parent >= 0 {
			up := out.Joints[j.Parent]
			o.Pos, o.Rot = r3.Add(up.Pos, geom.Rotate(up.Rot, t)), geom.Normalise(quat.Mul(up.Rot, q))
		}
	}
	return out
}

// ErrNoArms means that no arm was found to be turned.
var ErrNoArms = errors.New(
	"no arm was found by the names of the joints: an arm begins at a shoulder (upper_arm, humerus) and ends at a wrist (hand)",
)

// ArmsTo returns the pose in which the arms of a body that stands point straight out to
// their sides, so many degrees below level, and by how many degrees they are off that now
// at the most. The line from shoulder to wrist is turned the shortest way; with straight
// every bone of the arm is.
func ArmsTo(s *skeleton.Skeleton, x skeleton.Marks, degrees float64, straight bool) (Pose, float64, error) {
	if s.Lying(x) {
		return nil, 0, errors.New("the torso is horizontal, like a four-legged animal's: front legs are not posed as arms")
	}
	p, worst := Pose{}, 0.0
	motion := make([]skeleton.Motion, len(s.Joints))
	for i, j := range s.Joints {
		if j.Helper == nil {
			motion[i] = x.MotionOf(j.Name)
		}
	}
	now := s
	for i := range s.Joints {
		if motion[i] != skeleton.Shoulder {
			continue
		}
		wrist := -1
		for _, k := range s.Branch(i) {
			if motion[k] == skeleton.Wrist {
				wrist = k
				break
			}
		}
		if wrist < 0 {
			continue
		}
		side := 1.0
		if s.Joints[wrist].Pos.X < s.MirrorPlane(x) {
			side = -1
		}
		sin, cos := math.Sincos(degrees * math.Pi / 180)
		to := r3.Vec{X: side * cos, Y: -sin}
		var joints []int // of the arm that are turned, and the joint that each points to
		var ends []int
		if straight {
			chain := []int{}
			for k := wrist; k != i; k = s.Joints[k].Parent {
				chain = append([]int{k}, chain...)
			}
			joints, ends = append([]int{i}, chain[:len(chain)-1]...), chain
			if k := onlyChild(s, wrist); k >= 0 {
				joints, ends = append(joints, wrist), append(ends, k)
			}
		} else {
			joints, ends = []int{i}, []int{wrist}
		}
		for n, k := range joints {
			at := now.Joints[k]
			d := r3.Sub(now.Joints[ends[n]].Pos, at.Pos)
			if r3.Norm(d) == 0 {
				continue
			}
			turn := geom.Between(d, to)
			onto := geom.Between(r3.Sub(s.Joints[ends[n]].Pos, s.Joints[k].Pos), to)
			worst = math.Max(worst, geom.Angle(onto, geom.Identity)*180/math.Pi)
			p[at.Name] = geom.Normalise(quat.Mul(quat.Conj(at.Rot), quat.Mul(turn, at.Rot)))
			now = Rested(s, p)
		}
	}
	if len(p) == 0 {
		return nil, 0, ErrNoArms
	}
	return p, worst, nil
}

// onlyChild returns the only child of a joint, -1 where it has none or several: a hand with
// fingers is carried along.
func onlyChild(s *skeleton.Skeleton, i int) int {
	list := s.Children()[i]
	if len(list) == 1 {
		return list[0]
	}
	return -1
}
