package browser

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Rules are what a page knows besides the arrays of who may change what.
type Rules struct {
	Deforms []bool         `json:"deforms"` // by joint
	Locked  []string       `json:"locked"`  // joints whose weights stay
	Partner []int          `json:"partner"` // by joint, -1 for none
	Plane   float64        `json:"plane"`
	Cap     int            `json:"cap"`
	Closed  []uint32       `json:"-"` // vertices that may not be changed
	Marks   skeleton.Marks `json:"marks"`
}

// Desk is a bound character on which a page paints and chooses: the same computation as the
// server's operations on weights.
type Desk struct {
	Skin *deform.Skin

	net      *weights.Net
	e        *weights.Editor
	s        *skeleton.Skeleton
	rules    Rules
	sides    weights.Sides
	open     []bool
	mix      *weights.Editor // of how vertices blend, once it is painted
	painted  *weights.Editor // of the two, what the stroke under way paints
	stroke   *weights.Stroke
	mirrored *weights.Mirrored
	shapes   shapes
}

// Desk makes of the arrays, the edges of the polygons (pairs of vertices) and the rules what can
// be painted on.
func (a Arrays) Desk(edges []uint32, rules Rules) (*Desk, error) {
	skin, err := a.unshaped()
	if err != nil {
		return nil, err
	}
	points, tris, w, s := skin.Parts()
	pairs := make([][2]int32, len(edges)/2)
	for i := range pairs {
		pairs[i] = [2]int32{int32(edges[2*i]), int32(edges[2*i+1])}
	}
	net, err := weights.NewNet(points, tris, pairs)
	if err != nil {
		return nil, err
	}
	if len(rules.Deforms) != len(s.Joints) || len(rules.Partner) != len(s.Joints) {
		return nil, errors.New("the rules are not of these joints")
	}
	d := &Desk{Skin: skin, net: net, s: s, rules: rules, shapes: shapes{skin: skin}}
	if a.Rig != nil && len(a.Rig.Targets) > 0 {
		if d.shapes.targets, err = a.targets(len(points)); err != nil {
			return nil, err
		}
		d.shapes.rig, d.shapes.values = a.Rig, a.Rig.For(s, a.Marks)
		d.Skin = skin.Shaped(d.shapes.targets, d.shapes.values)
	}
	locked := make([]bool, len(w.Joints))
	for k, name := range w.Joints {
		locked[k] = slices.Contains(rules.Locked, name)
	}
	if len(rules.Closed) > 0 {
		d.open = make([]bool, len(points))
		for v := range d.open {
			d.open[v] = true
		}
		for _, v := range rules.Closed {
			if int(v) < len(d.open) {
				d.open[v] = false
			}
		}
	}
	d.e = weights.Edit(w, locked, d.open, rules.Cap)
	d.columns()
	return d, nil
}

// columns works out what goes by the columns of weights.
func (d *Desk) columns() {
	partner := make([]int32, len(d.e.Joints))
	for k, name := range d.e.Joints {
		partner[k] = int32(k)
		if p := slices.Index(d.e.Joints, d.partnerOf(name)); p >= 0 {
			partner[k] = int32(p)
		}
	}
	d.sides = weights.Sides{Plane: d.rules.Plane, Partner: partner}
	d.e.Heir = weights.Heirs(d.e.Joints, d.s, d.rules.Deforms)
}

// partnerOf is the joint on the other side of one, "" for none.
func (d *Desk) partnerOf(name string) string {
	i := d.s.Index(name)
	if i < 0 || d.rules.Partner[i] < 0 || d.rules.Partner[i] >= len(d.s.Joints) {
		return ""
	}
	return d.s.Joints[d.rules.Partner[i]].Name
}

// column gives a joint that has no weights yet a column, as the server does.
func (d *Desk) column(name string) error {
	if slices.Contains(d.e.Joints, name) {
		return nil
	}
	if d.s.Index(name) < 0 {
		return fmt.Errorf("there is no joint %q", name)
	}
	d.e.Joints = append(slices.Clip(d.e.Joints), name)
	d.e.Locked = append(slices.Clip(d.e.Locked), false)
	d.columns()
	return nil
}

// Begin begins a stroke with a brush as JSON; chosen limits it to those vertices, nil is all. With mix
// it paints how vertices blend, whatever joint it names.
func (d *Desk) Begin(brush string, chosen []uint32, mix bool) error {
	var b weights.Brush
	if err := json.Unmarshal([]byte(brush), &b); err != nil {
		return fmt.Errorf("the brush cannot be read: %w", err)
	}
	open := d.only(chosen)
	if mix {
		if d.mix == nil {
			now := deform.Mixes(d.s, d.e.Weights())
			if now == nil {
				now = make([]float64, len(d.e.Of))
			}
			d.mix = weights.EditMix(now, nil)
		}
		d.mix.Open, d.painted = open, d.mix
		b.Joint = weights.MixJoint
		var err error
		d.stroke, err = weights.NewStroke(b, d.mix, d.net, weights.Sides{Plane: d.rules.Plane, Partner: []int32{0, 1}})
		return err
	}
	d.e.Open, d.painted = open, d.e
	if b.Mode != weights.BrushEven {
		if err := d.column(b.Joint); err != nil {
			return err
		}
		if partner := d.partnerOf(b.Joint); b.Both && partner != "" {
			if err := d.column(partner); err != nil {
				return err
			}
		}
	}
	var err error
	d.stroke, err = weights.NewStroke(b, d.e, d.net, d.sides)
	return err
}

// Painted are vertices and their influences: joint k of a vertex, heaviest first, by its number in
// the skeleton, Width of them each, 0 for none. Of a stroke that paints how vertices blend Value is
// that alone; of one that sculpts it is the offset of the target, three numbers a vertex.
type Painted struct {
	Vertex       []uint32
	Width        int
	Joint, Value []float32
}

// Touch paints or sculpts touches, as JSON, and returns what has changed.
func (d *Desk) Touch(touches string) (Painted, error) {
	if d.shapes.stroke != nil {
		return d.shapes.touch(touches)
	}
	if d.stroke == nil {
		return Painted{}, errors.New("no stroke was begun")
	}
	changed, err := touched(touches, d.stroke.Touch)
	if err != nil {
		return Painted{}, err
	}
	return d.changed(changed), nil
}

// touched does touches, as JSON, one by one, and returns the vertices that changed, ascending.
func touched[T any](touches string, do func(t T) ([]int32, error)) (changed []int32, err error) {
	var list []T
	if err := json.Unmarshal([]byte(touches), &list); err != nil {
		return nil, fmt.Errorf("the stroke cannot be read: %w", err)
	}
	for _, t := range list {
		some, err := do(t)
		if err != nil {
			return nil, err
		}
		changed = append(changed, some...)
	}
	slices.Sort(changed)
	return slices.Compact(changed), nil
}

// only says which of the chosen vertices may be changed; nil is all that are open.
func (d *Desk) only(chosen []uint32) []bool {
	if chosen == nil {
		return d.open
	}
	open := make([]bool, len(d.net.At))
	for _, v := range chosen {
		if int(v) < len(open) {
			open[v] = d.open == nil || d.open[v]
		}
	}
	return open
}

// End ends a stroke, or with back takes it back.
func (d *Desk) End(back bool) Painted {
	if d.shapes.stroke != nil {
		return d.endSculpting(back)
	}
	if d.stroke == nil {
		return Painted{}
	}
	s := d.stroke
	d.stroke = nil
	if back {
		return d.changed(s.Undo())
	}
	return Painted{}
}

func (d *Desk) changed(list []int32) Painted {
	out := Painted{Width: 1}
	if d.painted == d.mix {
		for _, v := range list {
			out.Vertex, out.Joint, out.Value = append(
				out.Vertex,
				uint32(v),
			), append(
				out.Joint,
				0,
			), append(
				out.Value,
				float32(d.mix.Value(v, 1)),
			)
		}
		return out
	}
	for _, v := range list {
		out.Width = max(out.Width, len(d.e.At(v)))
	}
	number := make([]float32, len(d.e.Joints))
	for k, name := range d.e.Joints {
		number[k] = float32(d.s.Index(name))
	}
	for _, v := range list {
		out.Vertex = append(out.Vertex, uint32(v))
		for k := range out.Width {
			var j, x float32
			if k < len(d.e.Of[v]) {
				j, x = number[d.e.Of[v][k].Joint], float32(d.e.Of[v][k].Value)
			}
			out.Joint, out.Value = append(out.Joint, j), append(out.Value, x)
		}
	}
	return out
}

// Weights are those as they stand, with what was painted.
func (d *Desk) Weights() *weights.Weights {
	if d.mix != nil {
		return d.mix.Mixed(d.e.Weights())
	}
	return d.e.Weights()
}

// Measure is Measure with what was painted.
func (d *Desk) Measure(pose string) (string, error) {
	skin, err := d.Skin.With(d.Weights())
	if err != nil {
		return "", err
	}
	return Measure(skin, pose)
}

// Choose changes a choice of vertices: "grow", "shrink", "border", "piece", "invert", "all",
// "mirror", "loop" and "path" (of the first and the last that are given, in their order), and "by" the
// share of a joint from one value to another.
func (d *Desk) Choose(how string, chosen []uint32, joint string, from, to float64) ([]uint32, error) {
	in := make([]bool, len(d.net.At))
	for _, v := range chosen {
		if int(v) >= len(in) {
			return nil, fmt.Errorf("there is no vertex %d", v)
		}
		in[v] = true
	}
	list := func(some []int32) {
		in = make([]bool, len(in))
		for _, v := range some {
			in[v] = true
		}
	}
	switch how {
	case "grow":
		in = d.net.Grow(in)
	case "shrink":
		in = d.net.Shrink(in)
	case "border":
		in = d.net.Border(in)
	case "piece":
		in = d.net.Piece(in)
	case "invert", "all":
		for v := range in {
			in[v] = how == "all" || !in[v]
		}
	case "mirror":
		plane := weights.Plane{Normal: r3.Vec{X: 1}, Offset: d.rules.Plane}
		m, err := d.images(plane)
		if err != nil {
			return nil, err
		}
		var some []int32
		for _, v := range chosen {
			if k := m.Nearest(d.net, int32(v)); k >= 0 {
				some = append(some, k)
			}
		}
		list(some)
	case "loop", "path":
		if len(chosen) < 2 {
			return nil, errors.New("two vertices tell where it goes")
		}
		a, b := int32(chosen[0]), int32(chosen[len(chosen)-1])
		if how == "loop" {
			list(d.net.Loop(a, b))
		} else {
			list(d.net.Path(a, b))
		}
	case "by":
		j := slices.Index(d.e.Joints, joint)
		if j < 0 {
			return nil, fmt.Errorf("%s moves no vertex", joint)
		}
		list(d.e.Weights().By(int32(j), from, to))
	default:
		return nil, fmt.Errorf("vertices cannot be selected by %q", how)
	}
	var out []uint32
	for v, yes := range in {
		if yes && (d.open == nil || d.open[v]) {
			out = append(out, uint32(v))
		}
	}
	return out, nil
}

func (d *Desk) images(plane weights.Plane) (*weights.Mirrored, error) {
	if d.mirrored == nil {
		m, err := d.net.Mirror(plane, weights.MirrorPlace, math.Max(1e-9, geom.BoxOf(d.net.At).Size().Y/2000), nil)
		if err != nil {
			return nil, err
		}
		d.mirrored = m
	}
	return d.mirrored, nil
}

// Motion is how far each vertex moves, metres, when a joint turns through its usual range.
func (d *Desk) Motion(joint string) ([]float32, error) {
	i := d.s.Index(joint)
	if i < 0 {
		return nil, fmt.Errorf("there is no joint %q", joint)
	}
	skin, err := d.Skin.With(d.Weights())
	if err != nil {
		return nil, err
	}
	out := make([]float32, len(d.net.At))
	for v, x := range skin.Motion(i, d.rules.Marks) {
		out[v] = float32(x)
	}
	return out, nil
}

// Apart is by vertex how much other weights, as columns, differ from those here: half the sum of
// the differences of shares.
func (d *Desk) Apart(other Arrays) ([]float32, error) {
	w, err := other.weights(len(d.net.At))
	if err != nil {
		return nil, err
	}
	out := make([]float32, len(d.net.At))
	for v, x := range weights.Apart(d.e.Weights(), w) {
		out[v] = float32(x)
	}
	return out, nil
}

// kinds are the numbers of problems as a page draws them.
var kinds = map[string]float32{
	weights.ProblemBare:   1,
	weights.ProblemIsland: 2,
	weights.ProblemStep:   3,
	weights.ProblemMirror: 4,
	weights.ProblemFar:    5,
	weights.ProblemTrace:  6,
}

// Problems are by vertex what is wrong there: the number of the kind, 0 for nothing, and how large.
func (d *Desk) Problems() (kind, size []float32, err error) {
	plane := weights.Plane{Normal: r3.Vec{X: 1}, Offset: d.rules.Plane}
	m, err := d.images(plane)
	if err != nil {
		return nil, nil, err
	}
	kind, size = make([]float32, len(d.net.At)), make([]float32, len(d.net.At))
	for _, p := range d.e.Problems(d.net, d.s, m, d.sides.Partner) {
		kind[p.Vertex], size[p.Vertex] = kinds[p.Kind], float32(p.Size)
	}
	return kind, size, nil
}

// LedgerRow is what a joint has of chosen vertices.
type LedgerRow struct {
	Joint    string  `json:"joint"`
	Vertices int     `json:"vertices"` // that it moves
	Least    float64 `json:"least"`    // over all that are chosen
	Most     float64 `json:"most"`
	Mean     float64 `json:"mean"`
}

// Ledger tells of chosen vertices which joints move them, as JSON, those with most first.
func (d *Desk) Ledger(chosen []uint32) (string, error) {
	rows := make([]LedgerRow, len(d.e.Joints))
	for k, name := range d.e.Joints {
		rows[k] = LedgerRow{Joint: name, Least: 1}
	}
	for _, v := range chosen {
		if int(v) >= len(d.e.Of) {
			return "", fmt.Errorf("there is no vertex %d", v)
		}
		for _, x := range d.e.At(int32(v)) {
			r := &rows[x.Joint]
			r.Vertices++
			r.Mean += x.Value
			r.Least, r.Most = math.Min(r.Least, x.Value), math.Max(r.Most, x.Value)
		}
	}
	out := []LedgerRow{}
	for _, r := range rows {
		if r.Vertices == 0 {
			continue
		}
		if r.Vertices < len(chosen) {
			r.Least = 0
		}
		r.Mean /= float64(len(chosen))
		out = append(out, r)
	}
	slices.SortStableFunc(out, func(a, b LedgerRow) int { return cmp.Compare(b.Mean, a.Mean) })
	data, err := json.Marshal(out)
	return string(data), err
}
