package placement

import (
	"context"
	"fmt"
	"math"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/housestyle"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "move_joint",
			Label: "Move a joint",
			Stage: "placement",
			Words: "place translate drag position",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &MoveJoint{Branch: true, Both: true} },
		},
		studio.Entry{
			Name:  "place_joints",
			Label: "Place joints",
			Stage: "placement",
			Words: "position translate set coordinates",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &PlaceJoints{} },
		},
		studio.Entry{
			Name:  "centre_joints",
			Label: "Center in the volume",
			Stage: "placement",
			Words: "center middle inside medial snap",
			Key:   "G",
			From:  studio.FromJoints,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton},
			New:   func() studio.Operation { return &CentreJoints{Both: true} },
		},
		studio.Entry{
			Name:  "centre_along",
			Label: "Center along the view",
			Stage: "placement",
			Words: "center under pointer depth",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton},
			New:   func() studio.Operation { return &CentreAlong{Both: true} },
		},
		studio.Entry{
			Name:  "centre_ring",
			Label: "Center in an edge loop",
			Stage: "placement",
			Words: "center loop edge ring vertices",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton},
			New:   func() studio.Operation { return &CentreRing{Both: true} },
		},
		studio.Entry{
			Name:  "slight_bend",
			Label: "Bend slightly",
			Stage: "placement",
			Words: "preferred angle straight limb elbow knee",
			From:  studio.FromJoints,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &SlightBend{Degrees: 4} },
		},
		studio.Entry{
			Name:  "stretch_chain",
			Label: "Stretch a chain",
			Stage: "placement",
			Words: "scale lengthen shorten limb",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &StretchChain{Factor: 1.1, Both: true} },
		},
		studio.Entry{
			Name:  "swing_limb",
			Label: "Rotate a limb",
			Stage: "placement",
			Words: "rotate swing arm leg",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &SwingLimb{Both: true} },
		},
		studio.Entry{
			Name:  "copy_to_partner",
			Label: "Mirror to the other side",
			Stage: "placement",
			Words: "mirror symmetry partner opposite",
			From:  studio.FromJoints,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &CopyToPartner{} },
		},
		studio.Entry{
			Name:  "mark_joints",
			Label: "Pin, lock or hide joints",
			Stage: "placement",
			Words: "freeze protect visibility",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &MarkJoints{} },
		},
		studio.Entry{
			Name:  "accept_joints",
			Label: "Accept joints where they are",
			Stage: "placement",
			Words: "confirm approve guess sure right",
			From:  studio.FromJoints,
			Needs: []studio.Need{studio.NeedSkeleton},
			New:   func() studio.Operation { return &AcceptJoints{} },
		},
	)
}

// placed moves joints each on its own to world places, and with both the
// partners to the mirrored ones; a partner that is placed itself keeps its own.
func placed(s studio.State, to map[int]r3.Vec, both bool) (studio.State, float64, error) {
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
		return s, 0, studio.Wrong("%v", err)
	}
	after, err := s.WithMoved(moved)
	if err == nil {
		after.Fit = housestyle.Corrected(s.Fit, s.Skeleton, moved, func(i int) bool { _, is := all[i]; return is })
	}
	return after, far, err
}

// MoveJoint puts a joint at a place in world metres.
type MoveJoint struct {
	Joint  string       `json:"joint"`
	To     studio.Place `json:"to"`
	Branch bool         `json:"branch"` // what hangs from it moves along
	Both   bool         `json:"both"`   // the partner makes the mirrored move
}

// Apply implements Operation.
func (o *MoveJoint) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	i, err := s.Skeleton.Find(o.Joint)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	to, err := o.To.Vec()
	if err != nil {
		return s, studio.Outcome{}, err
	}
	by := r3.Norm(r3.Sub(to, s.Skeleton.Joints[i].Pos))
	after, err := s.WithMoved(s.Skeleton.Move(i, to, o.Branch, o.Both, s.Settings.Marks))
	if err != nil {
		return s, studio.Outcome{}, err
	}
	what, partner := o.Joint, s.Skeleton.PartnerOf(i, s.Settings.Marks)
	if o.Both && partner >= 0 {
		what += " and its partner"
	}
	after.Fit = housestyle.Corrected(s.Fit, s.Skeleton, after.Skeleton, func(k int) bool { return k == i || o.Both && k == partner })
	return after, studio.Outcome{Sentence: fmt.Sprintf("Moved %s by %.1f cm", what, 100*by)}, nil
}

// Spot is a joint and where it is to stand, world metres.
type Spot struct {
	Joint string       `json:"joint"`
	To    studio.Place `json:"to"`
}

// Follows implements studio.Gesture: nudges of one joint are one move.
func (o *MoveJoint) Follows(before studio.Operation) bool {
	b, ok := before.(*MoveJoint)
	return ok && b.Joint == o.Joint && b.Branch == o.Branch && b.Both == o.Both
}

// PlaceJoints puts several joints at places, each on its own.
type PlaceJoints struct {
	Places []Spot `json:"places"`
	Both   bool   `json:"both,omitempty"`
}

// Apply implements Operation.
func (o *PlaceJoints) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	var names []string
	for _, p := range o.Places {
		names = append(names, p.Joint)
	}
	if _, err := s.JointsNamed(names); err != nil {
		return s, studio.Outcome{}, err
	}
	to := map[int]r3.Vec{}
	for _, p := range o.Places {
		at, err := p.To.Vec()
		if err != nil {
			return s, studio.Outcome{}, err
		}
		to[s.Skeleton.Index(p.Joint)] = at
	}
	s, far, err := placed(s, to, o.Both)
	return s, studio.Outcome{Sentence: fmt.Sprintf("Placed %s: the farthest moved %.1f cm", studio.Said(names), 100*far)}, err
}

// CentreJoints puts joints into the middle of their limbs, square to their bones.
type CentreJoints struct {
	Joints []string `json:"joints"`
	Both   bool     `json:"both"`
}

// Apply implements Operation.
func (o *CentreJoints) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed(o.Joints)
	if err != nil {
		return s, studio.Outcome{}, err
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
		return s, studio.Outcome{}, studio.Wrong(
			"%s: no volume nearby to center in: close the mesh at Intake, or move the joint inside",
			studio.Said(outside),
		)
	}
	s, far, err := placed(s, to, o.Both)
	sentence := fmt.Sprintf("Centered %s in the volume: the farthest moved %.1f cm", studio.Said(o.Joints), 100*far)
	if outside != nil {
		sentence += "; no volume near, and left: " + studio.Said(outside)
	}
	return s, studio.Outcome{Sentence: sentence}, err
}

// CentreAlong puts a joint into the middle between entry and exit of the mesh
// along a ray, as the pointer shows it.
type CentreAlong struct {
	Joint string       `json:"joint"`
	From  studio.Place `json:"from"`
	Way   studio.Place `json:"way"`
	Both  bool         `json:"both"`
}

// Apply implements Operation.
func (o *CentreAlong) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed([]string{o.Joint})
	if err != nil {
		return s, studio.Outcome{}, err
	}
	places, err := studio.Vecs([]studio.Place{o.From, o.Way})
	if err != nil {
		return s, studio.Outcome{}, err
	}
	from, way := places[0], places[1]
	if r3.Norm(way) == 0 {
		return s, studio.Outcome{}, studio.Wrong("a view from %v along %v is not valid", o.From, o.Way)
	}
	p, ok := skeleton.CentreAlong(s.Mesh.Surface().Tree, from, way)
	if !ok {
		return s, studio.Outcome{}, studio.Wrong("no mesh under the pointer to center %s in", o.Joint)
	}
	s, far, err := placed(s, map[int]r3.Vec{which[0]: p}, o.Both)
	return s, studio.Outcome{Sentence: fmt.Sprintf("Centered %s under the pointer: moved %.1f cm", o.Joint, 100*far)}, err
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
func (o *CentreRing) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed([]string{o.Joint})
	if err != nil {
		return s, studio.Outcome{}, err
	}
	points := s.Mesh.World()
	for _, v := range o.Vertices {
		if v < 0 || int(v) >= len(points) {
			return s, studio.Outcome{}, studio.Wrong("there is no vertex %d: the mesh has %d", v, len(points))
		}
	}
	var middle r3.Vec
	n := len(o.Vertices)
	switch {
	case o.Vertex != nil:
		if *o.Vertex < 0 || int(*o.Vertex) >= len(points) {
			return s, studio.Outcome{}, studio.Wrong("there is no vertex %d: the mesh has %d", *o.Vertex, len(points))
		}
		axis := s.Skeleton.Along(which[0])
		if r3.Norm(axis) == 0 {
			return s, studio.Outcome{}, studio.Wrong("%s has no bone to set a loop across: select the vertices of the loop", o.Joint)
		}
		ring := s.Mesh.Surface().Ring(*o.Vertex, axis)
		if n = len(ring); n < 3 {
			return s, studio.Outcome{}, studio.Wrong("no ring closes around vertex %d square to the bone of %s", *o.Vertex, o.Joint)
		}
		middle = mesh.RingMiddle(ring)
	case n < 2:
		return s, studio.Outcome{}, studio.Wrong("select a loop of at least two vertices first")
	default:
		for _, v := range o.Vertices {
			middle = r3.Add(middle, r3.Scale(1/float64(n), points[v]))
		}
	}
	s, far, err := placed(s, map[int]r3.Vec{which[0]: middle}, o.Both)
	return s, studio.Outcome{Sentence: fmt.Sprintf("Centered %s in a loop of %d vertices: moved %.1f cm", o.Joint, n, 100*far)}, err
}

// SlightBend bends straight limbs so that they know their way.
type SlightBend struct {
	Joints  []string `json:"joints"`
	Degrees float64  `json:"degrees" as:"Bend" in:"0<..60" unit:"°"`
}

// Apply implements Operation.
func (o *SlightBend) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed(o.Joints)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	bent := s.Skeleton
	for _, i := range which {
		if bent, err = bent.SlightBend(i, o.Degrees, s.Settings.Marks); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
	}
	s, err = s.WithMoved(bent)
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Bent %s by %.3g°", studio.Said(o.Joints), o.Degrees),
		After:    fmt.Sprintf("%.3g°", o.Degrees),
	}, err
}

// StretchChain scales all that hangs from a joint about it.
type StretchChain struct {
	Joint  string  `json:"joint" help:"the first of the chain"`
	Factor float64 `json:"factor" as:"Factor" in:"0.01..100"`
	Both   bool    `json:"both"`
}

// Apply implements Operation.
func (o *StretchChain) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed([]string{o.Joint})
	if err != nil {
		return s, studio.Outcome{}, err
	}
	i := which[0]
	if len(s.Skeleton.Branch(i)) == 1 {
		return s, studio.Outcome{}, studio.Wrong("%s has no descendants to stretch", o.Joint)
	}
	partner := s.Skeleton.PartnerOf(i, s.Settings.Marks)
	moved := s.Skeleton.Stretch(i, o.Factor)
	if o.Both && partner >= 0 {
		moved = moved.Stretch(partner, o.Factor)
	}
	s, err = s.WithMoved(moved)
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Stretched the branch of %s by %.3g", o.Joint, o.Factor),
		Before:   "1",
		After:    fmt.Sprintf("%.3g", o.Factor),
	}, err
}

// SwingLimb turns a joint with all that hangs from it about it, places and axes,
// by degrees about the world's X, then Y, then Z; the partner mirrors it.
type SwingLimb struct {
	Joint   string     `json:"joint"`
	Degrees [3]float64 `json:"degrees" as:"Turn" in:"-360..360" unit:"°" help:"about X, Y and Z of the world"`
	Both    bool       `json:"both"`
}

// Apply implements Operation.
func (o *SwingLimb) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed([]string{o.Joint})
	if err != nil {
		return s, studio.Outcome{}, err
	}
	turn := func(x, y, z float64) quat.Number {
		rad := math.Pi / 180
		return quat.Mul(
			geom.AxisAngle(r3.Vec{Z: 1}, z*rad),
			quat.Mul(geom.AxisAngle(r3.Vec{Y: 1}, y*rad), geom.AxisAngle(r3.Vec{X: 1}, x*rad)),
		)
	}
	partner := s.Skeleton.PartnerOf(which[0], s.Settings.Marks)
	moved := s.Skeleton.Swing(which[0], turn(o.Degrees[0], o.Degrees[1], o.Degrees[2]))
	if o.Both && partner >= 0 {
		moved = moved.Swing(partner, turn(o.Degrees[0], -o.Degrees[1], -o.Degrees[2]))
	}
	s, err = s.WithMoved(moved)
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Rotated the limb at %s by %.3g°, %.3g°, %.3g°", o.Joint, o.Degrees[0], o.Degrees[1], o.Degrees[2]),
	}, err
}

// CopyToPartner puts the partners of joints at the mirrored places.
type CopyToPartner struct {
	Joints []string `json:"joints"`
}

// Apply implements Operation.
func (o *CopyToPartner) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed(o.Joints)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	x := s.Settings.Marks
	pairs := s.Skeleton.Pairs(x)
	to := map[int]r3.Vec{}
	for _, i := range which {
		k := pairs.Partner[i]
		if k < 0 {
			return s, studio.Outcome{}, studio.Wrong(
				"%s has no partner: make the other side from this one first",
				s.Skeleton.Joints[i].Name,
			)
		}
		to[k] = skeleton.Mirrored(s.Skeleton.Joints[i].Pos, pairs.Plane)
	}
	s, far, err := placed(s, to, false)
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Copied %s to the other side: the farthest moved %.1f cm", studio.Said(o.Joints), 100*far),
	}, err
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
func (o *MarkJoints) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed(o.Joints)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	if o.Pinned == nil && o.Locked == nil && o.Hidden == nil {
		return s, studio.Outcome{}, studio.Wrong("say whether to pin, lock or hide the joints")
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
	return s, studio.Outcome{Sentence: strings.Join(did, ", ") + " " + studio.Said(o.Joints)}, nil
}

// AcceptJoints takes joints that a fit has placed for placed by a person: nothing moves, and they are guesses no longer.
type AcceptJoints struct {
	Joints []string `json:"joints"`
}

// Apply implements Operation.
func (o *AcceptJoints) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	which, err := s.JointsNamed(o.Joints)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	out := s.Skeleton.Clone()
	for _, i := range which {
		out.Joints[i].Confidence, out.Joints[i].Reason = 0, ""
	}
	s.Skeleton = out
	return s, studio.Outcome{Sentence: "Accepted " + studio.Said(o.Joints) + " as placed"}, nil
}
