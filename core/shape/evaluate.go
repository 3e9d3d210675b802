package shape

import (
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/interp"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Evaluator tells how far on the targets of a rig are in poses of a skeleton.
type Evaluator struct {
	rig      *Rig
	skeleton *skeleton.Skeleton
	shifts   [][]shiftAt // by target: of the joints that it moves
	order    []int
	drivers  []driver    // by target
	between  [][]float64 // by in-between: where the next ones below and above it are off
	sources  [][]int     // by target: those that it is made of, -1 for one that is gone
	times    []float64   // by target: of its groups, 0 where muted
	silent   []bool      // by target: another has solo, which leaves what is made of it as it is
	fields   []*field
	held     map[string]float64 // by target: how far on a hand holds it, whatever brings it on
	// Lost are targets whose driver's joint or axis is gone, or what they are made of: they are off.
	Lost []string
}

// driver is a Driver at a joint that is there.
type driver struct {
	joint string
	axis  r3.Vec // of the joint's own at rest
	curve func(degrees float64) float64
}

// For prepares a rig for a skeleton. It is valid.
func (r *Rig) For(s *skeleton.Skeleton, x skeleton.Marks) *Evaluator {
	n := len(r.Targets)
	e := &Evaluator{
		rig: r, skeleton: s, shifts: make([][]shiftAt, n), drivers: make([]driver, n),
		between: make([][]float64, n), sources: make([][]int, n), times: make([]float64, n),
	}
	e.order, _ = r.order()
	var trials []skeleton.Trial
	var same []int
	e.fields, same = r.fields()
	for i := range r.Targets {
		t := &r.Targets[i]
		if !t.Muted {
			e.times[i] = r.times(t.Group)
		}
		e.shifts[i] = shiftsOf(t, s)
		lost := false
		if d := t.Driver; d != nil {
			if trials == nil && s != nil {
				trials = s.Trials(x)
			}
			k := slices.IndexFunc(trials, func(t skeleton.Trial) bool { return t.Name == d.Axis && s.Joints[t.Joint].Name == d.Joint })
			if lost = k < 0; !lost {
				rot := quat.Conj(geom.Normalise(s.Joints[trials[k].Joint].Rot))
				e.drivers[i] = driver{d.Joint, geom.Rotate(rot, trials[k].Axis), d.curve()}
			}
		}
		if t.Near != nil {
			lost = slices.Contains(same, i) || s == nil
			for name := range t.Near.Turns {
				lost = lost || s.Index(name) < 0
			}
		}
		for _, name := range t.Sources() {
			k := r.Find(name)
			lost = lost || k < 0
			e.sources[i] = append(e.sources[i], k)
		}
		if b := t.Between; b != nil {
			ends := []float64{0, 1}
			for j := range r.Targets {
				if o := r.Targets[j].Between; o != nil && o.Of == b.Of {
					if o.At < b.At {
						ends[0] = max(ends[0], o.At)
					} else if o.At > b.At {
						ends[1] = min(ends[1], o.At)
					}
				}
			}
			e.between[i] = ends
		}
		if lost {
			e.Lost = append(e.Lost, t.Name)
		}
	}
	e.fields = slices.DeleteFunc(e.fields, func(f *field) bool {
		return slices.ContainsFunc(f.targets, func(i int) bool { return slices.Contains(e.Lost, r.Targets[i].Name) })
	})
	e.silent = r.silent(e.order, e.sources)
	return e
}

// silent are the targets that neither have solo themselves, or by a group, nor are made of one that has; nil where none has.
func (r *Rig) silent(order []int, sources [][]int) (out []bool) {
	solo := map[string]bool{}
	any := false
	for _, g := range r.Groups {
		solo[g.Name] = g.Solo
		any = any || g.Solo
	}
	for i := range r.Targets {
		any = any || r.Targets[i].Solo
	}
	if !any {
		return nil
	}
	out = make([]bool, len(r.Targets))
	for _, i := range order {
		t := &r.Targets[i]
		heard := t.Solo
		group := t.Group
		for range len(r.Groups) + 1 {
			heard = heard || solo[group]
			if k := r.FindGroup(group); k >= 0 {
				group = r.Groups[k].In
			}
		}
		for _, k := range sources[i] {
			heard = heard || k >= 0 && !out[k]
		}
		out[i] = !heard
	}
	return out
}

// curve is the value of a driver by its angle.
func (d *Driver) curve() func(degrees float64) float64 {
	var x, y []float64
	rest := false
	for _, k := range d.Knots {
		if k.Degrees > 0 && !rest {
			x, y, rest = append(x, 0), append(y, 0), true
		}
		x, y = append(x, k.Degrees), append(y, k.Value)
	}
	if !rest {
		x, y = append(x, 0), append(y, 0)
	}
	var of interp.FittablePredictor = new(interp.PiecewiseLinear)
	if d.Smooth {
		of = new(interp.FritschButland)
	}
	if of.Fit(x, y) != nil { // too few knots: Validate has refused that
		return func(float64) float64 { return 0 }
	}
	return func(degrees float64) float64 { return of.Predict(max(x[0], min(x[len(x)-1], degrees))) }
}

// At is the value of a driver at an angle in degrees.
func (d *Driver) At(degrees float64) float64 { return d.curve()(degrees) }

// angle is how far a pose turns a driver's joint about its axis, in degrees, -180 to 180: the twist part of the turn about
// that axis.
func (d *driver) angle(p pose.Pose) float64 {
	q, ok := p[d.joint]
	if !ok {
		return 0
	}
	along := float64(q.Imag*d.axis.X) + float64(q.Jmag*d.axis.Y) + float64(q.Kmag*d.axis.Z)
	out := 2 * math.Atan2(along, q.Real) * 180 / math.Pi
	switch {
	case out > 180:
		out -= 360
	case out < -180:
		out += 360
	}
	return out
}

// Values are how far on each target of the rig is in a pose.
func (e *Evaluator) Values(p pose.Pose) []float64 {
	out := make([]float64, len(e.rig.Targets))
	for _, f := range e.fields {
		f.values(p, out)
	}
	for _, i := range e.order {
		t := &e.rig.Targets[i]
		value := t.Value
		held, isHeld := e.held[t.Name]
		switch {
		case isHeld:
			value = held
		case t.Driver != nil:
			value = 0
			if d := &e.drivers[i]; d.curve != nil {
				value = d.curve(d.angle(p))
			}
		case t.Near != nil:
			value = out[i]
		case t.Between != nil:
			value = 0
			if k := e.sources[i][0]; k >= 0 {
				value = hat(out[k], e.between[i][0], t.Between.At, e.between[i][1])
			}
		case t.Meets != nil:
			value = 1
			for _, k := range e.sources[i] {
				x := 0.0
				if k >= 0 {
					x = max(0, min(1, out[k]))
				}
				if t.Meets.Least {
					value = min(value, x)
				} else {
					value *= x
				}
			}
		}
		out[i] = value * e.times[i]
	}
	for i, yes := range e.silent {
		if yes {
			out[i] = 0
		}
	}
	return out
}

// hat is 1 at, and 0 from low down and high up.
func hat(x, low, at, high float64) float64 {
	switch {
	case x <= low || x >= high:
		return 0
	case x <= at:
		return (x - low) / (at - low)
	}
	return (high - x) / (high - at)
}

// Moves reports whether any target is on in any pose: where none is, nothing needs to be worked out.
func (e *Evaluator) Moves() bool {
	return slices.ContainsFunc(e.order, func(i int) bool {
		t := &e.rig.Targets[i]
		_, isHeld := e.held[t.Name]
		return (e.silent == nil || !e.silent[i]) && e.times[i] != 0 &&
			(t.Value != 0 || !t.ByHand() || isHeld)
	})
}

// Holding is the evaluator with targets that a hand holds, by name, whatever brings them on; their groups scale them as ever.
func (e *Evaluator) Holding(values map[string]float64) *Evaluator {
	out := *e
	out.held = values
	return &out
}

// Described is the rig with what drivers turn about as an axis of the joint's own at rest, for who does not know our names.
func (e *Evaluator) Described() *Rig {
	out := e.rig.Clone()
	for i := range out.Targets {
		if d := out.Targets[i].Driver; d != nil && e.drivers[i].curve != nil {
			told, a := *d, e.drivers[i].axis
			told.About = &[3]float64{a.X, a.Y, a.Z}
			out.Targets[i].Driver = &told
		}
	}
	return out
}
