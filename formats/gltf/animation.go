package gltf

import (
	"bytes"
	"encoding/json"
	"math"
	"slices"

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
	for k, name := range c.Joints {
		i := s.Index(name)
		if i < 0 || !turns(c, k) {
			continue
		}
		_, rest := s.Local(i)
		add(i, "rotation", "VEC4", func(b *bytes.Buffer) {
			var before quat.Number
			for f := range c.Turns {
				q := quat.Mul(rest, c.Turns[f][k])
				q = quat.Scale(1/quat.Abs(q), q)
				if f > 0 && q.Real*before.Real+q.Imag*before.Imag+q.Jmag*before.Jmag+q.Kmag*before.Kmag < 0 {
					q = quat.Scale(-1, q) // the same turn, the short way from the frame before
				}
				before = q
				put32(b, q.Imag, q.Jmag, q.Kmag, q.Real)
			}
		})
	}
	if long := c.Lengthens(); long != nil {
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
		if j.Parent < 0 && moves {
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

// turns reports whether joint k of a clip ever leaves its rest.
func turns(c *pose.Clip, k int) bool {
	for _, list := range c.Turns {
		if q := list[k]; math.Abs(q.Imag)+math.Abs(q.Jmag)+math.Abs(q.Kmag) > 1e-9 {
			return true
		}
	}
	return false
}
