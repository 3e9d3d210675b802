package pose

import (
	"fmt"
	"math"
	"strings"

	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// Figures and gaits of the reel are common practice, no source: poses in which a skin shows what single
// turns do not, and a motion that brings many of its places together. Their angles are within the
// usual ranges of the joints.
const fromPractice = "common practice, no source"

// gaitFrames is how many frames a cycle has.
const gaitFrames = 24

func (b *reeling) prepare() {
	b.by = map[int]map[string]skeleton.Trial{}
	for _, t := range b.trials {
		if b.by[t.Joint] == nil {
			b.by[t.Joint] = map[string]skeleton.Trial{}
		}
		b.by[t.Joint][t.Name] = t
	}
	b.motion, b.side = b.s.Acts(b.o.Marks)
	b.lying = b.s.Lying(b.o.Marks)
	for i := range b.s.Joints {
		b.winged = b.winged || b.named(i, "wing", "feather")
	}
}

// turn adds a turn of a joint about one of its named axes to a pose, within the joint's usual range.
func (b *reeling) turn(p Pose, i int, name string, degrees float64) {
	t, ok := b.by[i][name]
	if !ok {
		return
	}
	degrees = math.Max(t.Degrees[0], math.Min(t.Degrees[1], degrees))
	q := AboutWorld(b.s, t, degrees)
	joint := b.s.Joints[i].Name
	if was, ok := p[joint]; ok {
		q = quat.Mul(was, q)
	}
	p[joint] = q
}

// of are the joints that stand for one of some motions, but for what has no parent.
func (b *reeling) of(motions ...skeleton.Motion) (out []int) {
	for i, m := range b.motion {
		for _, want := range motions {
			if m == want && b.s.Joints[i].Parent >= 0 {
				out = append(out, i)
			}
		}
	}
	return out
}

func (b *reeling) named(i int, words ...string) bool {
	name := strings.ToLower(b.s.Joints[i].Name)
	for _, w := range words {
		if strings.Contains(name, w) {
			return true
		}
	}
	return false
}

// limbs that end at joints of a motion, by joint.
func (b *reeling) limbs(end skeleton.Motion) (out []Limb) {
	bends := Bends(b.s, b.trials)
	for _, i := range b.of(end) {
		if b.motion[b.s.Joints[i].Parent] == end { // the tip of a hand
			continue
		}
		if l, ok := LimbOf(b.s, i, b.motion, bends); ok {
			out = append(out, l)
		}
	}
	return out
}

func (b *reeling) length(l Limb) float64 {
	j := b.s.Joints
	return r3.Norm(r3.Sub(j[l.Middle].Pos, j[l.Root].Pos)) + r3.Norm(r3.Sub(j[l.End].Pos, j[l.Middle].Pos))
}

// fists curl the fingers of each hand together.
func (b *reeling) fists() {
	for hand, m := range b.motion {
		if m != skeleton.Wrist {
			continue
		}
		var fingers []int
		for _, i := range b.s.Branch(hand) {
			if b.motion[i] == skeleton.Finger || b.motion[i] == skeleton.Thumb {
				fingers = append(fingers, i)
			}
		}
		if len(fingers) < 2 {
			continue
		}
		name := "fist of " + b.s.Joints[hand].Name
		b.way(Segment{Name: name, Kind: SegmentFist, Source: fromPractice}, -1, func(share float64) (string, Pose, r3.Vec) {
			p := Pose{}
			for _, i := range fingers {
				b.turn(p, i, "bend", share*b.o.Amount*180)
			}
			return fmt.Sprintf("%s %.0f%%", name, 100*share), p, r3.Vec{}
		})
	}
}

// figure adds a way to a figure.
func (b *reeling) figure(name string, pose func(share float64) (Pose, r3.Vec)) {
	b.way(Segment{Name: name, Kind: SegmentFigure, Source: fromPractice}, -1, func(share float64) (string, Pose, r3.Vec) {
		p, move := pose(share * b.o.Amount)
		return fmt.Sprintf("%s %.0f%%", name, 100*share), p, move
	})
}

// planted brings the ends of limbs back to where they rest, whatever stands above them.
func (b *reeling) planted(p Pose, move r3.Vec, limbs []Limb) (Pose, r3.Vec) {
	st := NewStanding(b.s, p, move)
	for _, l := range limbs {
		st.Place(l, b.s.Joints[l.End].Pos, r3.Vec{}, true)
	}
	return st.Pose(), st.Move
}

func (b *reeling) figures() {
	legs, arms := b.limbs(skeleton.Ankle), b.limbs(skeleton.Wrist)
	if b.lying {
		legs, arms = append(legs, arms...), nil
	}
	trunk := b.of(skeleton.Trunk)
	var spine, neck []int
	for _, i := range trunk {
		if b.named(i, "head", "neck") {
			neck = append(neck, i)
		} else {
			spine = append(spine, i)
		}
	}
	if len(legs) >= 2 {
		leg := b.length(legs[0])
		for _, l := range legs {
			leg = math.Min(leg, b.length(l))
		}
		down := 0.4
		if b.lying {
			down = 0.3
		}
		b.figure("crouch", func(share float64) (Pose, r3.Vec) {
			p := Pose{}
			if !b.lying {
				for _, i := range spine {
					b.turn(p, i, "bend", 12*share)
				}
			}
			return b.planted(p, r3.Vec{Y: -down * leg * share}, legs)
		})
		if !b.lying && !b.winged {
			thigh := r3.Norm(r3.Sub(b.s.Joints[legs[0].Middle].Pos, b.s.Joints[legs[0].Root].Pos))
			b.figure("sit", func(share float64) (Pose, r3.Vec) {
				return b.planted(Pose{}, r3.Vec{Y: -0.95 * thigh * share, Z: -0.8 * thigh * share}, legs)
			})
		}
	}
	if len(arms) == 2 && !b.winged {
		b.figure("reach up", func(share float64) (Pose, r3.Vec) {
			p := Pose{}
			for _, i := range b.of(skeleton.Girdle) {
				b.turn(p, i, "bend", 15*share)
			}
			for _, l := range arms {
				b.turn(p, l.Root, "side", 180*share)
			}
			return p, r3.Vec{}
		})
		ahead := r3.Vec{Z: 0.12 * b.s.Height()}
		for k, l := range arms {
			from, to := b.s.Joints[l.End].Pos, r3.Add(b.s.Joints[arms[1-k].Root].Pos, ahead)
			out := r3.Vec{X: math.Copysign(0.7, b.s.Joints[l.Root].Pos.X), Y: -1}
			b.figure("reach across with "+b.s.Joints[l.End].Name, func(share float64) (Pose, r3.Vec) {
				st := NewStanding(b.s, nil, r3.Vec{})
				goal := r3.Add(r3.Add(from, r3.Scale(share, r3.Sub(to, from))), r3.Scale(4*share*(1-share), ahead)) // about the chest
				st.Place(l, goal, out, false)
				return st.Pose(), st.Move
			})
		}
	}
	if len(neck) > 0 {
		for _, way := range []struct {
			name string
			sign float64
		}{{"left", 1}, {"right", -1}} {
			b.figure("look over the "+way.name+" shoulder", func(share float64) (Pose, r3.Vec) {
				p := Pose{}
				motion := "twist"
				if b.lying {
					motion = "side"
				}
				for _, i := range neck {
					b.turn(p, i, motion, way.sign*35*share)
				}
				for _, i := range spine {
					b.turn(p, i, motion, way.sign*10*share)
				}
				return p, r3.Vec{}
			})
		}
	}
	if len(trunk) > 1 {
		b.figure("bow", func(share float64) (Pose, r3.Vec) {
			p := Pose{}
			most := 60.0 // degrees of the whole spine
			if b.lying {
				most = 25
			}
			for _, i := range spine {
				b.turn(p, i, "bend", math.Min(18, most/float64(len(spine)))*share)
			}
			for _, i := range neck {
				b.turn(p, i, "bend", 18*share)
			}
			return p, r3.Vec{}
		})
	}
	if b.winged {
		b.figure("wings spread", func(share float64) (Pose, r3.Vec) {
			p := Pose{}
			for _, i := range b.of(skeleton.Shoulder) {
				b.turn(p, i, "side", 60*share)
			}
			return p, r3.Vec{}
		})
	}
	if chain := b.chain(); chain != nil {
		b.figure("coil", func(share float64) (Pose, r3.Vec) {
			p := Pose{}
			for _, i := range chain {
				b.turn(p, i, "bend", math.Min(20, 400/float64(len(chain)))*share)
			}
			return p, r3.Vec{}
		})
	}
}

// longChain is from how many joints on a chain is waved along.
const longChain = 5

// chain is the longest run of joints of a tail, or of a body that is nothing but a chain; nil where that
// is short. A spine with limbs is none: it bows.
func (b *reeling) chain() []int {
	run := make([]int, len(b.s.Joints)) // how many of them end at a joint
	best := -1
	for i, j := range b.s.Joints {
		if m := b.motion[i]; m != skeleton.Tail && m != skeleton.Other || len(b.by[i]) == 0 {
			continue
		}
		run[i] = 1
		if j.Parent >= 0 && b.motion[j.Parent] == b.motion[i] {
			run[i] += run[j.Parent]
		}
		if best < 0 || run[i] > run[best] {
			best = i
		}
	}
	if best < 0 || run[best] < longChain {
		return nil
	}
	out := make([]int, 0, run[best])
	for i, n := best, run[best]; n > 0; i, n = b.s.Joints[i].Parent, n-1 {
		out = append([]int{i}, out...)
	}
	return out
}

// cycle adds a gait: pose by the phase, 0 to 2π.
func (b *reeling) cycle(name string, pose func(phase float64) Pose) {
	seg := Segment{Name: name, Kind: SegmentGait, Source: fromPractice, From: len(b.Frames)}
	n := len(b.Segments)
	for f := range gaitFrames {
		b.Frames = append(
			b.Frames,
			Frame{Tried{fmt.Sprintf("%s frame %d", name, f+1), -1, pose(2 * math.Pi * float64(f) / gaitFrames)}, r3.Vec{}, n, -1},
		)
	}
	seg.To = len(b.Frames)
	b.Segments = append(b.Segments, seg)
}

func (b *reeling) gaits() {
	a := b.o.Amount
	hips, shoulders := b.of(skeleton.Hip), b.of(skeleton.Shoulder)
	side := func(i int) float64 {
		if b.side[i] == skeleton.Right {
			return math.Pi
		}
		return 0
	}
	if len(hips) >= 2 {
		name := "steps"
		if b.lying {
			name = "four-beat walk"
		}
		b.cycle(name, func(phase float64) Pose {
			p := Pose{}
			leg := func(root int, late, swing float64) {
				t := phase + side(root) + late
				b.turn(p, root, "bend", a*swing*math.Sin(t))
				for _, i := range b.s.Branch(root) {
					switch b.motion[i] {
					case skeleton.Knee, skeleton.Elbow:
						b.turn(p, i, "bend", a*(8+30*math.Max(0, math.Cos(t)))) // lifted as it swings forward
					case skeleton.Ankle, skeleton.Wrist:
						b.turn(p, i, "bend", a*10*math.Sin(t))
					}
				}
			}
			for _, i := range hips {
				leg(i, 0, 25)
			}
			for _, i := range shoulders {
				switch {
				case b.lying:
					leg(i, -math.Pi/2, 20) // the foreleg a quarter behind the hind leg of its side
				case !b.winged:
					t := phase + side(i) + math.Pi // against the leg
					b.turn(p, i, "bend", a*20*math.Sin(t))
					for _, k := range b.s.Branch(i) {
						if b.motion[k] == skeleton.Elbow {
							b.turn(p, k, "bend", a*(18+12*math.Sin(t)))
						}
					}
				}
			}
			for _, i := range b.of(skeleton.Trunk) {
				b.turn(p, i, "twist", a*3*math.Sin(phase))
			}
			return p
		})
	}
	if b.winged && len(shoulders) >= 2 {
		b.cycle("wing beat", func(phase float64) Pose {
			p := Pose{}
			for _, i := range shoulders {
				b.turn(p, i, "side", a*35*math.Sin(phase))
				for _, k := range b.s.Branch(i) {
					if m := b.motion[k]; m == skeleton.Elbow || m == skeleton.Wrist {
						b.turn(p, k, "bend", a*20*math.Max(0, -math.Sin(phase+0.6))) // folded on the way up
					}
				}
			}
			return p
		})
	}
	if chain := b.chain(); chain != nil {
		b.cycle("wave", func(phase float64) Pose {
			p := Pose{}
			for k, i := range chain {
				b.turn(p, i, "bend", a*18*math.Sin(phase-2*math.Pi*float64(k)/float64(len(chain))))
			}
			return p
		})
	}
}
