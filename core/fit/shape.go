package fit

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/spatial/r3"
)

// Shape is what was read of a body without a starter: its limbs, named by kind, side and order along the body.
type Shape struct {
	Root  Bead   `json:"root"`
	Chain bool   `json:"chain"` // one strand carries all others: a rope, a snake, a stem
	Limbs []Limb `json:"limbs"` // each after the one that it is on
}

// Limb is a strand with its name.
type Limb struct {
	Strand
	Kind    string `json:"kind"`    // body, head, tail, leg, arm, wing, branch, chain
	Name    string `json:"name"`    // of its joints, without number and side: leg_a
	Side    string `json:"side"`    // "_l", "_r" or ""
	Partner int    `json:"partner"` // the limb on the other side, -1 for none
}

// shapeMost is how many limbs are read; a hedge has more.
const shapeMost = 64

// shaped reads the skeleton of a body from its shape alone. counts, unless nil, says how many joints each limb has
// between its first and its last, by the name of the limb; else p.Joints tells how many there are in all.
func shaped(
	ctx context.Context, m *mesh.Mesh, p skeleton.Params, shown Shown, counts map[string]int, told progress.Func,
) (*fitter, *skeleton.Skeleton, *Shape, error) {
	told("Filling the volume", 0.05)
	f, err := newFitter(m, shown, shown.turn())
	if err != nil {
		return nil, nil, nil, err
	}
	if !f.faced && f.symmetryAcross(true) > f.symmetryAcross(false)+0.05 {
		f.quarters(1)
	}
	if err := ctx.Err(); err != nil {
		return nil, nil, nil, err
	}
	told("Finding limbs", 0.5)
	if f.match < walking && !f.faced && f.level() {
		if f, err = newFitter(m, shown, f.alongTrunk()); err != nil {
			return nil, nil, nil, err
		}
	}
	notes := len(f.notes)
	s := f.readShape()
	if !f.faced && f.backward(s) {
		f.quarters(2)
		f.notes = f.notes[:notes]
		s = f.readShape()
	}
	if len(s.Limbs) == 0 {
		return nil, nil, nil, errors.New(
			"nothing stands out from this body: it has no limbs to read a skeleton from; place the joints by hand",
		)
	}
	if err := ctx.Err(); err != nil {
		return nil, nil, nil, err
	}
	told("Placing joints", 0.9)
	joints, err := s.Joints(p.Joints, counts)
	if err != nil {
		return nil, nil, nil, err
	}
	starter := &skeleton.Skeleton{}
	for _, j := range joints {
		starter.Joints = append(starter.Joints, skeleton.Joint{
			Name: j.Name, Parent: j.Parent, Pos: geom.Rotate(f.back, j.At), Rot: geom.Identity,
		})
		f.put(j.Name, j.At, j.Confidence, j.Reason)
		f.joints[j.Name] = placed{at: j.At, confidence: j.Confidence, reason: j.Reason, fine: !j.End}
	}
	for _, l := range s.Limbs {
		if !l.Leads {
			f.tips[l.Name+l.Side] = l.tip()
		}
	}
	return f, starter, f.inWorld(s), nil
}

// Dial returns the skeleton of a shape that was read, with another number of joints in all, 0 for as many as its limbs
// bend, and the report of it. Nothing is read again: was is the report of a fit of m's shape.
func Dial(m *mesh.Mesh, was *Report, most int) (*skeleton.Skeleton, *Report, error) {
	if was == nil || was.Shape == nil {
		return nil, nil, errors.New("this skeleton was not read from the shape: fit that starter first")
	}
	joints, err := was.Shape.Joints(most, nil)
	if err != nil {
		return nil, nil, err
	}
	m, _ = m.MakeOutward()
	solid, _ := m.Tree(m.World())
	solid.PrepareWinding()
	s, report := &skeleton.Skeleton{}, *was
	report.Params.Joints, report.Joints = most, nil
	report.Own = nil // a kept starter has its own plan, and the dial is turned away from it
	for _, j := range joints {
		inside := j.End || solid.Winding(j.At) > 0.5
		if !inside {
			j.Confidence *= 0.5
			j.Reason += ", outside the volume"
		}
		s.Joints = append(s.Joints, skeleton.Joint{
			Name: j.Name, Parent: j.Parent, Pos: j.At, Rot: geom.Identity, Confidence: j.Confidence, Reason: j.Reason,
		})
		report.Joints = append(report.Joints, JointFit{j.Name, j.Confidence, j.Reason, inside})
	}
	return s, &report, nil
}

// level reports whether a body is longer than it is high.
func (f *fitter) level() bool {
	return f.extent() > 1.1*f.height
}

// backward reports whether a level body looks to −Z: of the limbs in its middle, a head is thicker towards its end than a
// tail.
func (f *fitter) backward(s *Shape) bool {
	var thick, length [2]float64 // in front, behind
	if s.Chain || !f.level() {
		return false
	}
	for i := range s.Limbs {
		l := &s.Limbs[i]
		if l.Side != "" || l.Leads {
			continue
		}
		side := 0
		if l.tip().Z < s.Root.At.Z {
			side = 1
		}
		if n := math.Abs(l.tip().Z - s.Root.At.Z); n > length[side] {
			length[side], thick[side] = n, l.thick(0.75, 0.92)
		}
	}
	return thick[0] > 0 && thick[1] > 1.25*thick[0]
}

// inWorld returns a shape in world frame, its lines as short as a page needs them.
func (f *fitter) inWorld(s *Shape) *Shape {
	turned := func(b Bead) Bead {
		p := geom.Rotate(f.back, b.At)
		round := func(x float64) float64 { return math.Round(x*1e5) / 1e5 }
		return Bead{r3.Vec{X: round(p.X), Y: round(p.Y), Z: round(p.Z)}, round(b.Radius)}
	}
	out := &Shape{Root: turned(s.Root), Chain: s.Chain, Limbs: slices.Clone(s.Limbs)}
	for i := range out.Limbs {
		l := &out.Limbs[i]
		l.Line = slices.Clone(l.Line)
		for k := range l.Line {
			l.Line[k] = turned(l.Line[k])
		}
	}
	return out
}

// readShape reads the limbs and names them.
func (f *fitter) readShape() *Shape {
	list, root := f.strands()
	s := &Shape{Root: root}
	list = f.dissolve(list)
	forked(list)
	for _, l := range list {
		s.Limbs = append(s.Limbs, Limb{Strand: l, Partner: -1})
	}
	f.through(s)
	for i := range s.Limbs {
		l := &s.Limbs[i]
		l.Line = resampled(l.Line, lineBeads)
		f.gauge(&l.Strand)
	}
	f.pair(s)
	f.kinds(s)
	s.name()
	if len(s.Limbs) > shapeMost {
		f.notes = append(f.notes, fmt.Sprintf("%d limbs were found; the %d longest are read", len(s.Limbs), shapeMost))
		s.cut(shapeMost)
	}
	n := 0
	for _, l := range s.Limbs {
		if !l.Leads {
			n++
		}
	}
	f.notes = append(f.notes, "read from the shape: "+wording.Count(n, "limb", "limbs"))
	return s
}

// lineBeads is how many places a line has: enough for 12 joints on it.
const lineBeads = 41

func resampled(line []Bead, n int) []Bead {
	s := Strand{Line: line}
	length := s.length()
	out := make([]Bead, n)
	for k := range out {
		out[k] = s.at(length * float64(k) / float64(n-1))
	}
	return out
}
