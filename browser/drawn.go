package browser

import (
	"errors"
	"fmt"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Drawn is what a page draws of a skin where no graphics card bends it: places and normals of the
// points that are drawn, of which several may be of one vertex of the mesh.
type Drawn struct {
	normals    []r3.Vec
	base       []uint32 // the vertex of each point
	rest       []r3.Vec // by vertex
	w          *weights.Weights
	at, turned []float32
}

// NewDrawn takes places and normals, three numbers a point, and the vertex of each.
func NewDrawn(places, normals []float32, base []uint32, vertices int) (*Drawn, error) {
	if len(places) != 3*len(base) || len(normals) != 3*len(base) {
		return nil, errors.New("the arrays do not fit together")
	}
	points := vectors(places)
	d := &Drawn{normals: vectors(normals), base: base, rest: make([]r3.Vec, vertices),
		at: make([]float32, len(places)), turned: make([]float32, len(places))}
	for i, v := range base {
		if int(v) >= vertices {
			return nil, fmt.Errorf("point %d is of vertex %d of %d", i, v, vertices)
		}
		d.rest[v] = points[i] // all of one vertex are at one place
	}
	d.w = weights.New(nil, vertices)
	return d, nil
}

// Reshape takes other places and normals of the points at rest, as shape targets have them.
func (d *Drawn) Reshape(places, normals []float32) error {
	if len(places) != len(d.at) || len(normals) != len(d.turned) {
		return errors.New("the arrays do not fit together")
	}
	points := vectors(places)
	d.normals = vectors(normals)
	for i, v := range d.base {
		d.rest[v] = points[i]
	}
	return nil
}

// vectors are places as core has them.
func vectors(list []float32) []r3.Vec {
	out := make([]r3.Vec, len(list)/3)
	for i := range out {
		out[i] = r3.Vec{X: float64(list[3*i]), Y: float64(list[3*i+1]), Z: float64(list[3*i+2])}
	}
	return out
}

// Weigh takes the influences of some vertices, width of them each: the number of a matrix and a weight,
// 0 for none.
func (d *Drawn) Weigh(vertex []uint32, width int, matrix, value []float32) error {
	if width < 1 || len(matrix) != width*len(vertex) || len(value) != len(matrix) {
		return errors.New("the arrays do not fit together")
	}
	list := make([]weights.Influence, 0, len(value))
	for i, v := range vertex {
		if int(v) >= len(d.w.Of) {
			return fmt.Errorf("there is no vertex %d", v)
		}
		from := len(list)
		for k := i * width; k < (i+1)*width; k++ {
			if value[k] > 0 {
				list = append(list, weights.Influence{Joint: int32(matrix[k]), Value: float64(value[k])})
			}
		}
		d.w.Of[v] = list[from:len(list):len(list)]
	}
	return nil
}

// Bend returns where the points stand and how their normals lie, three numbers each, under matrices of
// sixteen numbers by columns, less the identity, as the graphics card gets them. shares says by vertex how
// much goes by dual quaternions; none are none. The numbers are overwritten by the next Bend.
func (d *Drawn) Bend(matrices, shares []float32) (places, normals []float32, err error) {
	list, mix, err := d.motions(matrices, shares)
	if err != nil {
		return nil, nil, err
	}
	at := deform.Blended(d.rest, d.w, list, mix)
	turns := deform.TurnsOf(len(d.rest), d.w, [][]geom.Matrix{list}, nil)
	last, turn := -1, geom.IdentityMatrix
	for i, v := range d.base {
		if int(v) != last {
			last, turn = int(v), turns(int(v))
		}
		put(d.at[3*i:], at[v])
		put(d.turned[3*i:], turn.Direction(d.normals[i]))
	}
	return d.at, d.turned, nil
}

// Retouch takes other places and normals at rest of some points, and returns where these stand and how their normals lie, as Bend
// does of all.
func (d *Drawn) Retouch(points []uint32, places, normals, matrices, shares []float32) (at, turned []float32, err error) {
	if len(places) != 3*len(points) || len(normals) != len(places) {
		return nil, nil, errors.New("the arrays do not fit together")
	}
	list, mix, err := d.motions(matrices, shares)
	if err != nil {
		return nil, nil, err
	}
	rest, turns := vectors(places), vectors(normals)
	some := &weights.Weights{Of: make([][]weights.Influence, len(points))}
	var shared []float64
	for i, k := range points {
		if int(k) >= len(d.base) {
			return nil, nil, fmt.Errorf("there is no point %d", k)
		}
		v := d.base[k]
		d.rest[v], d.normals[k] = rest[i], turns[i]
		some.Of[i] = d.w.Of[v]
		if mix != nil {
			shared = append(shared, mix[v])
		}
	}
	turn := deform.TurnsOf(len(points), some, [][]geom.Matrix{list}, nil)
	at, turned = make([]float32, len(places)), make([]float32, len(places))
	for i, p := range deform.Blended(rest, some, list, shared) {
		put(at[3*i:], p)
		put(turned[3*i:], turn(i).Direction(turns[i]))
	}
	return at, turned, nil
}

// motions are the matrices of a page as core has them, and the shares by vertex, nil for none.
func (d *Drawn) motions(matrices, shares []float32) (list []geom.Matrix, mix []float64, err error) {
	if len(matrices)%16 != 0 || len(shares) != 0 && len(shares) != len(d.w.Of) {
		return nil, nil, errors.New("the arrays do not fit together")
	}
	list = make([]geom.Matrix, len(matrices)/16)
	for j := range list {
		for k := range 16 {
			list[j][k] = geom.IdentityMatrix[k] + float64(matrices[16*j+k])
		}
	}
	for v, of := range d.w.Of {
		for _, x := range of {
			if x.Joint < 0 || int(x.Joint) >= len(list) {
				return nil, nil, fmt.Errorf("vertex %d follows matrix %d of %d", v, x.Joint, len(list))
			}
		}
	}
	if len(shares) != 0 {
		mix = make([]float64, len(shares))
		for v, x := range shares {
			mix[v] = float64(x)
		}
	}
	return list, mix, nil
}

func put(to []float32, p r3.Vec) { to[0], to[1], to[2] = float32(p.X), float32(p.Y), float32(p.Z) }
