package demo

import (
	"math"
	"math/rand/v2"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/spatial/r3"
)

// TansyFigure are the measures of the puppet mender.
var TansyFigure = Figure{Height: 1.66, Shoulder: 0.795, Neck: 0.815, Skull: 0.856, Across: 0.104, Hip: 0.522, HipHalf: 0.052,
	Knee: 0.285, Ankle: 0.05, Arms: 40, Elbow: 8, Stout: 1.04, Foot: 0.125, HatTop: 1.03}

// Tansy returns the puppet mender and her true skeleton. Her clothes are layers: the body in
// one piece; over it a shirt that is an open sheet, a coat that is a thin closed shell, both
// with its cells; a belt with a buckle, plates at the shoulders and buttons, which keep their
// shape; eyes and teeth within the head; 160 cards of hair.
func Tansy(cell float64) (*mesh.Mesh, *skeleton.Skeleton) {
	const skin, cloth, boot, cap = 0, 1, 2, 3
	f := TansyFigure
	b := &body{f: f, s: f.bones()}
	b.trunk(skin, skin)
	b.add(ball(cloth, b.v(0, f.Hip+0.018, -0.004), b.v(0.0875, 0.058, 0.0675), level, b.h(0.012)))
	b.legs(cloth, boot)
	b.arms(skin, skin)
	b.head(skin, skin, 1)
	b.add(ball(cap, b.v(0, 0.95, -0.010), b.v(0.0665, 0.062, 0.0655), level, b.h(0.008))) // hair that lies close
	under := b.surface(
		cell,
		[]mesh.Part{
			paint("skin", 0.68, 0.43, 0.31),
			paint("trousers", 0.23, 0.17, 0.24),
			paint("boots", 0.14, 0.10, 0.08),
			paint("hair_cap", 0.24, 0.10, 0.05),
		},
	)

	trunk := func(p r3.Vec, low, high float64) bool {
		return p.Y > b.h(low) && p.Y < b.h(high) && (math.Abs(p.X) < b.h(f.Across+0.02) || p.Y > b.h(f.Shoulder-0.1))
	}
	sleeve := func(p r3.Vec, share float64) bool {
		x := b.along("forearm_l", "hand_l", share).X
		return p.Y > b.h(0.5) && math.Abs(p.X) < x && math.Abs(p.X) >= b.h(f.Across)
	}
	coatHem, shirtHem := f.Hip-0.028, f.Hip+0.010
	shirt := wornOver(under, b.h(0.0025), 0, paint("shirt", 0.80, 0.74, 0.60), func(p r3.Vec) bool {
		return trunk(p, shirtHem, f.Neck+0.012) || sleeve(p, 0.78)
	})
	coat := wornOver(under, b.h(0.0072), b.h(0.0022), paint("coat", 0.16, 0.30, 0.22), func(p r3.Vec) bool {
		open := p.Z > 0 && math.Abs(p.X) < b.h(0.010) // in front
		return !open && (trunk(p, coatHem, f.Neck-0.004) || sleeve(p, 0.66))
	})
	list := []*mesh.Mesh{under, shirt, coat}
	alone := func(part mesh.Part, size float64, prims ...prim) {
		x := &body{f: f, s: b.s}
		for _, q := range prims {
			x.add(q)
		}
		list = append(list, x.surface(size, []mesh.Part{part}))
	}
	alone(paint("belt", 0.20, 0.11, 0.06), cell*0.7, ring(0, b.v(0, f.Hip+0.062, 0), b.h(0.084), b.h(0.0835), b.h(0.008), level, 0))
	alone(paint("buckle", 0.66, 0.52, 0.22), cell*0.4, slab(0, b.v(0, f.Hip+0.062, 0.091), b.v(0.017, 0.014, 0.005), level, b.h(0.003), 0))
	for i := range 4 {
		at := b.v(0.022, f.Hip+0.098+0.042*float64(i), 0.3)
		at.Z = b.front(at) + b.h(0.010)
		alone(paint("button_"+string(rune('1'+i)), 0.70, 0.58, 0.30), cell*0.3, ball(0, at, b.v(0.0085, 0.0085, 0.004), level, 0))
	}
	for _, side := range []string{"_l", "_r"} {
		x := map[string]float64{"_l": 1, "_r": -1}[side]
		for i := range 3 {
			at := r3.Add(b.along("upper_arm"+side, "forearm"+side, 0.02+0.16*float64(i)), b.v(x*0.020, 0.034, 0))
			turn := geom.AxisAngle(r3.Vec{Z: 1}, -x*(f.Arms*math.Pi/180-0.10))
			alone(paint("plate_"+string(rune('1'+i))+side, 0.50, 0.42, 0.24), cell*0.5, ball(0, at, b.v(0.024, 0.0075, 0.040), turn, 0))
		}
		y := f.Skull + 0.50*(1-f.Skull)
		alone(paint("eye"+side, 0.10, 0.09, 0.09), cell*0.4, ball(0, b.v(x*0.027, y, 0.0660), b.v(0.0150, 0.0160, 0.0140), level, 0))
	}
	for i, name := range []string{"teeth_upper", "teeth_lower"} {
		y := f.Skull + 0.205*(1-f.Skull) + 0.0045*(1-2*float64(i))
		alone(paint(name, 0.93, 0.91, 0.85), cell*0.4, slab(0, b.v(0, y, 0.058), b.v(0.016, 0.0038, 0.008), level, b.h(0.002), 0))
	}
	list = append(list, b.locks(160))
	return mesh.Join(list...), b.s
}

// wornOver returns a layer over the faces of m whose corners are all in some region: a sheet
// at a distance along the normals, or with a thickness a closed shell, whose outer side is
// at the distance.
func wornOver(m *mesh.Mesh, distance, thickness float64, part mesh.Part, in func(p r3.Vec) bool) *mesh.Mesh {
	normals := m.VertexNormals(m.Points)
	for range 3 { // folds of the skin are bridged by cloth
		normals = evenNormals(m, normals)
	}
	out := &mesh.Mesh{Parts: []mesh.Part{part}}
	number := map[int32]int32{}
	side := func(distance float64, flip bool) int32 {
		base := int32(len(out.Points))
		clear(number)
		for f := range m.Faces() {
			whole := true
			for _, v := range m.Face(f) {
				whole = whole && in(m.Points[v])
			}
			if !whole {
				continue
			}
			var c []int32
			for _, v := range m.Face(f) {
				k, ok := number[v]
				if !ok {
					k = int32(len(out.Points))
					number[v] = k
					out.Points = append(out.Points, r3.Add(m.Points[v], r3.Scale(distance, normals[v])))
				}
				if flip {
					c = append([]int32{k}, c...)
				} else {
					c = append(c, k)
				}
			}
			out.AddFace(0, c...)
		}
		return base
	}
	side(distance, false)
	hem(out)
	if thickness == 0 {
		return out
	}
	outer := append([]r3.Vec(nil), out.Points...)
	var rim [][2]int32
	for _, e := range out.Edges().Edges {
		if e.Count == 1 {
			rim = append(rim, [2]int32{e.A, e.B})
		}
	}
	next := map[[2]int32]bool{} // directed as the outer side's faces have them
	for f := range out.Faces() {
		c := out.Face(f)
		for i := range c {
			next[[2]int32{c[i], c[(i+1)%len(c)]}] = true
		}
	}
	n := side(distance-thickness, true)
	for v := range n { // as straight a hem inside
		normal := r3.Unit(r3.Sub(out.Points[v], out.Points[v+n]))
		out.Points[v+n] = r3.Sub(outer[v], r3.Scale(thickness, normal))
	}
	for _, e := range rim {
		a, b := e[0], e[1]
		if !next[[2]int32{a, b}] {
			a, b = b, a
		}
		out.AddFace(0, b, a, a+n, b+n)
	}
	return out
}

// hem draws the border of a sheet straight.
func hem(m *mesh.Mesh) {
	beside := map[int32][]int32{}
	for _, e := range m.Edges().Edges {
		if e.Count == 1 {
			beside[e.A] = append(beside[e.A], e.B)
			beside[e.B] = append(beside[e.B], e.A)
		}
	}
	for range 6 {
		next := map[int32]r3.Vec{}
		for v, list := range beside {
			if len(list) == 2 {
				middle := r3.Scale(0.5, r3.Add(m.Points[list[0]], m.Points[list[1]]))
				next[v] = r3.Scale(0.5, r3.Add(m.Points[v], middle))
			}
		}
		for v, p := range next {
			m.Points[v] = p
		}
	}
}

func evenNormals(m *mesh.Mesh, normals []r3.Vec) []r3.Vec {
	start, to := m.Edges().Neighbours(len(m.Points))
	out := make([]r3.Vec, len(normals))
	for v := range out {
		sum := normals[v]
		for _, k := range to[start[v]:start[v+1]] {
			sum = r3.Add(sum, normals[k])
		}
		out[v] = r3.Unit(sum)
	}
	return out
}

// locks returns n cards of hair, strips of four faces that hang from the scalp.
func (b *body) locks(n int) *mesh.Mesh {
	out := &mesh.Mesh{Parts: []mesh.Part{paint("hair_cards", 0.30, 0.13, 0.06)}}
	rng := rand.New(rand.NewPCG(4, 6))
	middle := b.v(0, 0.945, -0.012)
	for i := range n {
		// Around the back and the sides, from the parting down to the nape.
		around := math.Pi * (0.06 + 0.88*(float64(i)+0.5)/float64(n))
		around = -around + 0.15*(rng.Float64()-0.5)
		up := 0.15 + 0.75*rng.Float64()
		out0 := r3.Vec{X: math.Cos(around) * math.Cos(up), Y: math.Sin(up), Z: math.Sin(around) * math.Cos(up)}
		across := r3.Unit(r3.Cross(r3.Vec{Y: 1}, out0))
		width := b.h(0.006 + 0.003*rng.Float64())
		base := int32(len(out.Points))
		length := b.h(0.075 + 0.05*rng.Float64())
		for k := range 5 {
			t := float64(k) / 4
			// On the scalp first, then hanging down outside of the head.
			p := r3.Add(
				middle,
				r3.Vec{X: out0.X * b.h(0.071+0.006*t), Y: out0.Y*b.h(0.067)*(1-t) - length*t, Z: out0.Z * b.h(0.069+0.006*t)},
			)
			for range 20 { // clear of the skin
				d, _ := b.solid.at(p)
				if d > b.h(0.003) {
					break
				}
				p = r3.Add(p, r3.Scale(b.h(0.0025), r3.Unit(r3.Vec{X: out0.X, Y: 0.2, Z: out0.Z})))
			}
			w := width * (1 - 0.6*t*t)
			out.Points = append(out.Points, r3.Sub(p, r3.Scale(w, across)), r3.Add(p, r3.Scale(w, across)))
		}
		for k := range int32(4) {
			a := base + 2*k
			out.AddFace(0, a+2, a+3, a+1, a)
		}
	}
	return out
}
