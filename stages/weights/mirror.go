package weights

import (
	"context"
	"fmt"
	"math"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "mirror_weights",
			Label: "Mirror weights",
			Stage: "weights",
			Words: "symmetry flip copy left right other side",
			From:  studio.FromForm,
			Needs: needs,
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &Mirror{From: "left", By: weights.MirrorPlace} },
		},
	)
}

// Mirror gives the vertices of one side what their images on the other have, each joint by its
// partner. Tolerance, metres, is how far from the mirrored place an image may be; 0 is a two
// thousandth of the height. Offset moves the plane along X, Turn turns it about Y, degrees.
type Mirror struct {
	From      string  `json:"from" as:"From side" one:"left,right"`
	By        string  `json:"by" as:"Match by" one:"place=position,topology,joints=joints in any pose" help:"vertices by position, by topology, or by joints where the sides are posed unevenly"`
	Tolerance float64 `json:"tolerance,omitempty" as:"Tolerance" in:"0..1e6" unit:"m" help:"how far from the mirrored position a match may be; 0 means height / 2000"`
	Offset    float64 `json:"offset,omitempty" as:"Plane offset" in:"-1e6..1e6" unit:"m"`
	Turn      float64 `json:"turn,omitempty" as:"Plane turn" in:"-360..360" unit:"°"`
	Vertices  string  `json:"vertices,omitempty"`
}

// Pairing is what a mirroring would pair, looked at before.
type Pairing struct {
	Matched   int      `json:"matched"`
	Between   int      `json:"between"`
	Unmatched []int32  `json:"unmatched"` // vertices, the first of them
	Missing   int      `json:"missing"`   // how many in all
	Farthest  float64  `json:"farthest"`
	Joints    []string `json:"joints"` // of a side and without a partner
}

// mostShown is how many vertices a look at a mirroring names.
const mostShown = 2000

func (o *Mirror) prepare(s studio.State) (*at, *weights.Mirrored, weights.Plane, float64, error) {
	fail := func(err error) (*at, *weights.Mirrored, weights.Plane, float64, error) {
		return nil, nil, weights.Plane{}, 0, err
	}
	if o.Tolerance < 0 {
		return fail(studio.Wrong("the tolerance is not below 0"))
	}
	a, err := begin(s, o.Vertices)
	if err != nil {
		return fail(err)
	}
	turn := o.Turn * math.Pi / 180
	middle := planeOf(&s).Offset + o.Offset
	plane := weights.Plane{Normal: r3.Vec{X: math.Cos(turn), Z: -math.Sin(turn)}}
	plane.Offset = middle * plane.Normal.X
	tolerance := o.Tolerance
	if tolerance == 0 {
		tolerance = geom.BoxOf(a.net.At).Size().Y / 2000
	}
	if o.By == weights.MirrorJoints {
		m, err := byJoints(&s, a.net, tolerance)
		if err != nil {
			return fail(err)
		}
		return a, m, plane, tolerance, nil
	}
	faces := make([][]int32, s.Mesh.Faces())
	for f := range faces {
		faces[f] = s.Mesh.Face(f)
	}
	m, err := a.net.Mirror(plane, o.By, math.Max(tolerance, 1e-9), faces)
	if err != nil {
		return fail(studio.Wrong("%v", err))
	}
	return a, m, plane, tolerance, nil
}

// jointsReach is how many times farther than where mesh and pose are even an image may be: the joints of two
// sides never stand as exactly alike as vertices do.
const jointsReach = 8

// byJoints finds the images of vertices by the joints beside them. Axes that were not set yet are set for it,
// by the convention, on a copy.
func byJoints(s *studio.State, net *weights.Net, tolerance float64) (*weights.Mirrored, error) {
	sk, c := s.Skeleton, s.Settings.Convention
	if !sk.Pairs(s.Settings.Marks).Any() {
		return nil, studio.Wrong("no two joints are a pair: mark the sides in their names at Placement, or mirror by position")
	}
	if !s.Settings.Oriented {
		var err error
		if sk, err = sk.WithAxesOf(nil, c, c).Orient(nil, c, s.Settings.Marks); err != nil {
			return nil, studio.Wrong("%v", err)
		}
	}
	images, side := sk.Reflected(net.At, c, s.Settings.Marks)
	m, err := net.MirrorAt(images, side, math.Max(jointsReach*tolerance, 1e-9))
	if err != nil {
		return nil, studio.Wrong("%v", err)
	}
	return m, nil
}

// Pairs looks at a mirroring without doing it.
func (o *Mirror) Pairs(s studio.State) (Pairing, error) {
	_, m, _, _, err := o.prepare(s)
	if err != nil {
		return Pairing{}, err
	}
	out := Pairing{
		Matched:   m.Matched,
		Between:   m.Between,
		Missing:   len(m.Unmatched),
		Unmatched: m.Unmatched[:min(len(m.Unmatched), mostShown)],
		Farthest:  m.Farthest,
		Joints:    unpaired(&s),
	}
	return out, nil
}

// unpaired are joints of a side that have weights and no partner.
func unpaired(s *studio.State) []string {
	out := []string{}
	pairs := s.Skeleton.Pairs(s.Settings.Marks)
	for _, name := range s.Weights.Joints {
		if i := s.Skeleton.Index(name); i >= 0 && pairs.Sides[i] != skeleton.Centre && pairs.Partner[i] < 0 {
			out = append(out, name)
		}
	}
	return out
}

// Apply implements studio.Operation.
func (o *Mirror) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	a, m, plane, tolerance, err := o.prepare(s)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	given, left := a.e.MirrorTo(a.net, m, plane, tolerance, o.From == "right", a.vertices, partners(&s, a.e.Joints))
	next, out, err := a.done(ctx, fmt.Sprintf("Mirrored weights from the %s", o.From), "already symmetric")
	if err != nil {
		return next, out, err
	}
	out.Steps = []string{
		fmt.Sprintf(
			"%d vertices matched a vertex, %d a point between, %d nothing; %s updated",
			m.Matched,
			m.Between,
			len(m.Unmatched),
			wording.Count(given, "vertex", "vertices"),
		),
		fmt.Sprintf("largest remaining difference %.2g", left),
	}
	if n := len(m.Unmatched); n > 0 {
		out.Left = append(
			out.Left,
			fmt.Sprintf("%s have no image within the tolerance and stay as they were", wording.Count(n, "vertex", "vertices")),
		)
	}
	if list := unpaired(&s); len(list) > 0 {
		out.Left = append(out.Left, studio.Said(list)+" have no partner: mirrored onto themselves")
	}
	return next, out, nil
}
