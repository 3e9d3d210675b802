package weights

import (
	"context"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/pose"
	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

// Motion is how a bound character comes through the usual ranges of its joints.
type Motion struct {
	Frames int       `json:"frames"`
	Score  float64   `json:"score"`
	Over   int       `json:"over"`
	Worst  []float64 `json:"worst"` // by frame, over the limit
	Poses  []Turn    `json:"poses"` // by frame
	Places []Place   `json:"places"`
}

// Turn is a pose that turns one joint about its own axes, x y z w.
type Turn struct {
	Name  string     `json:"name"`
	Joint string     `json:"joint"`
	Turn  [4]float64 `json:"turn"`
}

// Place is a fault, with what may mend it.
type Place struct {
	deform.Fault
	Remedies []finding.Remedy `json:"remedies"`
}

const (
	motionSteps = 3  // frames from rest to each end
	mostPlaces  = 24 // that are told
	// mostPosed bounds how many vertices are posed in all: some ten seconds.
	mostPosed = 12_000_000
)

// CheckMotion turns each joint through its usual range and measures every frame. Of large meshes and
// many joints only the ends are tried, those of the joints that move most.
func CheckMotion(ctx context.Context, s *studio.State) (Motion, error) {
	if s.Weights == nil || s.Mesh == nil || s.Skeleton == nil {
		return Motion{}, studio.Wrong("there are no weights yet: bind first")
	}
	tris, _ := s.Mesh.Triangles()
	skin, err := deform.NewSkin(s.Mesh.World(), tris, s.Weights, s.Skeleton, s.Binding)
	if err != nil {
		return Motion{}, err
	}
	trials := s.Skeleton.Trials(s.Settings.Marks)
	reel := pose.NewReel(s.Skeleton, trials, motionSteps, 1)
	if n := len(s.Mesh.Points); n*len(reel.Frames) > mostPosed {
		reel = pose.NewReel(s.Skeleton, trials, 1, 1)
		reel.Frames = deform.Affordable(reel.Frames, s.Skeleton, s.Weights)
	}
	if len(reel.Frames) == 0 {
		return Motion{}, studio.Wrong("no joint of this skeleton turns anything in its usual range")
	}
	checked, err := skin.Check(ctx, reel, nil)
	if err != nil {
		return Motion{}, err
	}
	out := Motion{Frames: len(reel.Frames), Score: checked.Score, Over: checked.Over(), Places: []Place{}}
	for i, f := range reel.Frames {
		name := s.Skeleton.Joints[f.Joint].Name
		q := f.Pose[name]
		out.Worst = append(out.Worst, checked.Frames[i].Worst)
		out.Poses = append(out.Poses, Turn{f.Name, name, [4]float64{q.Imag, q.Jmag, q.Kmag, q.Real}})
	}
	for _, f := range checked.Faults[:min(len(checked.Faults), mostPlaces)] {
		out.Places = append(out.Places, Place{f, remedies(f)})
	}
	return out, nil
}

// remedies are operations that may mend a fault; the same measure says whether they did.
func remedies(f deform.Fault) []finding.Remedy {
	where := f.Where
	if len(where) == 0 {
		where = []int32{f.Vertex}
	}
	where = studio.Unite(where, nil)
	vertices := weights.Ranges(where)
	switch f.Kind {
	case deform.FaultSpill:
		if len(f.Blame) == 0 {
			return nil
		}
		return []finding.Remedy{{Label: "Take them away from " + f.Blame[0].Joint, Op: "free_weights", Params: map[string]any{"joints": []any{f.Blame[0].Joint}, "vertices": vertices}}}
	case deform.FaultVolume:
		return []finding.Remedy{{Label: "Blend " + f.Turned + " by dual quaternions", Op: "set_blending", Params: map[string]any{"joints": []any{f.Turned}, "mix": 1}}}
	}
	return []finding.Remedy{
		{Label: "Smooth there", Op: "smooth_weights", Params: map[string]any{"vertices": vertices, "passes": 4}},
		{Label: "Bind them anew", Op: "bind_joints", Params: map[string]any{"vertices": vertices, "method": "auto"}}}
}
