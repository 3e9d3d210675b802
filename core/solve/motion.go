package solve

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/deform"
	"wisemarrow/core/guide"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/progress"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Shares are the parts of the usual ranges that weights are solved for.
var Shares = []float64{0.5, 1}

// framesAtOnce is how many frames are posed before it is asked whether to stop.
const framesAtOnce = 10

// ErrNoMotion means that no joint bends the skin in its usual range.
var ErrNoMotion = errors.New("no joint bends the skin in its usual range")

// ForMotion solves the weights of a mesh for the motions of its skeleton, which stands as the mesh was bound. stop,
// unless nil, is asked between frames whether the rest is to be left out; Frames of what comes back tells how many
// were told.
func ForMotion(
	ctx context.Context,
	m *mesh.Mesh,
	w *weights.Weights,
	s *skeleton.Skeleton,
	g *guide.Solid,
	o Options,
	stop func() bool,
	progress progress.Func,
) (*Solved, error) {
	if progress == nil {
		progress = func(string, float64) {}
	}
	frames, left := Frames(s.WithoutHelpers(), w.WithoutHelpers(s, nil), o.Marks, Shares)
	if len(frames)+len(o.Given) == 0 {
		return nil, ErrNoMotion
	}
	w = withColumns(w, s)
	p := New(m, w, s, o)
	points := m.World()
	told := 0
	for lo := 0; lo < len(frames) && (stop == nil || told == 0 || !stop()); lo += framesAtOnce {
		progress(fmt.Sprintf("Posing the guide, %d of %d frames", lo, len(frames)), 0.8*float64(lo)/float64(len(frames)))
		batch := frames[lo:min(len(frames), lo+framesAtOnce)]
		posed, err := g.Poses(ctx, posesOf(batch), guide.Options{})
		if err != nil {
			return nil, err
		}
		for k, x := range posed {
			p.Add(pose.Skin(s, batch[k].Pose), x.Places(points), 1)
		}
		told += len(batch)
	}
	for _, x := range o.Given {
		p.Add(x.matrices(s), x.Places, x.Times)
	}
	progress("Solving the weights", 0.8)
	out, err := p.Solve(ctx)
	if err != nil {
		return nil, err
	}
	out.Frames, out.All, out.LeftOut = told, len(frames), left
	out.Still = stillJoints(w, s, frames)
	return out, nil
}

// stillJoints are those that have weights and a parent, are no helper joints, and turn in no frame.
func stillJoints(w *weights.Weights, s *skeleton.Skeleton, frames []pose.Tried) (out []string) {
	moves := make([]bool, len(w.Joints))
	for k, name := range w.Joints {
		moves[k] = slices.ContainsFunc(frames, func(f pose.Tried) bool { _, ok := f.Pose[name]; return ok })
	}
	used := make([]bool, len(w.Joints))
	for _, list := range w.Of {
		for _, x := range list {
			used[x.Joint] = true
		}
	}
	for k, name := range w.Joints {
		if i := s.Index(name); used[k] && !moves[k] && i >= 0 && s.Joints[i].Parent >= 0 && s.Joints[i].Helper == nil {
			out = append(out, name)
		}
	}
	return out
}

func posesOf(list []pose.Tried) []pose.Pose {
	out := make([]pose.Pose, len(list))
	for k, t := range list {
		out[k] = t.Pose
	}
	return out
}

// Distance is how far a skin is from a guide.
type Distance struct {
	Mean     float64 `json:"mean_m"` // over vertices and poses
	Square   float64 `json:"rms_m"`
	Most     float64 `json:"p99_m"` // of all but one in a hundred
	Farthest float64 `json:"farthest_m"`
	Vertex   int32   `json:"vertex"` // that one
	Pose     string  `json:"pose"`   // there
}

// Distances measures how far the skin is from the guide in some poses, with each of some weights.
func Distances(
	ctx context.Context,
	m *mesh.Mesh,
	s *skeleton.Skeleton,
	g *guide.Solid,
	poses []pose.Tried,
	list ...*weights.Weights,
) ([]Distance, error) {
	points := m.World()
	out := make([]Distance, len(list))
	all := make([][]float32, len(list))
	for lo := 0; lo < len(poses); lo += framesAtOnce {
		batch := poses[lo:min(len(poses), lo+framesAtOnce)]
		posed, err := g.Poses(ctx, posesOf(batch), guide.Options{})
		if err != nil {
			return nil, err
		}
		for k, x := range posed {
			want := x.Places(points)
			for i, w := range list {
				for v, at := range deform.Bound(points, w, s, batch[k].Pose, nil) {
					if len(w.Of[v]) == 0 {
						continue
					}
					d := r3.Norm(r3.Sub(at, want[v]))
					all[i] = append(all[i], float32(d))
					out[i].Mean += d
					out[i].Square += d * d
					if d > out[i].Farthest {
						out[i].Farthest, out[i].Vertex, out[i].Pose = d, int32(v), batch[k].Name
					}
				}
			}
		}
	}
	for i := range out {
		n := len(all[i])
		if n == 0 {
			continue
		}
		slices.Sort(all[i])
		out[i].Mean /= float64(n)
		out[i].Square = math.Sqrt(out[i].Square / float64(n))
		out[i].Most = float64(all[i][min(n-1, n*99/100)])
	}
	return out, nil
}
