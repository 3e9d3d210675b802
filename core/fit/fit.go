// Package fit places a starter skeleton inside a mesh by its shape: it reads the
// volume, its middle plane, the tips of the limbs and the cross-sections between,
// and puts the joints where the anatomy turns.
package fit

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Report says what a fit understood of the mesh, all in world frame.
type Report struct {
	Starter  string               `json:"starter"`
	Params   skeleton.Params      `json:"params"`
	Height   float64              `json:"height"`
	Plane    r3.Vec               `json:"plane"`  // a point of the middle plane
	Left     r3.Vec               `json:"left"`   // the direction taken as the character's left
	Facing   r3.Vec               `json:"facing"` // the direction it looks in
	Crotch   float64              `json:"crotch"` // height at which the legs part, 0 if not seen
	Symmetry float64              `json:"symmetry"`
	Tips     map[string][]float64 `json:"tips"`   // ends of limbs by the joint that they belong to
	Begin    map[string][]float64 `json:"begins"` // where each limb leaves the trunk
	Props    int                  `json:"props"`  // one-sided pieces that were left out
	Joints   []JointFit           `json:"joints"`
	Own      *skeleton.Own        `json:"own,omitempty"` // that was fitted like the starter
	Shape    *Shape               `json:"shape,omitempty"`
	// Fitted is what is remembered of each joint, by its name; nil of starters whose joints have no kinds.
	Fitted map[string]Fitted `json:"fitted,omitempty"`
	// Shown and Faced are what a person had corrected, for the next fit to keep.
	Shown map[string][]float64 `json:"shown,omitempty"`
	Faced string               `json:"faced,omitempty"`
	Notes []string             `json:"notes"`
}

// JointFit is how one joint was found.
type JointFit struct {
	Name       string  `json:"name"`
	Confidence float64 `json:"confidence"`
	Reason     string  `json:"reason"`
	Inside     bool    `json:"inside"`
}

// Options of a fit besides the starter.
type Options struct {
	Params skeleton.Params
	// Pinned joints stand where a person has put them, in world metres; the rest
	// is fitted around them.
	Pinned map[string]r3.Vec
	// Shown is what a person has corrected of what the fit understood.
	Shown Shown
	// Only names the joints to be fitted anew; the others stay as in Current. Nil
	// fits all.
	Only    []string
	Current *skeleton.Skeleton
	// Own is a starter of a production that is fitted instead of the kind that it
	// is like, which Params tell. Pinned, Only and the result have its names.
	Own *skeleton.Own
}

// Shown is what a person has shown of a mesh, in world frame.
type Shown struct {
	// Places by what they are of: the tip of a limb by its joint (hand_l, foot_l,
	// head, tail …), "begin " and a limb (begin arm_l …) for where it leaves the
	// trunk, MiddlePlane for any point of it.
	Places map[string]r3.Vec
	Facing string // "+x", "-x", "+z" or "-z": where the character looks; "" is to be found
}

// MiddlePlane is the name of a shown point of the middle plane.
const MiddlePlane = "middle plane"

// facings are the directions that a character may look in.
var facings = map[string]float64{"+z": 0, "+x": -math.Pi / 2, "-x": math.Pi / 2, "-z": math.Pi}

// turn is the turn about Y that takes where the character looks to +Z.
func (s Shown) turn() quat.Number {
	if a := facings[s.Facing]; a != 0 {
		return geom.AxisAngle(r3.Vec{Y: 1}, a)
	}
	return geom.Identity
}

// Check reports a direction that there is not.
func (s Shown) Check() error {
	if _, ok := facings[s.Facing]; !ok && s.Facing != "" {
		return fmt.Errorf("a character faces +x, -x, +z or -z, not %q", s.Facing)
	}
	return nil
}

// Fit places the starter of the options in a mesh. Errors are those of
// parameters, ErrNoBody, those that tell of limbs that were not found, and the
// context's.
func Fit(ctx context.Context, m *mesh.Mesh, o Options, progress progress.Func) (*skeleton.Skeleton, *Report, error) {
	if progress == nil {
		progress = func(string, float64) {}
	}
	p := o.Params
	if p.Height == 0 {
		p.Height = 1
	}
	starter, err := p.Build()
	if err != nil {
		return nil, nil, err
	}
	if err := o.Shown.Check(); err != nil {
		return nil, nil, err
	}
	if m.Faces() == 0 {
		return nil, nil, ErrNoBody
	}
	var f *fitter
	var shape *Shape
	switch p.Starter {
	case "shape":
		var counts map[string]int
		if o.Own != nil {
			counts = limbCounts(o.Own.Skeleton)
		}
		f, starter, shape, err = shaped(ctx, m, p, o.Shown, counts, progress)
	case "quadruped":
		f, err = quadruped(ctx, m, p, o.Shown, progress)
	case "bird":
		f, err = bird(ctx, m, p, o.Shown, progress)
	case "chain":
		f, err = chain(ctx, m, p, o.Shown, progress)
	case "hand":
		f, err = hand(ctx, m, p, o.Shown, progress)
	case "empty":
		f, err = lengthwise(m, o.Shown)
		if err == nil && o.Own != nil {
			f.bySize(o.Own.Standing())
		} else if err == nil {
			f.put("root", r3.Vec{X: f.plane, Y: f.floor + 0.5*f.height}, 0.5, "at the center of the body")
		}
	default:
		f, err = biped(ctx, m, o.Shown, progress)
		if err == nil && p.Fingers > 0 {
			f.fingers(p)
		}
	}
	if err != nil {
		return nil, nil, err
	}
	var kinds map[string]string
	if o.Own != nil {
		kinds = o.Own.Kind()
	}
	for name, at := range o.Pinned {
		if kind, ok := kinds[name]; ok {
			name = kind
		}
		f.joints[name] = placed{at: geom.Rotate(quat.Conj(f.back), at), confidence: 1, reason: pinnedReason}
	}
	f.even()
	if o.Own != nil {
		starter = o.Own.Skeleton
		named := map[string]placed{}
		for name, at := range f.joints {
			named[o.Own.NameOf(name)] = at
		}
		f.joints = named
	}
	s, report := f.result(starter, p)
	report.Shape = shape
	report.Shown, report.Faced = map[string][]float64{}, o.Shown.Facing
	for name, p := range o.Shown.Places {
		report.Shown[name] = []float64{p.X, p.Y, p.Z}
	}
	if report.Own = o.Own; o.Own != nil {
		s = along(starter, s)
	}
	s, err = keepOthers(s, o)
	if err == nil && p.Starter != "chain" && p.Starter != "empty" && p.Starter != "shape" {
		report.Fitted = fittedOf(s, kinds, f.solid, report.Height)
	}
	progress("Done", 1)
	return s, report, err
}

// bySize places a skeleton that stands at the origin on the ground in the middle of
// the body, as tall as the body is.
func (f *fitter) bySize(s *skeleton.Skeleton) {
	box := geom.EmptyBox()
	for _, c := range f.vox.Filled() {
		box = box.Add(c)
	}
	scale := 1.0
	if h := s.Height(); h > 0 {
		scale = f.height / h
	}
	for _, j := range s.Joints {
		p := r3.Scale(scale, j.Pos)
		f.put(j.Name, r3.Vec{X: f.plane + p.X, Y: f.floor + p.Y, Z: box.Centre().Z + p.Z}, 0.2, "placed by the size of the body alone")
	}
}

// along turns the axes of joints with their bones, from where they were in the
// starter to where they are now.
func along(before, after *skeleton.Skeleton) *skeleton.Skeleton {
	out := after.Clone()
	for i, list := range before.Children() {
		if len(list) == 0 {
			continue
		}
		from, to := r3.Sub(before.Joints[list[0]].Pos, before.Joints[i].Pos), r3.Sub(after.Joints[list[0]].Pos, after.Joints[i].Pos)
		if r3.Norm(from) > 0 && r3.Norm(to) > 0 {
			out.Joints[i].Rot = geom.Normalise(quat.Mul(geom.Between(from, to), before.Joints[i].Rot))
		}
	}
	return out
}

const pinnedReason = "set by hand"

// even brings the two joints of a pair to each other's mirror image on a body
// that is its own mirror image, where they are found at nearly the same place:
// the difference is the grain of the volume, not the character's. Fingers, which are read
// in a finer one, stay: the mean of two may lie between fingers.
func (f *fitter) even() {
	if math.IsInf(f.plane, 0) || f.match < mirrorMatch {
		return
	}
	for name := range f.given {
		if strings.HasSuffix(name, "_l") || strings.HasSuffix(name, "_r") {
			return
		}
	}
	for name, l := range f.joints {
		stem, left := strings.CutSuffix(name, "_l")
		r, both := f.joints[stem+"_r"]
		if !left || !both || l.fine || r.fine || l.reason == pinnedReason || r.reason == pinnedReason {
			continue
		}
		other := r3.Vec{X: 2*f.plane - r.at.X, Y: r.at.Y, Z: r.at.Z}
		if r3.Norm(r3.Sub(l.at, other)) > 0.035*f.height {
			continue
		}
		l.at = r3.Scale(0.5, r3.Add(l.at, other))
		r.at = r3.Vec{X: 2*f.plane - l.at.X, Y: l.at.Y, Z: l.at.Z}
		f.joints[name], f.joints[stem+"_r"] = l, r
	}
}

// keepOthers takes the joints that were not to be fitted from the skeleton that
// is there.
func keepOthers(s *skeleton.Skeleton, o Options) (*skeleton.Skeleton, error) {
	if o.Only == nil {
		return s, nil
	}
	if o.Current == nil {
		return nil, fmt.Errorf("no skeleton to refit yet")
	}
	out := o.Current.Clone()
	any := false
	for i := range out.Joints {
		j := &out.Joints[i]
		k := s.Index(j.Name)
		if k < 0 || !slices.Contains(o.Only, j.Name) || j.Pinned {
			continue
		}
		j.Pos, j.Confidence, j.Reason = s.Joints[k].Pos, s.Joints[k].Confidence, s.Joints[k].Reason
		any = true
	}
	if !any {
		return nil, fmt.Errorf(
			"none of the selected joints belong to the starter %s: select others or choose another starter",
			o.Params.Starter,
		)
	}
	return out, nil
}

// result builds the skeleton, each joint in world frame: landmarks where they
// were found, all others carried along by the segments between.
func (f *fitter) result(starter *skeleton.Skeleton, p skeleton.Params) (*skeleton.Skeleton, *Report) {
	s := starter.Clone()
	report := &Report{
		Starter:  p.Starter,
		Params:   p,
		Height:   f.height,
		Crotch:   f.crotch,
		Symmetry: f.match,
		Tips:     map[string][]float64{},
		Begin:    map[string][]float64{},
		Notes:    f.notes,
		Props:    f.props,
		Plane: geom.Rotate(
			f.back,
			r3.Vec{X: f.plane, Y: f.floor},
		),
		Left:   geom.Rotate(f.back, r3.Vec{X: 1}),
		Facing: geom.Rotate(f.back, r3.Vec{Z: 1}),
	}
	if math.IsInf(f.plane, 0) { // a chain has no middle plane
		report.Plane, report.Left, report.Symmetry = r3.Vec{}, r3.Vec{}, 0
	}
	f.carry(starter)
	children := s.Children()
	for i := range s.Joints {
		j := &s.Joints[i]
		q := f.joints[j.Name]
		at, inside := q.at, true
		if q.reason == pinnedReason {
			j.Pinned = true
		} else {
			if !q.fine || f.solid.Winding(geom.Rotate(f.back, q.at)) <= 0.5 {
				at, inside = f.drawIn(q.at, len(children[i]) == 0)
			}
		}
		j.Pos, j.Confidence, j.Reason = geom.Rotate(f.back, at), q.confidence, q.reason
		if !inside {
			j.Confidence *= 0.5
			j.Reason += ", then moved inside the volume"
		}
		report.Joints = append(report.Joints, JointFit{j.Name, j.Confidence, j.Reason, inside})
	}
	world := func(from map[string]r3.Vec, to map[string][]float64) {
		for name, p := range from {
			q := geom.Rotate(f.back, p)
			to[name] = []float64{q.X, q.Y, q.Z}
		}
	}
	world(f.tips, report.Tips)
	world(f.begin, report.Begin)
	return s, report
}

// carry gives every joint of the starter that is no landmark a place: between
// two landmarks of its chain at its share of the way, else by the similarity that
// takes the last segment before it to where that was found.
func (f *fitter) carry(starter *skeleton.Skeleton) {
	children := starter.Children()
	has := func(i int) bool { _, ok := f.joints[starter.Joints[i].Name]; return ok }
	var below func(i int) int
	below = func(i int) int {
		for _, c := range children[i] {
			if has(c) {
				return c
			}
			if k := below(c); k >= 0 {
				return k
			}
		}
		return -1
	}
	for i, j := range starter.Joints {
		if has(i) {
			continue
		}
		up := j.Parent
		for up >= 0 && !has(up) {
			up = starter.Joints[up].Parent
		}
		down := below(i)
		switch {
		case up >= 0 && down >= 0:
			a, b := starter.Joints[up].Pos, starter.Joints[down].Pos
			fa, fb := f.joints[starter.Joints[up].Name], f.joints[starter.Joints[down].Name]
			f.put(
				j.Name,
				similar(a, b, fa.at, fb.at, j.Pos),
				math.Min(fa.confidence, fb.confidence), // a straight bone is divided, which is a choice
				"at the usual proportion between "+starter.Joints[up].Name+" and "+starter.Joints[down].Name,
			)
		case up >= 0:
			// The segment that leaves the landmark, or the one that leads to it.
			other, a := below(up), up
			if other < 0 {
				for other = starter.Joints[up].Parent; other >= 0 && !has(other); {
					other = starter.Joints[other].Parent
				}
			}
			fa := f.joints[starter.Joints[a].Name]
			if other < 0 {
				f.put(
					j.Name,
					r3.Add(fa.at, r3.Scale(f.height/math.Max(1e-9, starter.Height()), r3.Sub(j.Pos, starter.Joints[a].Pos))),
					0.3,
					"taken from proportion",
				)
				continue
			}
			fb := f.joints[starter.Joints[other].Name]
			f.put(
				j.Name,
				similar(starter.Joints[a].Pos, starter.Joints[other].Pos, fa.at, fb.at, j.Pos),
				0.5*fa.confidence,
				"carried along with "+starter.Joints[a].Name+", taken from proportion",
			)
		case down >= 0:
			f.put(j.Name, f.joints[starter.Joints[down].Name].at, 0.3, "above "+starter.Joints[down].Name+", taken from proportion")
		default:
			f.put(j.Name, r3.Vec{X: f.plane, Y: f.floor + f.height/2}, 0.1, "no evidence for its position")
		}
	}
}

// similar returns the image of p under the similarity with the shortest turn
// that takes segment ab to segment cd.
func similar(a, b, c, d, p r3.Vec) r3.Vec {
	from, to := r3.Sub(b, a), r3.Sub(d, c)
	l := r3.Norm(from)
	if l == 0 || r3.Norm(to) == 0 {
		return c
	}
	return r3.Add(c, r3.Scale(r3.Norm(to)/l, geom.Rotate(geom.Between(from, to), r3.Sub(p, a))))
}
