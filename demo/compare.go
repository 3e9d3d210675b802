package demo

import (
	"fmt"
	"math"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// CreatureParams read a creature with as many joints as its limbs bend.
var CreatureParams = skeleton.Params{Starter: "shape", Height: 1}

// Reading is how a skeleton that was read from a creature's shape compares with its true limbs, as shares of the
// longest side of the box around the mesh.
type Reading struct {
	Found       int     // limbs with a joint within CreatureNear of each true one
	Limbs       int     // in all
	Tips        int     // limbs to whose tip a joint is as near
	Mean, Worst float64 // from each true joint to the nearest that is read
	Sure        int     // joints said to be sure
	SureNear    int     // of them, those within CreatureNear of a true limb's line
	Wrong       []string
}

// CreatureNear is how near, as a share of the longest side, a joint must be to count as found.
const CreatureNear = 0.04

// Good reports whether every limb was found and none is named for the wrong side.
func (r Reading) Good() bool { return len(r.Wrong) == 0 }

// Compare holds a skeleton against the true limbs of a creature.
func Compare(m *mesh.Mesh, s *skeleton.Skeleton, truth []Limb) Reading {
	d := geom.BoxOf(m.Points).Size()
	size := max(d.X, d.Y, d.Z)
	r := Reading{Limbs: len(truth)}
	n := 0.0
	for _, l := range truth {
		missed, far := 0, 0.0
		for k, p := range l.Joints {
			best := math.Inf(1)
			for _, j := range s.Joints {
				best = min(best, r3.Norm(r3.Sub(j.Pos, p)))
				// A curve has no joints of its own, but bones that run along it.
				curve := l.Kind == "stem" || l.Kind == "tail" && k > 0 && k+1 < len(l.Joints)
				if curve && j.Parent >= 0 {
					on, _ := geom.ClosestOnSegment(p, j.Pos, s.Joints[j.Parent].Pos)
					best = min(best, r3.Norm(r3.Sub(on, p)))
				}
			}
			r.Mean += best / size
			r.Worst = max(r.Worst, best/size)
			n++
			if best > CreatureNear*size {
				missed++
				far = max(far, best/size)
			}
		}
		if missed == 0 {
			r.Found++
		} else {
			r.Wrong = append(r.Wrong, fmt.Sprintf("%s%s: %d of %d joints not there, %.1f %% off", l.Kind, l.Side, missed, len(l.Joints), 100*far))
		}
		tip, best, name := l.Joints[len(l.Joints)-1], math.Inf(1), ""
		for _, j := range s.Joints {
			if e := r3.Norm(r3.Sub(j.Pos, tip)); e < best {
				best, name = e, j.Name
			}
		}
		if best < CreatureNear*size {
			r.Tips++
		}
		if l.Side != "" && best < 2*CreatureNear*size && !strings.HasSuffix(name, l.Side) {
			r.Wrong = append(r.Wrong, fmt.Sprintf("%s%s is named %s", l.Kind, l.Side, name))
		}
	}
	r.Mean /= n
	for _, j := range s.Joints {
		if j.Confidence < skeleton.Sure || j.Parent < 0 || strings.HasPrefix(j.Name, "body") { // a body's line is not in the truth
			continue
		}
		r.Sure++
		best := math.Inf(1)
		for _, l := range truth {
			for k := 1; k < len(l.Joints); k++ {
				on, _ := geom.ClosestOnSegment(j.Pos, l.Joints[k-1], l.Joints[k])
				best = min(best, r3.Norm(r3.Sub(on, j.Pos)))
			}
		}
		if best < CreatureNear*size {
			r.SureNear++
		}
	}
	return r
}
