package pose

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
)

// Tried is a pose that a skin is tried in.
type Tried struct {
	Name  string // "forearm_l bend 135°"
	Joint int    // that turns
	Pose  Pose
}

// AboutWorld returns the turn of a joint, about its own axes, that turns it by degrees about a
// world axis from rest.
func AboutWorld(s *skeleton.Skeleton, t skeleton.Trial, degrees float64) quat.Number {
	axis := geom.Rotate(quat.Conj(geom.Normalise(s.Joints[t.Joint].Rot)), t.Axis)
	return geom.AxisAngle(axis, degrees*math.Pi/180)
}

// Extremes are the poses at both ends of every trial, each joint alone, by a share of its
// range.
func Extremes(s *skeleton.Skeleton, trials []skeleton.Trial, share float64) []Tried {
	var out []Tried
	for _, t := range trials {
		for _, degrees := range t.Degrees {
			if degrees *= share; degrees != 0 {
				out = append(
					out,
					Tried{
						fmt.Sprintf("%s %s %.0f°", s.Joints[t.Joint].Name, t.Name, degrees),
						t.Joint,
						Pose{s.Joints[t.Joint].Name: AboutWorld(s, t, degrees)},
					},
				)
			}
		}
	}
	return out
}

// Heaviest keeps the n poses of the joints with the greatest weight, in the order of the list:
// where there is not time for all, those that move most are tried.
func Heaviest(list []Tried, weight []float64, n int) []Tried {
	if len(list) <= n {
		return list
	}
	order := make([]int, len(list))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		x, y := weight[list[a].Joint], weight[list[b].Joint]
		switch {
		case x > y:
			return -1
		case x < y:
			return 1
		}
		return 0
	})
	order = order[:n]
	slices.Sort(order)
	out := make([]Tried, n)
	for i, k := range order {
		out[i] = list[k]
	}
	return out
}

// Anyhow are poses drawn by seed: each joint is turned about half of its axes, by anything within its usual range.
func Anyhow(s *skeleton.Skeleton, x skeleton.Marks, seed uint64, n int) []Tried {
	rng := rand.New(rand.NewPCG(seed, 0))
	trials := s.Trials(x)
	out := make([]Tried, n)
	for k := range out {
		p := Pose{}
		for _, t := range trials {
			share, turns := rng.Float64(), rng.Float64() < 0.5
			if !turns {
				continue
			}
			q := AboutWorld(s, t, t.Degrees[0]+share*(t.Degrees[1]-t.Degrees[0]))
			name := s.Joints[t.Joint].Name
			if was, ok := p[name]; ok {
				q = quat.Mul(was, q)
			}
			p[name] = q
		}
		out[k] = Tried{Name: fmt.Sprintf("random pose %d", k+1), Joint: -1, Pose: p}
	}
	return out
}
