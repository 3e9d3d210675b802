package gltf

import (
	"bytes"
	"encoding/json"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

type animation struct {
	Name     string             `json:"name,omitempty"`
	Channels []channel          `json:"channels"`
	Samplers []animationSampler `json:"samplers"`
}

type channel struct {
	Sampler int           `json:"sampler"`
	Target  channelTarget `json:"target"`
}

type channelTarget struct {
	Node *int   `json:"node,omitempty"`
	Path string `json:"path"`
}

type animationSampler struct {
	Input         int    `json:"input"`
	Output        int    `json:"output"`
	Interpolation string `json:"interpolation,omitempty"`
}

// clip adds a motion: a rotation for every joint that ever turns, and a place for
// the roots if they ever move. Turns are about the joints' own axes. The nodes of
// the joints are the first ones. What hangs from joints that are lengthened is moved.
func (e *encoder) clip(s *skeleton.Skeleton, c *pose.Clip) {
	if c.Frames() == 0 {
		return
	}
	last := float64(float32(c.Step * float64(c.Frames()-1)))
	out := animation{Name: c.Name}
	times := -1
	add := func(node int, path, kind string, write func(b *bytes.Buffer)) {
		if times < 0 {
			times = e.add(
				accessor{Component: typeFloat, Count: c.Frames(), Type: "SCALAR", Min: []float64{0}, Max: []float64{last}},
				0,
				func(b *bytes.Buffer) {
					for f := range c.Frames() {
						put32(b, c.Step*float64(f))
					}
				},
			)
		}
		values := e.add(accessor{Component: typeFloat, Count: c.Frames(), Type: kind}, 0, write)
		out.Channels = append(out.Channels, channel{len(out.Samplers), channelTarget{&node, path}})
		out.Samplers = append(out.Samplers, animationSampler{Input: times, Output: values})
	}
	built := e.built(s, c)
	for i := range s.Joints {
		if built == nil {
			break
		}
		e.carried(s, i, c.Root, built, add)
	}
	for k, name := range c.Joints {
		i := s.Index(name)
		if built != nil || i < 0 || !turns(c, k) {
			continue
		}
		_, rest := s.Local(i)
		add(i, "rotation", "VEC4", func(b *bytes.Buffer) {
			w := shortWay{b: b}
			for f := range c.Turns {
				q := quat.Mul(rest, c.Turns[f][k])
				w.put(quat.Scale(1/quat.Abs(q), q))
			}
		})
	}
	if long := c.Lengthens(); long != nil && built == nil {
		offsets := make([][]r3.Vec, c.Frames())
		for f := range offsets {
			p, _ := c.At(f)
			offsets[f] = pose.Offsets(s, p)
		}
		for i, j := range s.Joints {
			if j.Parent >= 0 && slices.Contains(long, s.Joints[j.Parent].Name) {
				add(i, "translation", "VEC3", func(b *bytes.Buffer) {
					for _, at := range offsets {
						put32(b, at[i].X, at[i].Y, at[i].Z)
					}
				})
			}
		}
	}
	moves := false
	for _, m := range c.Root {
		moves = moves || m != (r3.Vec{})
	}
	for i, j := range s.Joints {
		if j.Parent < 0 && moves && built == nil {
			add(i, "translation", "VEC3", func(b *bytes.Buffer) {
				for _, m := range c.Root {
					p := r3.Add(j.Pos, m)
					put32(b, p.X, p.Y, p.Z)
				}
			})
		}
	}
	if values := e.targetsIn(c); values != nil {
		for _, node := range e.shaped {
			add(node, "weights", "SCALAR", func(b *bytes.Buffer) { put32(b, values...) })
			e.doc.Accessors[len(e.doc.Accessors)-1].Count = len(values) // one for each target in each frame
		}
	}
	if out.Channels == nil {
		return
	}
	if raw, err := json.Marshal(out); err == nil { // numbers of ours and a name can be written
		e.doc.Animations = append(e.doc.Animations, raw)
	}
}

// shortWay writes rotations, each the short way from the one before.
type shortWay struct {
	b      *bytes.Buffer
	before quat.Number
}

func (w *shortWay) put(q quat.Number) {
	x := w.before
	if q.Real*x.Real+q.Imag*x.Imag+q.Jmag*x.Jmag+q.Kmag*x.Kmag < 0 {
		q = quat.Scale(-1, q) // the same rotation
	}
	w.before = q
	put32(w.b, q.Imag, q.Jmag, q.Kmag, q.Real)
}

// built are the world transforms of the joints, frame by frame, in a motion in which shape targets put them elsewhere; nil where
// none does. They move the skin as the joints of that build do, for programs that know of one skeleton only.
func (e *encoder) built(s *skeleton.Skeleton, c *pose.Clip) (out [][]geom.Matrix) {
	if e.values == nil || !e.values.Leads() {
		return nil
	}
	elsewhere := false
	for f := range c.Frames() {
		p, _ := c.At(f)
		b := e.values.Built(e.values.Values(p))
		elsewhere = elsewhere || b != s
		out = append(out, pose.Carried(b, s, p))
	}
	if !elsewhere {
		return nil
	}
	return out
}

// carried adds the channels of joint i of a motion that is given as world transforms, and by how much the roots move.
func (e *encoder) carried(
	s *skeleton.Skeleton,
	i int,
	root []r3.Vec,
	world [][]geom.Matrix,
	add func(node int, path, kind string, write func(b *bytes.Buffer)),
) {
	rest, turn := s.Local(i)
	moves, turned := false, false
	places, turns := make([]r3.Vec, len(world)), make([]quat.Number, len(world))
	for f, list := range world {
		m := list[i]
		if p := s.Joints[i].Parent; p >= 0 {
			if up, ok := list[p].Inverse(); ok {
				m = up.Mul(m)
			}
		}
		at, q, _ := m.Decompose()
		if s.Joints[i].Parent < 0 {
			at = r3.Add(at, root[f])
		}
		places[f], turns[f] = at, q
		moves = moves || r3.Norm(r3.Sub(at, rest)) > stillMove
		d := quat.Mul(quat.Conj(turn), q)
		turned = turned || math.Abs(d.Imag)+math.Abs(d.Jmag)+math.Abs(d.Kmag) > stillTurn
	}
	if turned {
		add(i, "rotation", "VEC4", func(b *bytes.Buffer) {
			w := shortWay{b: b}
			for _, q := range turns {
				w.put(q)
			}
		})
	}
	if moves {
		add(i, "translation", "VEC3", func(b *bytes.Buffer) {
			for _, p := range places {
				put32(b, p.X, p.Y, p.Z)
			}
		})
	}
}

// A joint that is carried by less than this, meters and half radians, is still: what rounding leaves.
const stillMove, stillTurn = 1e-9, 1e-9

// turns reports whether joint k of a clip ever leaves its rest.
func turns(c *pose.Clip, k int) bool {
	for _, list := range c.Turns {
		if q := list[k]; math.Abs(q.Imag)+math.Abs(q.Jmag)+math.Abs(q.Kmag) > 1e-9 {
			return true
		}
	}
	return false
}
