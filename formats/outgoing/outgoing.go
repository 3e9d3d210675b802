// Package outgoing has what the writers of formats with skeletons share: motions as local transforms of joints, materials as
// most programs know them, names that a format allows.
package outgoing

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"unicode"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/look"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Frame is one of a motion: how each joint is placed and turned within its parent, and how far on the shape targets are.
type Frame struct {
	Move   []r3.Vec
	Turn   []quat.Number
	Values []float64
}

// Played are the frames of a motion whose turns are about the joints' own axes. Where shape targets put joints elsewhere, the
// joints move the skin as those of that build do. Rotations go the short way from frame to frame. e may be nil.
func Played(s *skeleton.Skeleton, e *shape.Evaluator, c *pose.Clip) []Frame {
	out := make([]Frame, c.Frames())
	for f := range out {
		p, root := c.At(f)
		x := Frame{Move: make([]r3.Vec, len(s.Joints)), Turn: make([]quat.Number, len(s.Joints))}
		world := pose.World(s, p)
		if e != nil {
			x.Values = e.Values(p)
			if e.Leads() {
				world = pose.Carried(e.Built(x.Values), s, p)
			}
		}
		for i, j := range s.Joints {
			m := world[i]
			if j.Parent >= 0 {
				if up, ok := world[j.Parent].Inverse(); ok {
					m = up.Mul(m)
				}
			}
			at, q, _ := m.Decompose()
			if j.Parent < 0 {
				at = r3.Add(at, root)
			}
			if f > 0 && dot(q, out[f-1].Turn[i]) < 0 {
				q = quat.Scale(-1, q)
			}
			x.Move[i], x.Turn[i] = at, q
		}
		out[f] = x
	}
	return out
}

func dot(a, b quat.Number) float64 {
	return a.Real*b.Real + a.Imag*b.Imag + a.Jmag*b.Jmag + a.Kmag*b.Kmag
}

// Rest are the transforms of joints within their parents at rest.
func Rest(s *skeleton.Skeleton) []geom.Matrix {
	out := make([]geom.Matrix, len(s.Joints))
	for i := range s.Joints {
		t, q := s.Local(i)
		out[i] = geom.Rigid(t, q)
	}
	return out
}

// Surface is what most programs know of a material.
type Surface struct {
	Name             string
	Color            [4]float64 // linear RGB and opacity
	Metal, Roughness float64
	Image            int // number of the picture of its color; -1: none
}

// SurfaceOf is the material of a part: that which came with the file, as far as its words go, or a matt one of its color.
func SurfaceOf(l *look.Look, p mesh.Part) Surface {
	out := Surface{
		Name:      p.Name,
		Color:     [4]float64{float64(p.Colour[0]), float64(p.Colour[1]), float64(p.Colour[2]), 1},
		Roughness: 0.9,
		Image:     -1,
	}
	given := p.Material - 1
	if l == nil || given < 0 || given >= len(l.Materials) {
		return out
	}
	var m struct {
		Name string `json:"name"`
		PBR  struct {
			Color     *[4]float64 `json:"baseColorFactor"`
			Metal     *float64    `json:"metallicFactor"`
			Roughness *float64    `json:"roughnessFactor"`
			Texture   *struct {
				Index int `json:"index"`
			} `json:"baseColorTexture"`
		} `json:"pbrMetallicRoughness"`
	}
	if json.Unmarshal(l.Materials[given], &m) != nil {
		return out
	}
	if m.Name != "" {
		out.Name = m.Name
	}
	out.Color, out.Metal, out.Roughness = [4]float64{1, 1, 1, 1}, 1, 1 // glTF 2.0, 3.9.2
	if m.PBR.Color != nil {
		out.Color = *m.PBR.Color
	}
	if m.PBR.Metal != nil {
		out.Metal = *m.PBR.Metal
	}
	if m.PBR.Roughness != nil {
		out.Roughness = *m.PBR.Roughness
	}
	if m.PBR.Texture != nil && m.PBR.Texture.Index >= 0 && m.PBR.Texture.Index < len(l.Textures) {
		var t struct {
			Source *int `json:"source"`
		}
		if json.Unmarshal(l.Textures[m.PBR.Texture.Index], &t) == nil && t.Source != nil && *t.Source >= 0 && *t.Source < len(l.Images) {
			out.Image = *t.Source
		}
	}
	return out
}

// Ending is that of a picture's file name.
func Ending(mime string) string {
	return map[string]string{"image/png": "png", "image/jpeg": "jpg", "image/webp": "webp"}[mime]
}

// Names makes names of letters, digits and underscores that begin with no digit, each different from all that it gave, whatever
// their case.
type Names map[string]bool

// Of returns the name that stands for another.
func (n Names) Of(name string) string {
	var b strings.Builder
	for i, r := range name {
		switch {
		case r == '_' || r < unicode.MaxASCII && (unicode.IsLetter(r) || unicode.IsDigit(r) && i > 0):
			b.WriteRune(r)
		default:
			b.WriteByte('_')
			if i == 0 && unicode.IsDigit(r) && r < unicode.MaxASCII {
				b.WriteRune(r)
			}
		}
	}
	if b.Len() == 0 {
		b.WriteByte('_')
	}
	out := shape.Unique(b.String(), func(s string) bool { return n[strings.ToLower(s)] })
	n[strings.ToLower(out)] = true
	return out
}

// Number writes a number as short as single precision keeps it, 0 for what is none.
func Number(b *strings.Builder, x float64) {
	f := float32(x)
	if f == 0 || math.IsNaN(x) || math.IsInf(float64(f), 0) {
		b.WriteByte('0')
		return
	}
	fmt.Fprint(b, f)
}
