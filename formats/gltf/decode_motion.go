package gltf

import (
	"encoding/json"
	"fmt"
	"math"
	"sort"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/formats/reading"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// usualStep is how long a frame lasts of a motion whose keys are not even, seconds.
	usualStep = 1.0 / 30
	// maxFrames bounds a motion, maxMotions how many a file may have.
	maxFrames  = 20_000
	maxMotions = 200
)

// track is a channel of an animation: keys of a node's translation, rotation or scale.
type track struct {
	times  []float64
	values []float64
	width  int
	how    string // LINEAR, STEP, CUBICSPLINE
}

// nodeTracks are the channels of a node.
type nodeTracks struct{ move, turn, scale *track }

// motions reads the animations of the joints as clips: the joints' turns are sampled at even
// steps, by the interpolation that each channel names (glTF 2.0, 3.11 and appendix C). Moves
// of joints other than the first root, scales and shape weights are passed over, and that is
// noted.
func (d *decoder) motions() error {
	s := d.scene.Skeleton
	if s == nil || len(d.doc.Animations) == 0 {
		return nil
	}
	nodeOf := make([]int, len(s.Joints))
	for n, j := range d.jointOf {
		nodeOf[j] = n
	}
	names, passed, long := reading.Names{}, 0, 0
	var first map[int]bool // nodes above and at the first root
	for p := nodeOf[0]; p >= 0; p = d.parent[p] {
		if first == nil {
			first = map[int]bool{}
		}
		first[p] = true
	}
	if err := reading.Most("motions", len(d.doc.Animations), maxMotions); err != nil {
		return err
	}
	for k, raw := range d.doc.Animations {
		where := fmt.Sprintf("animation %d", k)
		var a animation
		if err := json.Unmarshal(raw, &a); err != nil {
			return reading.At(where, "%v", err)
		}
		tracks, end := map[int]*nodeTracks{}, 0.0
		var times []float64
		for c, ch := range a.Channels {
			if ch.Target.Path == "weights" && d.told(ch.Target.Node) {
				continue // it was made of what the file says of its shape targets
			}
			if ch.Target.Path != "translation" && ch.Target.Path != "rotation" && ch.Target.Path != "scale" || ch.Target.Node == nil {
				passed++
				continue
			}
			if *ch.Target.Node < 0 || *ch.Target.Node >= len(d.doc.Nodes) {
				return reading.At(where, "channel %d moves node %d, which does not exist", c, *ch.Target.Node)
			}
			t, err := d.track(where, a, ch)
			if err != nil {
				return err
			}
			n := tracks[*ch.Target.Node]
			if n == nil {
				n = &nodeTracks{}
				tracks[*ch.Target.Node] = n
			}
			switch ch.Target.Path {
			case "translation":
				n.move = t
				if !first[*ch.Target.Node] && !d.leads() { // else it was made of what the file says of builds
					passed++
				}
			case "rotation":
				n.turn = t
			default:
				n.scale = t
				passed++
			}
			if len(t.times) > 0 {
				end = math.Max(end, t.times[len(t.times)-1])
			}
			if len(t.times) > len(times) {
				times = t.times
			}
		}
		if len(times) == 0 {
			continue
		}
		step := stepOf(times)
		frames := int(math.Round(end/step)) + 1
		if frames > maxFrames || frames*len(s.Joints) > maxTurns {
			long++
			continue
		}
		if d.left -= int64(frames) * int64(len(d.doc.Nodes)); d.left < 0 {
			return fmt.Errorf(
				"%s: %w: the motions of the file unfold to more than %d numbers",
				where,
				reading.ErrTooLarge,
				d.limits.Numbers,
			)
		}
		name := a.Name
		if name == "" {
			name = fmt.Sprintf("motion_%d", k+1)
		}
		c, err := d.sampled(names.Own(name), tracks, nodeOf, step, frames)
		if err != nil {
			return reading.At(where, "%v", err)
		}
		d.scene.Clips = append(d.scene.Clips, c)
	}
	if passed > 0 {
		d.scene.Notes = append(
			d.scene.Notes,
			fmt.Sprintf(
				"%d channels of the file's motions move shapes, scale joints or shift joints other than the root; they are ignored",
				passed,
			),
		)
	}
	if long > 0 {
		d.scene.Notes = append(
			d.scene.Notes,
			fmt.Sprintf("%d motions are longer than %d frames or %d turns and are ignored", long, maxFrames, maxTurns),
		)
	}
	return nil
}

// maxTurns bounds a motion, of all joints in all frames.
const maxTurns = 4_000_000

func (d *decoder) track(where string, a animation, ch channel) (*track, error) {
	if ch.Sampler < 0 || ch.Sampler >= len(a.Samplers) {
		return nil, reading.At(where, "it has no sampler %d", ch.Sampler)
	}
	x := a.Samplers[ch.Sampler]
	t := &track{width: 3, how: x.Interpolation}
	kind := "VEC3"
	if ch.Target.Path == "rotation" {
		t.width, kind = 4, "VEC4"
	}
	var err error
	if t.times, err = d.numbers(x.Input, "SCALAR", d.limits); err != nil {
		return nil, err
	}
	if t.values, err = d.numbers(x.Output, kind, d.limits); err != nil {
		return nil, err
	}
	want := len(t.times) * t.width
	switch t.how {
	case "", "LINEAR":
		t.how = "LINEAR"
	case "STEP":
	case "CUBICSPLINE":
		want *= 3
	default:
		return nil, reading.At(where, "interpolation %q is unknown", t.how)
	}
	if len(t.values) < want {
		return nil, reading.At(where, "it has %d numbers for %d keys", len(t.values), len(t.times))
	}
	for i, v := range t.times {
		if !(v >= 0) || v > 1e5 || i > 0 && v < t.times[i-1] {
			return nil, reading.At(where, "key %d is at %g seconds, which is not after the one before", i, v)
		}
	}
	for _, v := range t.values[:want] {
		if math.IsNaN(v) || math.Abs(v) > 1e12 {
			return nil, reading.At(where, "a key has the value %g", v)
		}
	}
	return t, nil
}

// stepOf returns the step of even keys, else the usual one.
func stepOf(times []float64) float64 {
	n := len(times)
	if n < 2 {
		return usualStep
	}
	step := (times[n-1] - times[0]) / float64(n-1)
	if !(step > 1e-4) {
		return usualStep
	}
	for i, t := range times {
		if math.Abs(t-times[0]-float64(i)*step) > 0.01*step {
			return usualStep
		}
	}
	if step > 0.1 { // few keys far apart
		return usualStep
	}
	return step
}

// at returns the value of a track at a time.
func (t *track) at(time float64) []float64 {
	n, w := len(t.times), t.width
	if n == 0 {
		return nil
	}
	key := func(i, part int) []float64 { // part of the three of a spline
		if t.how == "CUBICSPLINE" {
			i = 3*i + part
		}
		return t.values[i*w : i*w+w]
	}
	i := sort.SearchFloat64s(t.times, time)
	switch {
	case i == 0:
		return key(0, 1)
	case i == n:
		return key(n-1, 1)
	}
	if t.times[i] == time {
		return key(i, 1)
	}
	a, b := t.times[i-1], t.times[i]
	x := (time - a) / (b - a)
	out := make([]float64, w)
	switch t.how {
	case "STEP":
		return key(i-1, 1)
	case "CUBICSPLINE":
		x2, x3, td := x*x, x*x*x, b-a
		for c := range w {
			out[c] = (2*x3-3*x2+1)*key(i-1, 1)[c] + td*(x3-2*x2+x)*key(i-1, 2)[c] + (-2*x3+3*x2)*key(i, 1)[c] + td*(x3-x2)*key(i, 0)[c]
		}
		return out
	}
	p, q := key(i-1, 1), key(i, 1)
	if w == 4 {
		s := slerp(
			quat.Number{Imag: p[0], Jmag: p[1], Kmag: p[2], Real: p[3]},
			quat.Number{Imag: q[0], Jmag: q[1], Kmag: q[2], Real: q[3]},
			x,
		)
		return []float64{s.Imag, s.Jmag, s.Kmag, s.Real}
	}
	for c := range w {
		out[c] = p[c] + x*(q[c]-p[c])
	}
	return out
}

// slerp goes from one rotation to another the short way (glTF 2.0, appendix C.4).
func slerp(a, b quat.Number, x float64) quat.Number {
	dot := a.Real*b.Real + a.Imag*b.Imag + a.Jmag*b.Jmag + a.Kmag*b.Kmag
	if dot < 0 {
		b, dot = quat.Scale(-1, b), -dot
	}
	if dot > 0.9995 {
		return quat.Add(quat.Scale(1-x, a), quat.Scale(x, b))
	}
	angle := math.Acos(dot)
	return quat.Scale(1/math.Sin(angle), quat.Add(quat.Scale(math.Sin((1-x)*angle), a), quat.Scale(math.Sin(x*angle), b)))
}

// sampled returns the clip of tracks by node.
func (d *decoder) sampled(name string, tracks map[int]*nodeTracks, nodeOf []int, step float64, frames int) (*pose.Clip, error) {
	s := d.scene.Skeleton
	c := &pose.Clip{Name: name, Step: step}
	rest := make([]quat.Number, len(s.Joints))
	for i, j := range s.Joints {
		c.Joints = append(c.Joints, j.Name)
		_, rest[i] = s.Local(i)
	}
	// The nodes that joints depend on, parents first.
	var order []int
	seen := make([]bool, len(d.doc.Nodes))
	for _, n := range nodeOf {
		var up []int
		for p := n; p >= 0 && !seen[p]; p = d.parent[p] {
			up = append(up, p)
			seen[p] = true
		}
		for i := len(up) - 1; i >= 0; i-- {
			order = append(order, up[i])
		}
	}
	world := make([]geom.Matrix, len(d.doc.Nodes))
	turn := make([]quat.Number, len(s.Joints))
	for f := range frames {
		time := float64(f) * step
		for _, n := range order {
			x := d.doc.Nodes[n]
			if t := tracks[n]; t != nil {
				x.Matrix = nil
				if d.doc.Nodes[n].Matrix != nil {
					p, q, sc := geom.Matrix(*d.doc.Nodes[n].Matrix).Decompose()
					x.Translation, x.Rotation, x.Scale = &[3]float64{
						p.X,
						p.Y,
						p.Z,
					}, &[4]float64{
						q.Imag,
						q.Jmag,
						q.Kmag,
						q.Real,
					}, &[3]float64{
						sc.X,
						sc.Y,
						sc.Z,
					}
				}
				if t.move != nil {
					v := t.move.at(time)
					x.Translation = &[3]float64{v[0], v[1], v[2]}
				}
				if t.turn != nil {
					v := t.turn.at(time)
					x.Rotation = &[4]float64{v[0], v[1], v[2], v[3]}
				}
			}
			m, err := local(x)
			if err != nil {
				return nil, err
			}
			if p := d.parent[n]; p >= 0 {
				m = world[p].Mul(m)
			}
			world[n] = m
		}
		row := make([]quat.Number, len(s.Joints))
		for i, j := range s.Joints {
			_, turn[i], _ = world[nodeOf[i]].Decompose()
			q := turn[i]
			if j.Parent >= 0 {
				q = quat.Mul(quat.Conj(turn[j.Parent]), q)
			}
			row[i] = geom.Normalise(quat.Mul(quat.Conj(rest[i]), q))
		}
		c.Turns = append(c.Turns, row)
		at, _, _ := world[nodeOf[0]].Decompose()
		c.Root = append(c.Root, r3.Sub(at, s.Joints[0].Pos))
	}
	return c, nil
}
