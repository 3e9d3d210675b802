package studio

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	register(
		Entry{"place_joints", "Place joints", "placement", false, func() Operation { return &PlaceJoints{} }},
		Entry{"centre_joints", "Centre in the volume", "placement", false, func() Operation { return &CentreJoints{Both: true} }},
		Entry{"centre_along", "Centre along the view", "placement", false, func() Operation { return &CentreAlong{Both: true} }},
		Entry{"centre_ring", "Centre in a ring", "placement", false, func() Operation { return &CentreRing{Both: true} }},
		Entry{"slight_bend", "Give a slight bend", "placement", false, func() Operation { return &SlightBend{Degrees: 4} }},
		Entry{"stretch_chain", "Stretch a chain", "placement", false, func() Operation { return &StretchChain{Both: true} }},
		Entry{"swing_limb", "Turn a limb", "placement", false, func() Operation { return &SwingLimb{Both: true} }},
		Entry{"copy_to_partner", "Copy to the other side", "placement", false, func() Operation { return &CopyToPartner{} }},
		Entry{"mark_joints", "Pin, lock or hide joints", "placement", false, func() Operation { return &MarkJoints{} }},
	)
}

// joints finds joints by name; none is a mistake.
func joints(s State, names []string) ([]int, error) {
	if err := needSkeleton(s); err != nil {
		return nil, err
	}
	if len(names) == 0 {
		return nil, wrong("choose at least one joint")
	}
	var out []int
	for _, n := range names {
		i, err := s.Skeleton.Find(n)
		if err != nil {
			return nil, wrong("%v", err)
		}
		if !slices.Contains(out, i) {
			out = append(out, i)
		}
	}
	return out, nil
}

// said names joints in a sentence: up to three by name, more by number.
func said(names []string) string {
	if len(names) > 3 {
		return fmt.Sprintf("%d joints", len(names))
	}
	return strings.Join(names, ", ")
}

// placed moves joints each on its own to world places, and with both the
// partners to the mirrored ones; a partner that is placed itself keeps its own.
func placed(s State, to map[int]r3.Vec, both bool) (State, float64, error) {
	x := s.Settings.Marks
	pairs := s.Skeleton.Pairs(x)
	all := map[int]r3.Vec{}
	for i, p := range to {
		if both && pairs.Middle(s.Skeleton, i) {
			p.X = pairs.Plane
		}
		all[i] = p
	}
	if both {
		for i, p := range to {
			if k := pairs.Partner[i]; k >= 0 {
				if _, own := to[k]; !own {
					all[k] = skeleton.Mirrored(p, pairs.Plane)
				}
			}
		}
	}
	far := 0.0
	for i, p := range all {
		far = math.Max(far, r3.Norm(r3.Sub(p, s.Skeleton.Joints[i].Pos)))
	}
	moved, err := s.Skeleton.MoveAll(all)
	if err != nil {
		return s, 0, wrong("%v", err)
	}
	s, err = s.withMoved(moved)
	return s, far, err
}

// withMoved returns the state with joints at other places. A locked joint among
// those that moved, also a partner or one that hangs from what moved, is refused.
func (s State) withMoved(moved *skeleton.Skeleton) (State, error) {
	if err := s.Skeleton.Held(moved); err != nil {
		return s, wrong("%v", err)
	}
	s.Skeleton = moved
	return s, nil
}

// Place is a joint and where it is to stand, world metres.
type Place struct {
	Joint string     `json:"joint"`
	To    [3]float64 `json:"to"`
}

// PlaceJoints puts several joints at places, each on its own.
type PlaceJoints struct {
	Places []Place `json:"places"`
	Both   bool    `json:"both,omitempty"`
}

// Apply implements Operation.
func (o *PlaceJoints) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	var names []string
	for _, p := range o.Places {
		names = append(names, p.Joint)
	}
	if _, err := joints(s, names); err != nil {
		return s, Outcome{}, err
	}
	to := map[int]r3.Vec{}
	for _, p := range o.Places {
		to[s.Skeleton.Index(p.Joint)] = r3.Vec{X: p.To[0], Y: p.To[1], Z: p.To[2]}
	}
	s, far, err := placed(s, to, o.Both)
	return s, Outcome{Sentence: fmt.Sprintf("Placed %s: the farthest moved %.1f cm", said(names), 100*far)}, err
}

// CentreJoints puts joints into the middle of their limbs, square to their bones.
type CentreJoints struct {
	Joints []string `json:"joints"`
	Both   bool     `json:"both"`
}

// Apply implements Operation.
func (o *CentreJoints) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	which, err := joints(s, o.Joints)
	if err != nil {
		return s, Outcome{}, err
	}
	surface := s.Mesh.Surface()
	to := map[int]r3.Vec{}
	var outside []string
	for _, i := range which {
		j := s.Skeleton.Joints[i]
		p, ok := skeleton.CentreAcross(surface.Tree, j.Pos, s.Skeleton.Along(i), surface.Diagonal)
		if !ok {
			outside = append(outside, j.Name)
			continue
		}
		to[i] = p
	}
	if len(to) == 0 {
		return s, Outcome{}, wrong("%s: there is no volume near to be in the middle of; close the mesh at the intake, or move it inside first", said(outside))
	}
	s, far, err := placed(s, to, o.Both)
	sentence := fmt.Sprintf("Centred %s in the volume: the farthest moved %.1f cm", said(o.Joints), 100*far)
	if outside != nil {
		sentence += "; no volume near, and left: " + said(outside)
	}
	return s, Outcome{Sentence: sentence}, err
}

// CentreAlong puts a joint into the middle between entry and exit of the mesh
// along a ray, as the pointer shows it.
type CentreAlong struct {
	Joint string     `json:"joint"`
	From  [3]float64 `json:"from"`
	Way   [3]float64 `json:"way"`
	Both  bool       `json:"both"`
}

// Apply implements Operation.
func (o *CentreAlong) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	which, err := joints(s, []string{o.Joint})
	if err != nil {
		return s, Outcome{}, err
	}
	from, way := r3.Vec{X: o.From[0], Y: o.From[1], Z: o.From[2]}, r3.Vec{X: o.Way[0], Y: o.Way[1], Z: o.Way[2]}
	if !geom.Finite(from) || !geom.Finite(way) || r3.Norm(way) == 0 {
		return s, Outcome{}, wrong("%v along %v is no way to look", o.From, o.Way)
	}
	p, ok := skeleton.CentreAlong(s.Mesh.Surface().Tree, from, way)
	if !ok {
		return s, Outcome{}, wrong("there is no mesh under the pointer to centre %s in", o.Joint)
	}
	s, far, err := placed(s, map[int]r3.Vec{which[0]: p}, o.Both)
	return s, Outcome{Sentence: fmt.Sprintf("Centred %s under the pointer: moved %.1f cm", o.Joint, 100*far)}, err
}

// CentreRing puts a joint into the middle of a ring of the skin: of the chosen
// Vertices, or of the ring through Vertex square to the joint's bone.
type CentreRing struct {
	Joint    string  `json:"joint"`
	Vertices []int32 `json:"vertices,omitempty"`
	Vertex   *int32  `json:"vertex,omitempty"`
	Both     bool    `json:"both"`
}

// Apply implements Operation.
func (o *CentreRing) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	if err := needMesh(s); err != nil {
		return s, Outcome{}, err
	}
	which, err := joints(s, []string{o.Joint})
	if err != nil {
		return s, Outcome{}, err
	}
	points := s.Mesh.World()
	for _, v := range o.Vertices {
		if v < 0 || int(v) >= len(points) {
			return s, Outcome{}, wrong("there is no vertex %d: the mesh has %d", v, len(points))
		}
	}
	var middle r3.Vec
	n := len(o.Vertices)
	switch {
	case o.Vertex != nil:
		if *o.Vertex < 0 || int(*o.Vertex) >= len(points) {
			return s, Outcome{}, wrong("there is no vertex %d: the mesh has %d", *o.Vertex, len(points))
		}
		axis := s.Skeleton.Along(which[0])
		if r3.Norm(axis) == 0 {
			return s, Outcome{}, wrong("%s has no bone that a ring could lie square to: choose the vertices of the ring", o.Joint)
		}
		ring := s.Mesh.Surface().Ring(*o.Vertex, axis)
		if n = len(ring); n < 3 {
			return s, Outcome{}, wrong("no ring closes around vertex %d square to the bone of %s", *o.Vertex, o.Joint)
		}
		middle = mesh.RingMiddle(ring)
	case n < 2:
		return s, Outcome{}, wrong("choose a ring of vertices first: two at least")
	default:
		for _, v := range o.Vertices {
			middle = r3.Add(middle, r3.Scale(1/float64(n), points[v]))
		}
	}
	s, far, err := placed(s, map[int]r3.Vec{which[0]: middle}, o.Both)
	return s, Outcome{Sentence: fmt.Sprintf("Centred %s in a ring of %d places: moved %.1f cm", o.Joint, n, 100*far)}, err
}

// SlightBend bends straight limbs so that they know their way.
type SlightBend struct {
	Joints  []string `json:"joints"`
	Degrees float64  `json:"degrees"`
}

// Apply implements Operation.
func (o *SlightBend) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	which, err := joints(s, o.Joints)
	if err != nil {
		return s, Outcome{}, err
	}
	if !(o.Degrees > 0) || o.Degrees > 60 {
		return s, Outcome{}, wrong("a slight bend is above 0 and at most 60 degrees, not %g", o.Degrees)
	}
	bent := s.Skeleton
	for _, i := range which {
		if bent, err = bent.SlightBend(i, o.Degrees, s.Settings.Marks); err != nil {
			return s, Outcome{}, wrong("%v", err)
		}
	}
	s, err = s.withMoved(bent)
	return s, Outcome{Sentence: fmt.Sprintf("Bent %s by %.3g°", said(o.Joints), o.Degrees), After: fmt.Sprintf("%.3g°", o.Degrees)}, err
}

// StretchChain scales all that hangs from a joint about it.
type StretchChain struct {
	Joint  string  `json:"joint"`
	Factor float64 `json:"factor"`
	Both   bool    `json:"both"`
}

// Apply implements Operation.
func (o *StretchChain) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	which, err := joints(s, []string{o.Joint})
	if err != nil {
		return s, Outcome{}, err
	}
	if !(o.Factor > 0.01) || o.Factor > 100 {
		return s, Outcome{}, wrong("a chain is stretched by 0.01 to 100, not %g", o.Factor)
	}
	i := which[0]
	if len(s.Skeleton.Branch(i)) == 1 {
		return s, Outcome{}, wrong("nothing hangs from %s that could be stretched", o.Joint)
	}
	partner := s.Skeleton.PartnerOf(i, s.Settings.Marks)
	moved := s.Skeleton.Stretch(i, o.Factor)
	if o.Both && partner >= 0 {
		moved = moved.Stretch(partner, o.Factor)
	}
	s, err = s.withMoved(moved)
	return s, Outcome{Sentence: fmt.Sprintf("Stretched what hangs from %s by %.3g", o.Joint, o.Factor), Before: "1", After: fmt.Sprintf("%.3g", o.Factor)}, err
}

// SwingLimb turns a joint with all that hangs from it about it, places and axes,
// by degrees about the world's X, then Y, then Z; the partner mirrors it.
type SwingLimb struct {
	Joint   string     `json:"joint"`
	Degrees [3]float64 `json:"degrees"`
	Both    bool       `json:"both"`
}

// Apply implements Operation.
func (o *SwingLimb) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	which, err := joints(s, []string{o.Joint})
	if err != nil {
		return s, Outcome{}, err
	}
	for _, a := range o.Degrees {
		if !(math.Abs(a) <= 360) {
			return s, Outcome{}, wrong("a limb is turned by at most 360 degrees, not %g", a)
		}
	}
	turn := func(x, y, z float64) quat.Number {
		rad := math.Pi / 180
		return quat.Mul(geom.AxisAngle(r3.Vec{Z: 1}, z*rad), quat.Mul(geom.AxisAngle(r3.Vec{Y: 1}, y*rad), geom.AxisAngle(r3.Vec{X: 1}, x*rad)))
	}
	partner := s.Skeleton.PartnerOf(which[0], s.Settings.Marks)
	moved := s.Skeleton.Swing(which[0], turn(o.Degrees[0], o.Degrees[1], o.Degrees[2]))
	if o.Both && partner >= 0 {
		moved = moved.Swing(partner, turn(o.Degrees[0], -o.Degrees[1], -o.Degrees[2]))
	}
	s, err = s.withMoved(moved)
	return s, Outcome{Sentence: fmt.Sprintf("Turned the limb at %s by %.3g°, %.3g°, %.3g°", o.Joint, o.Degrees[0], o.Degrees[1], o.Degrees[2])}, err
}

// CopyToPartner puts the partners of joints at the mirrored places.
type CopyToPartner struct {
	Joints []string `json:"joints"`
}

// Apply implements Operation.
func (o *CopyToPartner) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	which, err := joints(s, o.Joints)
	if err != nil {
		return s, Outcome{}, err
	}
	x := s.Settings.Marks
	pairs := s.Skeleton.Pairs(x)
	to := map[int]r3.Vec{}
	for _, i := range which {
		k := pairs.Partner[i]
		if k < 0 {
			return s, Outcome{}, wrong("%s has no partner: make the other side from this one first", s.Skeleton.Joints[i].Name)
		}
		to[k] = skeleton.Mirrored(s.Skeleton.Joints[i].Pos, pairs.Plane)
	}
	s, far, err := placed(s, to, false)
	return s, Outcome{Sentence: fmt.Sprintf("Copied %s to the other side: the farthest moved %.1f cm", said(o.Joints), 100*far)}, err
}

// MarkJoints pins joints for the fit, locks them against moving or hides them;
// what is nil stays.
type MarkJoints struct {
	Joints []string `json:"joints"`
	Pinned *bool    `json:"pinned,omitempty"`
	Locked *bool    `json:"locked,omitempty"`
	Hidden *bool    `json:"hidden,omitempty"`
}

// Apply implements Operation.
func (o *MarkJoints) Apply(_ context.Context, s State, _ Progress) (State, Outcome, error) {
	which, err := joints(s, o.Joints)
	if err != nil {
		return s, Outcome{}, err
	}
	if o.Pinned == nil && o.Locked == nil && o.Hidden == nil {
		return s, Outcome{}, wrong("say whether to pin, lock or hide the joints")
	}
	out := s.Skeleton.Clone()
	var did []string
	for k, i := range which {
		for _, m := range []struct {
			value   *bool
			to      *bool
			yes, no string
		}{{o.Pinned, &out.Joints[i].Pinned, "Pinned", "Unpinned"}, {o.Locked, &out.Joints[i].Locked, "Locked", "Unlocked"}, {o.Hidden, &out.Joints[i].Hidden, "Hid", "Showed"}} {
			if m.value == nil {
				continue
			}
			*m.to = *m.value
			if k == 0 {
				did = append(did, map[bool]string{true: m.yes, false: m.no}[*m.value])
			}
		}
	}
	s.Skeleton = out
	return s, Outcome{Sentence: strings.Join(did, ", ") + " " + said(o.Joints)}, nil
}
