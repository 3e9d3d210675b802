package shapes

import (
	"context"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/sculpt"
	"wisemarrow/core/shape"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "new_target",
			Label: "Add an empty shape target",
			Stage: "shapes",
			Words: "create corrective here sculpt",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			New:   func() studio.Operation { return &NewTarget{} },
		},
		studio.Entry{
			Name:  "sculpt_target",
			Label: "Sculpt a shape target",
			Stage: "shapes",
			Words: "brush grab inflate smooth relax flatten pinch erase corrective",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			New:   func() studio.Operation { return &Sculpt{} },
		},
		studio.Entry{
			Name:  "move_vertices",
			Label: "Move vertices of a shape target",
			Stage: "shapes",
			Words: "selected typed length soft translate sculpt",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh},
			New:   func() studio.Operation { return &MoveVertices{} },
		},
	)
}

// NewTarget adds a shape target that moves nothing yet. In a pose it is brought on by that: by the one joint that turns about a
// named axis, else near the pose.
type NewTarget struct {
	Name  string       `json:"name,omitempty" as:"Name" help:"none is one of the pose, or target"`
	Turns studio.Turns `json:"turns,omitempty" as:"Pose" help:"turns of joints about their own axes, x y z w; none is rest"`
}

// aboutNamed is up to what part of a turn may be about something else, for it to be one about a named axis. No source.
const aboutNamed = 0.1

// Apply implements studio.Operation.
func (o *NewTarget) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	t, otherwise := shape.Target{}, "target"
	if len(o.Turns) > 0 {
		if s.Skeleton == nil {
			return fail(studio.Wrong("there is no skeleton that could be posed"))
		}
		p, near, err := nearOf(&s, o.Turns)
		if err != nil {
			return fail(err)
		}
		if t.Driver = drivenBy(&s, p); t.Driver == nil {
			t.Near = near
		}
		otherwise = poseName(s, near)
	}
	s, out, err := withNew(s, o.Name, otherwise, mesh.Shape{}, t, "Added an empty shape target")
	if err != nil {
		return fail(err)
	}
	name := s.Mesh.Shapes[len(s.Mesh.Shapes)-1].Name
	if slices.Contains(s.Rig().For(s.Skeleton, s.Settings.Marks).Lost, name) {
		return fail(
			studio.Wrong("another shape target is on in the same pose, or one all but the same: sculpt that one, or change the pose"),
		)
	}
	if by := t.By(); by != "" {
		out.Sentence += ", brought on by " + by
	}
	return s, out, nil
}

// drivenBy is the driver that has a target on in a pose in which one joint turns about one of its named axes; nil in another.
func drivenBy(s *studio.State, p pose.Pose) *shape.Driver {
	if len(p) != 1 {
		return nil
	}
	for _, t := range s.Skeleton.Trials(s.Settings.Marks) {
		j := s.Skeleton.Joints[t.Joint]
		q, ok := p[j.Name]
		if !ok {
			continue
		}
		about := angleAbout(s.Skeleton, t, p)
		rest := geom.Angle(q, pose.AboutWorld(s.Skeleton, t, about))
		if rest > aboutNamed*geom.Angle(q, geom.Identity) {
			continue
		}
		return &shape.Driver{Joint: j.Name, Axis: t.Name, Knots: []shape.Knot{{Degrees: math.Round(100*about) / 100, Value: 1}}}
	}
	return nil
}

// There is where something is sculpted: the target, the pose, and what a hand holds of other targets and of this one.
type There struct {
	Target string             `json:"target" as:"Shape target"`
	Turns  studio.Turns       `json:"turns,omitempty" as:"Pose" help:"turns of joints about their own axes, x y z w; none is rest"`
	Held   map[string]float64 `json:"held,omitempty" as:"Held" help:"how far on targets are held, by name, whatever brings them on"`
}

// surface is the skin as it stands there; only the given vertices may be changed, nil is all that are shown.
func (o *There) surface(s *studio.State, vertices []int32) (*sculpt.Surface, int, error) {
	at, err := targetsNamed(s, []string{o.Target})
	if err != nil {
		return nil, 0, err
	}
	rig := s.Rig()
	if rig.Targets[at[0]].Lock {
		return nil, 0, studio.Wrong("%s is locked: unlock it first", o.Target)
	}
	net, err := weights.NetOf(s.Mesh)
	if err != nil {
		return nil, 0, studio.Wrong("%v", err)
	}
	on := sculpt.On{
		Net: net, Targets: s.Mesh.WorldShapes(), Values: rig.For(s.Skeleton, s.Settings.Marks).Holding(o.Held), Target: at[0],
		Open: s.Only(vertices), Plane: planeOf(s),
	}
	if s.Skeleton != nil {
		if on.Pose, err = o.Turns.Pose(s); err != nil {
			return nil, 0, err
		}
	} else if len(o.Turns) > 0 {
		return nil, 0, studio.Wrong("there is no skeleton that could be posed")
	}
	if s.Weights != nil && s.Skeleton != nil {
		if on.Skin, err = s.Unshaped(); err == nil {
			on.Skin, err = on.Skin.With(s.Weights.Single()) // as a page has them
		}
		if err != nil {
			return nil, 0, err
		}
	}
	surface, err := sculpt.New(on)
	if err != nil {
		return nil, 0, studio.Wrong("%v", err)
	}
	return surface, at[0], nil
}

// done stores what became of a target.
func (o *There) done(s studio.State, surface *sculpt.Surface, k int, what string) (studio.State, studio.Outcome, error) {
	n := surface.Changed()
	if n == 0 {
		return s, studio.Outcome{}, studio.Nothing("it changed nothing: no vertex in reach, or all hidden or unselected")
	}
	was, _ := shape.Largest(s.Mesh.WorldShapes()[k])
	list := slices.Clone(s.Mesh.Shapes)
	next := surface.Target()
	list[k] = shape.Mapped(next, s.Mesh.FromWorld())
	now, _ := shape.Largest(next)
	out := studio.Outcome{
		Before: wording.Length(was), After: wording.Length(now),
		Sentence: fmt.Sprintf("%s %s: %s changed, %s at most, was %s", what, o.Target,
			wording.Count(n, "vertex", "vertices"), wording.Length(now), wording.Length(was)),
	}
	if flattened := surface.Flattened(); flattened > 0 {
		out.Left = append(out.Left, fmt.Sprintf("blending flattens %s there, which come only as near as it lets them",
			wording.Count(flattened, "vertex", "vertices")))
	}
	s, err := withTargets(s, list, s.Rig())
	return s, out, err
}

// Sculpt is a stroke of a brush, or several of one brush, on a shape target in a pose: places on the surface. Vertices limits
// it to those that are chosen. What it does is computed from the strokes, here and in the page by the same code.
type Sculpt struct {
	There
	sculpt.Brush
	Strokes  [][]sculpt.Touch `json:"strokes"`
	Vertices string           `json:"vertices,omitempty"`
}

// Apply implements studio.Operation.
func (o *Sculpt) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	if err := weights.CheckStrokes(o.Strokes); err != nil {
		return fail(studio.Wrong("%v", err))
	}
	vertices, err := s.VerticesOf(o.Vertices)
	if err != nil {
		return fail(err)
	}
	surface, k, err := o.surface(&s, vertices)
	if err != nil {
		return fail(err)
	}
	for _, list := range o.Strokes {
		stroke, err := surface.Begin(o.Brush)
		if err != nil {
			return fail(studio.Wrong("%v", err))
		}
		for _, t := range list {
			if _, err := stroke.Touch(t); err != nil {
				return fail(studio.Wrong("%v", err))
			}
		}
	}
	return o.done(s, surface, k, brushes[o.Mode].done)
}

// MoveVertices moves chosen vertices in a pose by a length, and those around them softly along.
type MoveVertices struct {
	There
	Vertices string     `json:"vertices" of:"vertices" as:"Vertices"`
	Move     [3]float64 `json:"move" as:"Move" of:"position" unit:"m" help:"in the world, in the pose"`
	Soft     float64    `json:"soft,omitempty" as:"Soft border" in:"0..100" unit:"m" help:"how far along the surface those around go too"`
}

// Apply implements studio.Operation.
func (o *MoveVertices) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	fail := func(err error) (studio.State, studio.Outcome, error) { return s, studio.Outcome{}, err }
	vertices, err := s.VerticesOf(o.Vertices)
	if err != nil {
		return fail(err)
	}
	if len(vertices) == 0 {
		return fail(studio.Wrong("select the vertices to move"))
	}
	surface, k, err := o.surface(&s, nil)
	if err != nil {
		return fail(err)
	}
	if err := surface.Move(vertices, r3.Vec{X: o.Move[0], Y: o.Move[1], Z: o.Move[2]}, o.Soft); err != nil {
		return fail(studio.Wrong("%v", err))
	}
	return o.done(s, surface, k, "Moved vertices of")
}

// brushes are what brushes do, for a panel, and what was done.
var brushes = map[string]struct{ title, done string }{
	sculpt.Grab:    {"drags the skin along with the pointer", "Dragged"},
	sculpt.Inflate: {"moves the skin out along its normals", "Inflated"},
	sculpt.Deflate: {"moves the skin in along its normals", "Deflated"},
	sculpt.Smooth:  {"moves vertices toward the middle of their neighbors", "Smoothed"},
	sculpt.Relax:   {"evens out the mesh along the surface, without shrinking it", "Relaxed"},
	sculpt.Flatten: {"moves the skin toward a plane through it", "Flattened"},
	sculpt.Pinch:   {"draws the skin together along the surface", "Pinched"},
	sculpt.Even:    {"smooths the target’s offsets, not the surface", "Evened the offsets of"},
	sculpt.Match:   {"moves offsets toward those of another target", "Matched"},
	sculpt.Rest:    {"moves the skin toward where no target moves it", "Moved toward rest:"},
	sculpt.Erase:   {"removes the target’s offsets", "Erased from"},
}

// Mode is what a brush does, for a panel.
type Mode struct{ Name, Title string }

// SculptModes lists what a sculpting brush does.
func SculptModes() (out []Mode) {
	for _, m := range sculpt.Modes {
		out = append(out, Mode{m, brushes[m].title})
	}
	return out
}
