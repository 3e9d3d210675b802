package solve

import (
	"slices"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Spoiled is a place of the skin that other weights spoil: it is over its limit, and was not, or by less.
type Spoiled struct {
	deform.Fault         // as it is; a lesser fault of a place has the vertices and the blame of the place
	Was          float64 // over the limit, before
}

// worseBy is how much more than before a place that was over its limit may be over it.
const worseBy = 0.1

// SpoiledBy are the places that come through a reel worse than they did. after are the faults that were found; before
// measures the same place with the former weights, as deform.Skin.SpotTimes does.
func SpoiledBy(after []deform.Fault, before func(kind string, frame int) (float64, error)) (out []Spoiled, err error) {
	add := func(f deform.Fault) error {
		if f.Times <= 1 {
			return nil
		}
		was, err := before(f.Kind, f.Frame)
		if err == nil && (was <= 1 || f.Times > (1+worseBy)*was) {
			out = append(out, Spoiled{f, was})
		}
		return err
	}
	for _, f := range after {
		if err := add(f); err != nil {
			return nil, err
		}
		for _, x := range f.Also {
			lesser := f
			lesser.Kind, lesser.Pose, lesser.Frame, lesser.Times, lesser.Also = x.Kind, x.Pose, x.Frame, x.Times, nil
			if err := add(lesser); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}

// Guard keeps solved weights from spoiling what was good.
type Guard struct {
	Mesh     *mesh.Mesh
	Skeleton *skeleton.Skeleton
	Marks    skeleton.Marks
	Was      *weights.Weights // before solving
	Cap      int
	Locked   []bool // of the joints of the solved weights
	// Check tries weights in a reel. Before measures a place of it with the weights that there were.
	Check  func(w *weights.Weights) ([]deform.Fault, error)
	Before func(kind string, frame int) (times float64, err error)
}

const (
	// mostRounds is how often weights are given back and checked again.
	mostRounds = 4
	// wholly is up to how far as much is given back as a place needs, and softly how much farther less and less is, of the height, in
	// the first round; as much again is added in each.
	wholly, softly = 0.01, 0.04
	// aim is where a place that was good is to end, of its limit.
	aim = 0.97
	// ofLimb is from what weight on a vertex counts to a limb whose volume is spoiled.
	ofLimb = 0.3
)

// Guarded are solved weights that spoil as little as can be.
type Guarded struct {
	Weights *weights.Weights
	Spoiled []Spoiled // by the weights as they were solved
	Left    []Spoiled // by these
	Back    int       // how many vertices were given back, in whole or in part
}

// Keep gives the places that solved weights spoil as much of their former weights back as they need, softly and on both
// sides, and checks again. Solved weights list the former joints first.
func (g Guard) Keep(solved *weights.Weights) (*Guarded, error) {
	points, share := g.Mesh.World(), make([]float64, len(solved.Of))
	plane, height := g.Skeleton.MirrorPlane(g.Marks), geom.BoxOf(points).Size().Y
	rigid := weights.RigidPieces(g.Mesh, g.Was)
	out := &Guarded{Weights: solved}
	for round := 1; ; round++ {
		faults, err := g.Check(out.Weights)
		if err != nil {
			return nil, err
		}
		if out.Left, err = SpoiledBy(faults, g.Before); err != nil {
			return nil, err
		}
		if round == 1 {
			out.Spoiled = out.Left
		}
		if len(out.Left) == 0 || round > mostRounds {
			break
		}
		more := make([]float64, len(share))
		for _, f := range out.Left {
			need := min(1, (f.Times-aim*max(1, f.Was))/(f.Times-min(f.Was, aim)))
			var at []r3.Vec
			for _, v := range g.place(f, solved) {
				at = append(at, points[v], skeleton.Mirrored(points[v], plane))
			}
			tree := geom.NewPointTree(at)
			near, far := float64(round)*wholly*height, float64(round)*(wholly+softly)*height
			geom.Chunks(len(points), 256, func(lo, hi int) {
				for v := lo; v < hi; v++ {
					if _, _, d := tree.NearestOf(points[v], far, nil); d < far {
						more[v] = max(more[v], need*min(1, (far-d)/(far-near)))
					}
				}
			})
		}
		asOne(more, rigid)
		e := weights.Edit(solved, g.Locked, nil, g.Cap)
		for v, x := range more {
			// What is the same stays so to the last bit.
			if share[v] += (1 - share[v]) * x; share[v] > 0 && !slices.Equal(solved.Of[v], g.Was.Of[v]) {
				e.Toward(int32(v), g.Was.Of[v], share[v])
			}
		}
		out.Weights = e.Weights()
	}
	for _, x := range share {
		if x > 0 {
			out.Back++
		}
	}
	return out, nil
}

// asOne gives all vertices of a piece that keeps its shape the mean of what they have; pieces are by vertex, -1 for none.
func asOne(share []float64, pieces []int32) {
	sum, n := map[int32]float64{}, map[int32]float64{}
	for v, k := range pieces {
		if k >= 0 {
			sum[k] += share[v]
			n[k]++
		}
	}
	for v, k := range pieces {
		if k >= 0 {
			share[v] = sum[k] / n[k]
		}
	}
}

// place are the vertices of what is spoiled; of a volume those of the limb.
func (g Guard) place(f Spoiled, solved *weights.Weights) []int32 {
	out := append(slices.Clone([]int32(f.Where)), f.Vertex)
	if f.Kind != deform.FaultVolume {
		return out
	}
	if j := slices.Index(solved.Joints, f.Limb); j >= 0 {
		for v := range solved.Of {
			if max(solved.Value(v, int32(j)), g.Was.Value(v, int32(j))) >= ofLimb {
				out = append(out, int32(v))
			}
		}
	}
	return out
}
