package bindpose

import (
	"context"
	"fmt"
	"math"

	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	bound := []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights}
	studio.Register(
		studio.Entry{
			Name:  "rest_pose",
			Label: "Make this pose the bind pose",
			Stage: "bindpose",
			Words: "apply bake current pose rest vertices new",
			From:  studio.FromForm,
			Needs: bound,
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &RestPose{} },
		},
		studio.Entry{
			Name:  "level_arms",
			Label: "Pose the arms as T or A",
			Stage: "bindpose",
			Words: "t-pose a-pose level 45 degrees arms repose",
			From:  studio.FromForm,
			Needs: bound,
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &LevelArms{} },
		},
	)
}

// bound returns where the vertices stand in a pose.
func bound(s studio.State, p pose.Pose) []r3.Vec {
	return deform.Bound(s.Mesh.World(), s.Weights, s.Skeleton, p, s.Binding)
}

// RestPose makes what is seen the new bind pose: vertices, joints, normals and shape
// targets are brought there, and weights and motions stay what they are.
type RestPose struct {
	// Angles are the degrees by which joints are turned about their own axes, in the order of each.
	Angles map[string][4]float64 `json:"angles,omitempty"`
}

// Apply implements studio.Operation.
func (o *RestPose) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	for name, a := range o.Angles {
		if _, err := s.Skeleton.Find(name); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		for _, d := range a {
			if !(math.Abs(d) <= 36000) {
				return s, studio.Outcome{}, studio.Wrong("the rotation of %s, %g, is not an angle", name, d)
			}
		}
	}
	p := pose.Angled(s.Skeleton, o.Angles)
	out, far, err := rested(s, p)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return out, studio.Outcome{
		Sentence: fmt.Sprintf(
			"Made this the bind pose: vertices moved up to %s, skin matches within %s",
			wording.Length(far.moved),
			wording.Length(far.off),
		),
		Before: wording.Length(far.moved),
		After:  wording.Length(far.off),
		Left:   driversLeft(&s, p),
	}, nil
}

// driversLeft tells of shape targets that joints which a pose turns bring on: their angles count from rest, which is another now.
func driversLeft(s *studio.State, p pose.Pose) []string {
	var names []string
	for _, t := range s.Rig().Targets {
		if t.Driver == nil {
			continue
		}
		if _, turned := p[t.Driver.Joint]; turned {
			names = append(names, t.Name)
		}
	}
	if names == nil {
		return nil
	}
	return []string{fmt.Sprintf(
		"the angles that bring %s on count from the new rest, and what they added in this pose was left out: set them again at Shapes",
		wording.Some(names, "shape target", "shape targets"),
	)}
}

// way is how far vertices went, and how far they are from where they were seen, metres.
type way struct{ moved, off float64 }

// rested returns the state with a pose as its rest.
func rested(s studio.State, p pose.Pose) (studio.State, way, error) {
	seen := bound(s, p)
	matrices := deform.InOrder(s.Skeleton, s.Weights, pose.SkinMatrices(s.Skeleton, p, s.Binding))
	m := s.Mesh.Bake(mesh.NoPlacement)
	turns := deform.TurnsOf(len(seen), s.Weights, matrices, s.Binding)
	m.Points = seen
	m.Shapes = m.MapShapes(func(v int32, d r3.Vec) r3.Vec { return turns(int(v)).Direction(d) })
	if m.Normal != nil {
		m.Normal = append(m.Normal[:0:0], m.Normal...)
		for c, n := range m.Normal {
			to := turns(int(m.Corner[c])).Normal(r3.Vec{X: float64(n[0]), Y: float64(n[1]), Z: float64(n[2])})
			m.Normal[c] = [3]float32{float32(to.X), float32(to.Y), float32(to.Z)}
		}
	}
	before := s.Skeleton
	after := pose.Rested(before, p)
	if err := before.Held(after); err != nil {
		return s, way{}, studio.Wrong("%v", err)
	}
	far := 0.0
	for v, q := range s.Mesh.World() {
		far = math.Max(far, r3.Norm(r3.Sub(seen[v], q)))
	}
	s.Mesh, s.Skeleton, s.Binding = m, after, pose.Recorded(after)
	s.Clips = studio.EachClip(s.Clips, func(c *pose.Clip) *pose.Clip { return c.Rerested(before, after) })
	if s.Bind != nil {
		record := *s.Bind
		record.Skeleton = after
		s.Bind = &record
	}
	s.Fit = nil // what it understood was of the other pose
	now := bound(s, nil)
	off := 0.0
	for v := range now {
		off = math.Max(off, r3.Norm(r3.Sub(now[v], seen[v])))
	}
	return s, way{far, off}, nil
}

// LevelArms turns the arms at the shoulders until the line from shoulder to wrist is level
// or slopes down by an angle, straight out to the side, and makes that the bind pose.
type LevelArms struct {
	Degrees  float64 `json:"degrees" as:"Below horizontal" in:"-90..90" unit:"°"` // below level: 0 for T, 45 for A
	Straight bool    `json:"straight,omitempty"`                                  // elbows and wrists are straightened too
}

// Apply implements studio.Operation.
func (o *LevelArms) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	p, was, err := pose.ArmsTo(s.Skeleton, s.Settings.Marks, o.Degrees, o.Straight)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	out, far, err := rested(s, p)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	_, now, err := pose.ArmsTo(out.Skeleton, s.Settings.Marks, o.Degrees, o.Straight)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return out, studio.Outcome{
		Sentence: fmt.Sprintf(
			"Posed the arms %g° below horizontal: error %.1f° → %.1f°, vertices moved by up to %.1f cm",
			o.Degrees,
			was,
			now,
			100*far.moved,
		),
		Before: fmt.Sprintf("%.1f", was),
		After:  fmt.Sprintf("%.1f", now),
		Left:   driversLeft(&s, p),
	}, nil
}
