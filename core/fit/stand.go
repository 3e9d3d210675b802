package fit

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// highFoot is the height, as a share of the body's, above which no foot is
// lifted in a walk.
const highFoot = 0.3

// legReach is how far from a foot, along the inside and as a share of the
// height, there is only leg.
const legReach = 0.3

// walking is the share of cubes with a mirror image below which a body is taken
// to be walking: its legs, head and tail then hide where its middle plane is.
const walking = 0.78

// standing fills the volume of a body on four legs, turned so that its middle
// plane is X = const, and finds fore and aft end and the feet. Where the body as
// a whole is no mirror image of itself, the plane is laid along its trunk.
func standing(m *mesh.Mesh, shown Shown) (*fitter, error) {
	f, err := lengthwise(m, shown)
	if err != nil {
		return nil, err
	}
	if f.match < walking {
		if !f.faced {
			if f, err = newFitter(m, shown, f.alongTrunk()); err != nil {
				return nil, err
			}
		}
		f.follow()
		f.notes = append(f.notes, "left and right differ too much for a mirror plane: the mirror plane follows the torso's volume")
	}
	return f, f.onFour()
}

// follow lays the middle plane through the trunk and has the back follow the
// trunk's middle from section to section, which a walk bends and turns.
func (f *fitter) follow() {
	v := f.vox
	middle, weight := f.trunkMiddle()
	f.plane = middle.X
	f.shownPlane()
	f.along = make([]float64, v.NZ)
	sum := make([]float64, v.NZ)
	reach := int(0.08 * f.height / v.Cell)
	for i, w := range weight {
		if w == 0 {
			continue
		}
		_, _, z := v.Coords(i)
		for k := max(0, z-reach); k <= min(v.NZ-1, z+reach); k++ {
			f.along[k] += w * v.Centre(i).X
			sum[k] += w
		}
	}
	for k := range sum {
		if sum[k] > 0 {
			f.along[k] /= sum[k]
		} else {
			f.along[k] = f.plane
		}
	}
}

// midX returns the X of the body's middle at a Z.
func (f *fitter) midX(z float64) float64 {
	if f.along == nil {
		return f.plane
	}
	k := int(math.Round((z - f.vox.Origin.Z) / f.vox.Cell))
	return f.along[max(0, min(len(f.along)-1, k))]
}

// onFour finds the ends of the body and its four feet.
func (f *fitter) onFour() error {
	fore, aft, err := f.ends(nil)
	if err != nil {
		return err
	}
	found := f.feet(fore, aft)
	if f.along != nil && slices.ContainsFunc(found, func(c int) bool { return f.nearEnd(c, fore, aft) }) {
		// An end was a leg that is stretched out.
		if fore, aft, err = f.ends(found); err != nil {
			return err
		}
	}
	if !f.faced && f.tailFirst(fore, aft) {
		ends := [2]r3.Vec{f.vox.Centre(fore), f.vox.Centre(aft)}
		at := make([]r3.Vec, len(found))
		for i, c := range found {
			at[i] = f.vox.Centre(c)
		}
		half := func(p r3.Vec) int { return f.vox.At(r3.Vec{X: -p.X, Y: p.Y, Z: -p.Z}) }
		walks := f.along != nil
		f.quarters(2)
		if walks {
			f.follow()
		}
		fore, aft = half(ends[1]), half(ends[0])
		for i, p := range at {
			found[i] = half(p)
		}
	}
	f.fore, f.aft = fore, aft
	return f.stand(found)
}

// feet returns the at most four places where the volume hangs down the farthest.
// A head or a tail that hangs down is none of them, unless the body walks and has
// no four others.
func (f *fitter) feet(fore, aft int) []int {
	var out, ends []int
	for _, l := range f.lows(0.07 * f.height) {
		switch {
		case f.vox.Centre(l.cube).Y > f.floor+highFoot*f.height:
		case f.nearEnd(l.cube, fore, aft):
			ends = append(ends, l.cube)
		case len(out) < 4:
			out = append(out, l.cube)
		}
	}
	if f.along != nil && len(out) < 4 && len(out)+len(ends) >= 4 {
		out = append(out, ends[:4-len(out)]...)
	}
	return out
}

// nearEnd reports whether a cube lies at one of the two ends of the body.
func (f *fitter) nearEnd(cube, fore, aft int) bool {
	c := f.vox.Centre(cube)
	return math.Min(r3.Norm(r3.Sub(c, f.vox.Centre(fore))), r3.Norm(r3.Sub(c, f.vox.Centre(aft)))) < 0.12*f.height
}

// stand takes the four places for feet, the two in front for the fore feet; what
// a person has shown goes first.
func (f *fitter) stand(found []int) error {
	v := f.vox
	slices.SortStableFunc(found, func(a, b int) int { return cmp.Compare(v.Centre(b).Z, v.Centre(a).Z) })
	at := map[string]r3.Vec{}
	for k := 0; k+1 < len(found) && len(found) == 4; k += 2 {
		name := [2]string{"hand", "foot"}[k/2]
		l, r := v.Centre(found[k]), v.Centre(found[k+1])
		if l.X < r.X {
			l, r = r, l
		}
		at[name+"_l"], at[name+"_r"] = l, r
	}
	missing := false
	for s := range 2 {
		for k, name := range [2]string{"hand" + suffix(s), "foot" + suffix(s)} {
			p, ok := f.given[name]
			if !ok {
				p, ok = at[name]
			}
			if !ok {
				missing = true
				continue
			}
			f.stands[k][s] = f.footAt(f.nearestInside(p))
		}
	}
	if missing {
		return fmt.Errorf(
			"found %d places where a foot could be, and a quadruped has four: mark the feet that were not found (fore feet are hand_l and hand_r, hind feet foot_l and foot_r), or turn the character upright, facing front, at Intake",
			len(found),
		)
	}
	return nil
}

// alongTrunk returns the turn about Y that brings the long way of the trunk, seen
// from above, to Z. It is the main axis of the places inside, each counted by its
// depth cubed, so that legs, ears and tails weigh little.
func (f *fitter) alongTrunk() quat.Number {
	mean, weight := f.trunkMiddle()
	var xx, xz, zz float64
	for i, w := range weight {
		if w > 0 {
			p := r3.Sub(f.vox.Centre(i), mean)
			xx, xz, zz = xx+w*p.X*p.X, xz+w*p.X*p.Z, zz+w*p.Z*p.Z
		}
	}
	angle := math.Atan2(2*xz, xx-zz) / 2 // of the longest axis from X towards Z
	long := geom.Rotate(f.back, r3.Vec{X: math.Cos(angle), Z: math.Sin(angle)})
	return geom.Between(long, r3.Vec{Z: 1})
}

// trunkMiddle returns the middle of the places inside, each counted by its depth
// cubed, with these weights.
func (f *fitter) trunkMiddle() (mean r3.Vec, weight []float64) {
	weight = f.depths()
	sum := 0.0
	for i, d := range weight {
		if w := d * d * d; w > 0 {
			weight[i] = w
			mean = r3.Add(mean, r3.Scale(w, f.vox.Centre(i)))
			sum += w
		}
	}
	return r3.Scale(1/sum, mean), weight
}

// depths returns how far inside each cube is, along the inside, in metres; 0
// outside.
func (f *fitter) depths() []float64 {
	v := f.vox
	var skin []int
	for i, in := range v.Inside {
		if in {
			n := 0
			v.Around(i, func(k int) {
				if v.Inside[k] {
					n++
				}
			})
			if n < 6 {
				skin = append(skin, i)
			}
		}
	}
	depth := v.Distances(skin)
	for i := range depth {
		if !v.Inside[i] || math.IsInf(depth[i], 1) {
			depth[i] = 0
		} else {
			depth[i] += v.Cell / 2
		}
	}
	return depth
}
