package pose

import (
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Kinds of segments of a reel.
const (
	SegmentRange  = "range"  // one joint to one end of a trial and back
	SegmentFist   = "fist"   // the fingers of a hand together
	SegmentFigure = "figure" // several joints: a crouch, a reach
	SegmentGait   = "gait"   // steps, a wing beat, a wave
	SegmentOwn    = "own"    // a pose or a clip that the character keeps
)

// SegmentKinds are all of them, in the order in which a reel has them.
var SegmentKinds = []string{SegmentRange, SegmentFist, SegmentFigure, SegmentGait, SegmentOwn}

// Reel is a test of motion. It is built from a skeleton whenever it is needed and never becomes part
// of a character.
type Reel struct {
	Step     float64 // seconds a frame
	Frames   []Frame
	Segments []Segment
	Left     int // ends of ranges that were left out, for there are too many joints
}

// Frame is a pose of a reel. Joint is the one that turns, -1 where several do.
type Frame struct {
	Tried
	Move    r3.Vec // of what has no parent, metres
	Segment int
	Same    int // an earlier frame with the same pose, on the way back; -1 for none
}

// Segment is a part of a reel with a name of its own.
type Segment struct {
	Name   string `json:"name"`
	Kind   string `json:"kind"`
	Joint  string `json:"joint,omitempty"` // of a range
	From   int    `json:"from"`            // its first frame
	To     int    `json:"to"`              // the one after its last
	Source string `json:"source,omitempty"`
}

// ReelOptions say what a reel is made of.
type ReelOptions struct {
	Joints []string // that are tried alone; nil is all
	Amount float64  // share of the usual ranges
	Steps  int      // frames from rest to an end
	Back   bool     // and the way back, as one looks at it
	Kinds  []string // of segments; nil is all
	Marks  skeleton.Marks
	Own    []*Clip // turns about the world's axes at rest; one frame is a pose
}

// DefaultReel are the options of the usual reel.
var DefaultReel = ReelOptions{Amount: 1, Steps: 5, Marks: skeleton.DefaultMarks}

// ReelStep is how long a frame of a reel lasts, seconds.
const ReelStep = 1.0 / 24

// NewReel builds the reel of a skeleton: each joint through its usual range about its named axes
// (skeleton.Trials), the fingers of each hand together, figures and gaits of the body that it is, and
// poses and clips of its own.
func NewReel(s *skeleton.Skeleton, o ReelOptions) *Reel {
	r := &Reel{Step: ReelStep}
	b := &reeling{Reel: r, s: s, o: o, trials: s.Trials(o.Marks)}
	b.prepare()
	for _, kind := range SegmentKinds {
		if o.Kinds != nil && !slices.Contains(o.Kinds, kind) {
			continue
		}
		switch kind {
		case SegmentRange:
			b.ranges()
		case SegmentFist:
			b.fists()
		case SegmentFigure:
			b.figures()
		case SegmentGait:
			b.gaits()
		case SegmentOwn:
			b.own()
		}
	}
	return r
}

// reeling is a reel that is being built.
type reeling struct {
	*Reel
	s      *skeleton.Skeleton
	o      ReelOptions
	trials []skeleton.Trial
	by     map[int]map[string]skeleton.Trial // of a joint, by the name of the motion
	motion []skeleton.Motion
	side   []skeleton.Side
	lying  bool // the trunk lies, as of a beast
	winged bool
}

// way adds a segment from rest to an end that at gives for a share of the way, and back.
func (b *reeling) way(seg Segment, joint int, at func(share float64) (name string, p Pose, move r3.Vec)) {
	seg.From = len(b.Frames)
	n := len(b.Segments)
	for k := 1; k <= b.o.Steps; k++ {
		name, p, move := at(float64(k) / float64(b.o.Steps))
		b.Frames = append(b.Frames, Frame{Tried{name, joint, p}, move, n, -1})
	}
	if b.o.Back {
		for k := b.o.Steps - 2; k >= 0; k-- {
			f := b.Frames[seg.From+k]
			f.Same = seg.From + k
			b.Frames = append(b.Frames, f)
		}
		b.Frames = append(b.Frames, Frame{Tried{"rest", joint, Pose{}}, r3.Vec{}, n, -1})
	}
	seg.To = len(b.Frames)
	b.Segments = append(b.Segments, seg)
}

// ranges are the trials of each joint alone, each end by itself.
func (b *reeling) ranges() {
	tried := b.affordable()
	for i, t := range b.trials {
		name := b.s.Joints[t.Joint].Name
		if b.o.Joints != nil && !slices.Contains(b.o.Joints, name) {
			continue
		}
		for _, end := range t.Degrees {
			if end == 0 {
				continue
			}
			if !tried[i] {
				b.Left++
				continue
			}
			full := b.o.Amount * end
			b.way(
				Segment{Name: fmt.Sprintf("%s %s %.0f°", name, t.Name, full), Kind: SegmentRange, Joint: name, Source: t.Source},
				t.Joint,
				func(share float64) (string, Pose, r3.Vec) {
					return fmt.Sprintf("%s %s %.0f°", name, t.Name, full*share), Pose{name: AboutWorld(b.s, t, full*share)}, r3.Vec{}
				},
			)
		}
	}
}

// A reel has at most so many frames with single joints, and so many turns in all.
const mostRanged, mostTurns = 6_000, 4_000_000

// affordable says by trial whether it is in the reel: of more than it holds, those of the joints that most hangs
// from.
func (b *reeling) affordable() []bool {
	out := make([]bool, len(b.trials))
	budget := min(mostRanged, mostTurns/max(1, len(b.s.Joints)))
	per := b.o.Steps
	if b.o.Back {
		per *= 2
	}
	hang := make([]int, len(b.s.Joints))
	for i := len(hang) - 1; i >= 0; i-- {
		hang[i]++
		if p := b.s.Joints[i].Parent; p >= 0 {
			hang[p] += hang[i]
		}
	}
	order := make([]int, len(b.trials))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(x, y int) int { return hang[b.trials[y].Joint] - hang[b.trials[x].Joint] })
	for _, i := range order {
		t := b.trials[i]
		if b.o.Joints != nil && !slices.Contains(b.o.Joints, b.s.Joints[t.Joint].Name) {
			continue
		}
		for _, end := range t.Degrees {
			if end != 0 {
				budget -= per
			}
		}
		if budget < 0 {
			break
		}
		out[i] = true
	}
	return out
}

// own are the poses and clips that the character keeps: a pose is gone to, a clip is played.
func (b *reeling) own() {
	for _, c := range b.o.Own {
		c = c.AboutOwn(b.s)
		if c.Frames() == 1 {
			p, move := c.At(0)
			b.way(Segment{Name: c.Name, Kind: SegmentOwn}, -1, func(share float64) (string, Pose, r3.Vec) {
				return fmt.Sprintf("%s %.0f%%", c.Name, 100*share), Pose{}.Towards(p, share), r3.Scale(share, move)
			})
			continue
		}
		seg := Segment{Name: c.Name, Kind: SegmentOwn, From: len(b.Frames)}
		n := len(b.Segments)
		for k := range min(MostOwn, int(c.Step*float64(c.Frames())/ReelStep)+1) { // at the pace of the reel
			f := min(c.Frames()-1, int(math.Round(float64(k)*ReelStep/c.Step)))
			p, move := c.At(f)
			b.Frames = append(b.Frames, Frame{Tried{fmt.Sprintf("%s frame %d", c.Name, f+1), -1, p}, move, n, -1})
		}
		seg.To = len(b.Frames)
		b.Segments = append(b.Segments, seg)
	}
}

// MostOwn is how many frames of a clip are in a reel: 25 seconds.
const MostOwn = 600

// Towards returns the pose a share of the way from p to q, each joint by the shortest turn.
func (p Pose) Towards(q Pose, share float64) Pose {
	out := Pose{}
	one := quat.Number{Real: 1}
	of := func(x Pose, name string) quat.Number {
		if t, ok := x[name]; ok {
			return t
		}
		return one
	}
	for _, x := range []Pose{p, q} {
		for name := range x {
			if _, done := out[name]; !done {
				out[name] = slerp(of(p, name), of(q, name), share)
			}
		}
	}
	return out
}

// slerp goes the shortest way between two turns (Shoemake 1985), and evenly between their lengths.
func slerp(a, b quat.Number, share float64) quat.Number {
	long := Lengthening(a) + share*(Lengthening(b)-Lengthening(a))
	if long != 1 {
		return Lengthened(slerp(geom.Normalise(a), geom.Normalise(b), share), long)
	}
	a, b = geom.Normalise(a), geom.Normalise(b)
	d := quat.Mul(quat.Conj(a), b)
	if d.Real < 0 {
		d = quat.Scale(-1, d)
	}
	axis := r3.Vec{X: d.Imag, Y: d.Jmag, Z: d.Kmag}
	if r3.Norm2(axis) == 0 {
		return a
	}
	return quat.Mul(a, geom.AxisAngle(axis, share*2*math.Atan2(r3.Norm(axis), d.Real)))
}

// Clip returns the reel as a motion about the joints' own axes, to be looked at or taken away.
func (r *Reel) Clip(s *skeleton.Skeleton, name string) *Clip {
	c := &Clip{Name: name, Step: r.Step}
	moved := map[string]bool{}
	for _, f := range r.Frames {
		for j := range f.Pose {
			moved[j] = true
		}
	}
	for _, j := range s.Joints {
		if moved[j.Name] {
			c.Joints = append(c.Joints, j.Name)
		}
	}
	for _, f := range r.Frames {
		row := make([]quat.Number, len(c.Joints))
		for i, name := range c.Joints {
			row[i] = quat.Number{Real: 1}
			if q, ok := f.Pose[name]; ok {
				row[i] = q
			}
		}
		c.Turns, c.Root = append(c.Turns, row), append(c.Root, f.Move)
	}
	return c
}

// Poses are the frames without those of the way back.
func (r *Reel) Poses() []Tried {
	var out []Tried
	for _, f := range r.Frames {
		if f.Same < 0 {
			out = append(out, f.Tried)
		}
	}
	return out
}

// Saved is a pose of a skeleton as a character keeps it: one frame, about the world's axes at rest, so that
// joints may be given other axes.
func Saved(name string, s *skeleton.Skeleton, p Pose, move r3.Vec) *Clip {
	c := &Clip{Name: name, Step: ReelStep, Root: []r3.Vec{move}, Turns: [][]quat.Number{{}}}
	for _, j := range s.Joints {
		if q, ok := p[j.Name]; ok {
			c.Joints = append(c.Joints, j.Name)
			c.Turns[0] = append(c.Turns[0], q)
		}
	}
	return c.AboutWorld(s)
}
