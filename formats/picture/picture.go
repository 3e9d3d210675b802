// Package picture draws a mesh as a small plate, for portraits and reports.
package picture

import (
	"image"
	"image/color"
	"image/png"
	"io"
	"math"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"

	"gonum.org/v1/gonum/spatial/r3"
)

// Thumbnail draws a mesh as a small plate: matt colour by part, light from the
// upper left, an ink line where the depth breaks off. yaw turns the character
// about Y in degrees; 0 looks at its face. The ground is transparent. What mark
// names is drawn in rust over a pale character; nil marks nothing.
func Thumbnail(m *mesh.Mesh, width, height int, yaw float64, mark *finding.Where) *image.NRGBA {
	const over = 3 // samples per pixel and axis
	w, h := width*over, height*over
	points := m.World()
	turn := geom.AxisAngle(r3.Vec{Y: 1}, yaw*math.Pi/180)
	view := make([]r3.Vec, len(points))
	for i, p := range points {
		view[i] = geom.Rotate(turn, p)
	}
	box := geom.BoxOf(view)
	if box.Empty() {
		return image.NewNRGBA(image.Rect(0, 0, width, height))
	}
	size, mid := box.Size(), box.Centre()
	scale := 0.92 * math.Min(float64(w)/math.Max(size.X, 1e-9), float64(h)/math.Max(size.Y, 1e-9))
	middle := 0.96*float64(h) - scale*size.Y/2 // all stand on one floor, tall or not
	normals := m.VertexNormals(view)
	depth := make([]float64, w*h)
	for i := range depth {
		depth[i] = math.Inf(-1)
	}
	shade := make([][3]float64, w*h)
	light := r3.Unit(r3.Vec{X: -0.45, Y: 0.75, Z: 0.65})
	marked := make([]bool, m.Faces())
	if mark != nil {
		for _, f := range mark.Faces {
			marked[f] = true
		}
	}
	tris, face := m.Triangles()
	for k, t := range tris {
		var x, y, z, l [3]float64
		for i, v := range t {
			p := r3.Sub(view[v], mid)
			x[i], y[i], z[i] = float64(w)/2+p.X*scale, middle-p.Y*scale, p.Z*scale
			n := normals[v]
			l[i] = 0.42 + 0.58*math.Max(0, 0.25+0.75*r3.Dot(n, light))
			l[i] *= 0.72 + 0.28*math.Max(0, n.Z)
		}
		area := (x[1]-x[0])*(y[2]-y[0]) - (x[2]-x[0])*(y[1]-y[0])
		if area == 0 {
			continue
		}
		colour := m.Parts[m.PartOf(int(face[k]))].Colour
		switch {
		case marked[face[k]]:
			colour = rust
		case mark != nil:
			colour = pale
		}
		x0, x1 := int(math.Max(0, math.Floor(min(x[0], x[1], x[2])))), int(math.Min(float64(w-1), math.Ceil(max(x[0], x[1], x[2]))))
		y0, y1 := int(math.Max(0, math.Floor(min(y[0], y[1], y[2])))), int(math.Min(float64(h-1), math.Ceil(max(y[0], y[1], y[2]))))
		for py := y0; py <= y1; py++ {
			for px := x0; px <= x1; px++ {
				fx, fy := float64(px)+0.5, float64(py)+0.5
				a := ((x[1]-fx)*(y[2]-fy) - (x[2]-fx)*(y[1]-fy)) / area
				b := ((x[2]-fx)*(y[0]-fy) - (x[0]-fx)*(y[2]-fy)) / area
				c := 1 - a - b
				if a < 0 || b < 0 || c < 0 {
					continue
				}
				d := a*z[0] + b*z[1] + c*z[2]
				if at := py*w + px; d > depth[at] {
					depth[at] = d
					lit := a*l[0] + b*l[1] + c*l[2]
					for i := range 3 {
						shade[at][i] = float64(colour[i]) * lit
					}
				}
			}
		}
	}
	if mark != nil {
		dot := func(v int32) {
			p := r3.Sub(view[v], mid)
			cx, cy := int(float64(w)/2+p.X*scale), int(middle-p.Y*scale)
			for y := max(0, cy-over); y <= min(h-1, cy+over); y++ {
				for x := max(0, cx-over); x <= min(w-1, cx+over); x++ {
					at := y*w + x
					depth[at], shade[at] = math.Max(depth[at], p.Z*scale), [3]float64{float64(rust[0]), float64(rust[1]), float64(rust[2])}
				}
			}
		}
		for _, v := range mark.Vertices {
			dot(v)
		}
		for _, e := range mark.Edges {
			dot(e[0])
			dot(e[1])
		}
	}
	return develop(depth, shade, width, height, over, scale*box.Diagonal())
}

// Inks of marked pictures, linear RGB.
var (
	rust = [3]float32{0.42, 0.05, 0.02}
	pale = [3]float32{0.78, 0.74, 0.66}
)

// develop averages the samples and inks the places where the depth breaks.
func develop(depth []float64, shade [][3]float64, width, height, over int, extent float64) *image.NRGBA {
	w, h := width*over, height*over
	out := image.NewNRGBA(image.Rect(0, 0, width, height))
	broken := func(x, y int) bool {
		d := depth[y*w+x]
		for _, o := range [4][2]int{{2, 0}, {-2, 0}, {0, 2}, {0, -2}} {
			i, j := x+o[0], y+o[1]
			if i < 0 || j < 0 || i >= w || j >= h {
				continue
			}
			if e := depth[j*w+i]; d-e > 0.035*extent {
				return true
			}
		}
		return false
	}
	for y := range height {
		for x := range width {
			var sum [3]float64
			n := 0.0
			for sy := range over {
				for sx := range over {
					px, py := x*over+sx, y*over+sy
					if math.IsInf(depth[py*w+px], -1) {
						continue
					}
					n++
					ink := 1.0
					if broken(px, py) {
						ink = 0.12
					}
					for i := range 3 {
						sum[i] += shade[py*w+px][i] * ink
					}
				}
			}
			if n == 0 {
				continue
			}
			srgb := func(v float64) uint8 { return uint8(255 * math.Pow(math.Min(1, v/n), 1/2.2)) }
			out.SetNRGBA(x, y, color.NRGBA{srgb(sum[0]), srgb(sum[1]), srgb(sum[2]), uint8(255 * n / float64(over*over))})
		}
	}
	return out
}

// WriteThumbnail writes the thumbnail as PNG.
func WriteThumbnail(w io.Writer, m *mesh.Mesh, width, height int) error {
	return png.Encode(w, Thumbnail(m, width, height, 24, nil))
}

// WriteMarked writes a picture of the mesh from the side on which most of the
// marked places lie.
func WriteMarked(w io.Writer, m *mesh.Mesh, mark finding.Where, width, height int) error {
	points := m.World()
	var sum r3.Vec
	n := 0.0
	add := func(v int32) {
		sum = r3.Add(sum, points[v])
		n++
	}
	for _, v := range mark.Vertices {
		add(v)
	}
	for _, e := range mark.Edges {
		add(e[0])
	}
	for _, f := range mark.Faces {
		add(m.Face(int(f))[0])
	}
	yaw := 24.0
	if box := geom.BoxOf(points); n > 0 {
		off := r3.Sub(r3.Scale(1/n, sum), box.Centre())
		if math.Hypot(off.X, off.Z) > 0.02*box.Diagonal() {
			yaw = -math.Atan2(off.X, off.Z) * 180 / math.Pi
		}
	}
	return png.Encode(w, Thumbnail(m, width, height, yaw, &mark))
}
