package deform

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"wisemarrow/core/pose"
	"wisemarrow/core/weights"

	"gonum.org/v1/gonum/spatial/r3"
)

// Kinds of faults of a skin in motion.
const (
	FaultSpill   = "spill"   // a joint moves what belongs to another, far from it
	FaultStretch = "stretch" // a length of the surface is drawn out
	FaultCrush   = "crush"   // a length of the surface is pressed together
	FaultPinch   = "pinch"   // faces that were side by side lie on each other
	FaultFlip    = "flip"    // faces are turned inside out
	FaultVolume  = "volume"  // a limb loses or gains volume
	FaultCross   = "cross"   // the skin goes through itself where it did not at rest
	FaultThrough = "through" // skin comes through what lies over it
	FaultRigid   = "rigid"   // what is to keep its shape does not
)

// FaultKinds are all of them.
var FaultKinds = []string{FaultSpill, FaultStretch, FaultCrush, FaultPinch, FaultFlip, FaultVolume, FaultCross, FaultThrough, FaultRigid}

// Limits of faults. They were set by looking at poses of the cast and of strangers at both ends of the usual ranges:
// what is over one shows at arm's length (docs/methods/motion.md has the figures); no source.
var faultLimits = map[string]float64{
	FaultSpill:   0.65,  // of what a bone reaches about itself
	FaultStretch: 4,     // times the length at rest
	FaultCrush:   12,    // times shorter than at rest
	FaultPinch:   0.003, // of the area, in creases
	FaultFlip:    0.03,  // of the area
	FaultVolume:  0.15,  // of the limb's volume
	FaultCross:   0.15,  // of the area
	FaultThrough: 0.03,  // of the layers' vertices
	FaultRigid:   0.1,   // of a length of it
}

// FaultLimit is the limit of a kind of fault and what it is a share of.
func FaultLimit(kind string) float64 { return faultLimits[kind] }

// Places are vertices, ascending; in JSON they are ranges: "0-14,20".
type Places []int32

// MarshalJSON implements json.Marshaler.
func (p Places) MarshalJSON() ([]byte, error) { return json.Marshal(weights.Ranges(p)) }

// UnmarshalJSON implements json.Unmarshaler.
func (p *Places) UnmarshalJSON(data []byte) error {
	var text string
	if err := json.Unmarshal(data, &text); err != nil {
		return err
	}
	*p = nil
	if text == "" {
		return nil
	}
	for part := range strings.SplitSeq(text, ",") {
		from, to, both := strings.Cut(part, "-")
		a, err := strconv.Atoi(from)
		b := a
		if err == nil && both {
			b, err = strconv.Atoi(to)
		}
		if err != nil || a < 0 || b < a || b > math.MaxInt32 || len(*p)+b-a >= mostWhere {
			return fmt.Errorf("%q names no vertices, or more than %d", part, mostWhere)
		}
		for v := a; v <= b; v++ {
			*p = append(*p, int32(v))
		}
	}
	return nil
}

// Fault is a place of the skin and the worst that a reel brings about there.
type Fault struct {
	Kind    string     `json:"kind"`
	Turned  string     `json:"turned,omitempty"` // the joint that turns, where one does alone
	Segment string     `json:"segment"`
	Frame   int        `json:"frame"`
	Pose    string     `json:"pose"`
	Size    float64    `json:"size"`
	Limit   float64    `json:"limit"`
	Times   float64    `json:"times"`            // size over limit
	Away    float64    `json:"away,omitempty"`   // of spill: how far it goes, metres
	Far     float64    `json:"far,omitempty"`    // of spill: how far the bone that pulls it is at rest, metres
	Limb    string     `json:"limb,omitempty"`   // of volume: the joint of the limb
	Change  float64    `json:"change,omitempty"` // of volume and lengths: -0.1 for a tenth less
	Vertex  int32      `json:"vertex"`           // in the middle of it
	Count   int        `json:"vertices"`         // how many are in it
	Place   [3]float64 `json:"place"`            // of the vertex in that pose, metres
	Blame   []Blame    `json:"blame"`
	Where   Places     `json:"where,omitempty"` // the first mostWhere of them
	// Also are the other kinds and segments in which the same place shows, worst first, the first mostAlso.
	Also []Also `json:"also,omitempty"`
}

// Also is a lesser fault at the same place.
type Also struct {
	Kind  string  `json:"kind"`
	Pose  string  `json:"pose"`
	Frame int     `json:"frame"`
	Times float64 `json:"times"`
}

// Blame is a joint's share in a fault.
type Blame struct {
	Joint string  `json:"joint"`
	Share float64 `json:"share"`
}

const (
	// fewEdges: one edge in so many counts for nothing.
	fewEdges  = 10_000
	mostWhere = 20_000
	mostBlame = 3
	mostAlso  = 8
	// MostFaults is how many faults are told.
	MostFaults = 60
)

// FrameMeasure is how a frame came out, each kind as its size over its limit.
type FrameMeasure struct {
	Pose  string             `json:"pose"`
	Times map[string]float64 `json:"times"`
	Worst float64            `json:"worst"`
	Kind  string             `json:"kind,omitempty"` // of the worst
}

// Checked is how a skin came through a reel.
type Checked struct {
	Frames  []FrameMeasure     `json:"frames"`
	Faults  []Fault            `json:"faults"`        // the worst of each kind and segment, worst first, the first MostFaults
	Rest    float64            `json:"rest"`          // how far the skin moves at rest, metres: 0
	Score   float64            `json:"score"`         // the mean over frames of all that was measured in each, over the limits
	Over    int                `json:"over"`          // places that are over their limits
	Worst   map[string]float64 `json:"worst"`         // by kind, over its limit
	Crossed int                `json:"crossed"`       // frames that were looked through for crossings
	Cut     bool               `json:"cut,omitempty"` // there were too many crossings to find all
}

// CheckOptions say what is measured besides.
type CheckOptions struct {
	// Cross: every frame of so many is looked through for skin that goes through itself; 0 is none.
	Cross int
	// Body and Layers are the triangles of the skin and the vertices of what lies over it, by layer; of every
	// Cover frames one is looked through for skin that comes through them, 0 is none.
	Cover  int
	Body   [][3]int32
	Layers [][]int32
	// Rigid are the vertices of what is to keep its shape, each thing by itself.
	Rigid [][]int32
}

// framesAtOnce is how many frames are shared out among the cores before their results are put together
// in order; what is kept for them is all that grows with the skin.
const framesAtOnce = 16

// Check poses the skin in every frame of a reel and measures it. Memory does not grow with the
// number of frames but by a few numbers each.
func (s *Skin) Check(ctx context.Context, reel *pose.Reel, o CheckOptions, progress func(share float64)) (*Checked, error) {
	c := newChecking(s, o)
	out := &Checked{Worst: map[string]float64{}}
	for v, p := range s.bound(s.points, nil) {
		out.Rest = math.Max(out.Rest, r3.Norm(r3.Sub(p, s.points[v])))
	}
	worst := map[[2]string]*Fault{}
	var order [][2]string
	new, numbers := measuredFrames(reel)
	out.Frames = make([]FrameMeasure, len(reel.Frames))
	for lo := 0; lo < len(new); lo += framesAtOnce {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if progress != nil {
			progress(float64(lo) / float64(len(new)))
		}
		batch := new[lo:min(len(new), lo+framesAtOnce)]
		found := c.frames(reel, batch, numbers[lo:lo+len(batch)])
		for k, f := range batch {
			frame := reel.Frames[f]
			m := FrameMeasure{Pose: frame.Name, Times: map[string]float64{}}
			for _, x := range found[k].faults {
				x.Frame, x.Pose, x.Segment = f, frame.Name, reel.Segments[frame.Segment].Name
				name := x.Segment
				if frame.Joint >= 0 {
					x.Turned = s.skeleton.Joints[frame.Joint].Name
					name = x.Turned // both ends and all axes of a joint are one place
				}
				m.Times[x.Kind] = math.Max(m.Times[x.Kind], x.Times)
				if x.Times > m.Worst {
					m.Worst, m.Kind = x.Times, x.Kind
				}
				out.Worst[x.Kind] = math.Max(out.Worst[x.Kind], x.Times)
				key := [2]string{x.Kind, name}
				if worst[key] == nil {
					order = append(order, key)
				}
				if worst[key] == nil || x.Times > worst[key].Times {
					worst[key] = &x
				}
			}
			if found[k].crossed {
				out.Crossed++
				out.Cut = out.Cut || found[k].cut
			}
			out.Frames[f] = m
			all := 0.0
			for _, kind := range FaultKinds { // in a fixed order
				all += float64(m.Times[kind] * m.Times[kind])
			}
			out.Score += math.Sqrt(all) / float64(len(new))
		}
	}
	for f, frame := range reel.Frames {
		if frame.Same >= 0 {
			out.Frames[f] = out.Frames[frame.Same]
		}
	}
	var all []Fault
	for _, key := range order {
		all = append(all, *worst[key])
	}
	out.Faults = c.places(all)
	for _, f := range out.Faults {
		if f.Times > 1 {
			out.Over++
		}
	}
	out.Faults = out.Faults[:min(len(out.Faults), MostFaults)]
	return out, nil
}

// measuredFrames are the frames of a reel that are not the same as one before, and their order.
func measuredFrames(reel *pose.Reel) (which, order []int) {
	for f, frame := range reel.Frames {
		if frame.Same < 0 {
			which, order = append(which, f), append(order, len(order))
		}
	}
	return which, order
}

// CheckSpot measures one place again, as Check tells places apart: the worst fault of a kind in all frames in
// which the joint turns that turns in one frame, or in the segment of that frame where several do. It is nil
// where there is none.
func (s *Skin) CheckSpot(ctx context.Context, reel *pose.Reel, kind string, frame int, o CheckOptions) (*Fault, error) {
	if frame < 0 || frame >= len(reel.Frames) || faultLimits[kind] == 0 {
		return nil, fmt.Errorf("there is no %q in frame %d of a reel of %d", kind, frame, len(reel.Frames))
	}
	if kind != FaultCross {
		o.Cross = 0 // the surface at rest is not searched either
	}
	of := reel.Frames[frame]
	var which, order []int
	all, numbers := measuredFrames(reel)
	for k, f := range all {
		x := reel.Frames[f]
		if of.Joint >= 0 && x.Joint == of.Joint || of.Joint < 0 && x.Segment == of.Segment {
			which, order = append(which, f), append(order, numbers[k])
		}
	}
	c := newChecking(s, o)
	var worst *Fault
	for lo := 0; lo < len(which); lo += framesAtOnce {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		hi := min(len(which), lo+framesAtOnce)
		for k, found := range c.frames(reel, which[lo:hi], order[lo:hi]) {
			for _, x := range found.faults {
				if x.Kind == kind && (worst == nil || x.Times > worst.Times) {
					x.Frame, x.Pose, x.Segment = which[lo+k], reel.Frames[which[lo+k]].Name, reel.Segments[of.Segment].Name
					worst = &x
				}
			}
		}
	}
	return worst, nil
}

// SpotTimes is how many times its limit the fault is that CheckSpot finds, 0 where it finds none.
func (s *Skin) SpotTimes(ctx context.Context, reel *pose.Reel, kind string, frame int, o CheckOptions) (float64, error) {
	f, err := s.CheckSpot(ctx, reel, kind, frame, o)
	if f == nil {
		return 0, err
	}
	return f.Times, err
}

// mostGrouped is how many faults are put together by place; lesser ones stand alone.
const mostGrouped = 400

// places puts faults together that are one place of the skin: where those of the lesser share a fifth of its
// vertices with the worse. The worst of a place stands for it, or a spill that is the cause. A limb
// whose volume changes is one place with a tear in it. They come worst first.
func (c *checking) places(all []Fault) []Fault {
	order := func(f *Fault) int { // causes before what comes of them: who is pulled away is stretched too, and a limb loses volume
		switch {
		case f.Kind == FaultSpill && f.Times > 1:
			return 0
		case f.Kind == FaultVolume:
			return 2
		}
		return 1
	}
	slices.SortStableFunc(all, func(a, b Fault) int { return cmp.Or(cmp.Compare(order(&a), order(&b)), cmp.Compare(b.Times, a.Times)) })
	var out []Fault
	of := make([]int32, len(c.s.points)) // by vertex: the place that it is in, from 1
	for i, f := range all {
		into := -1
		switch {
		case i >= mostGrouped:
		case f.Kind == FaultVolume: // of a limb: what is torn or pulled away there changes its volume too
			into = slices.IndexFunc(out, func(x Fault) bool {
				if x.Kind == FaultVolume {
					return x.Limb == f.Limb
				}
				n := 0
				for _, v := range x.Where {
					if c.limbOf(v) == f.Limb {
						n++
					}
				}
				return x.Times > 1 && (x.Kind == FaultSpill || x.Kind == FaultStretch) && 2*n > len(x.Where)
			})
		default:
			shared := map[int32]int{}
			for _, v := range f.Where {
				if of[v] > 0 {
					shared[of[v]]++
				}
			}
			most := 0
			for k, n := range shared {
				if n > most || n == most && k-1 < int32(into) {
					most, into = n, int(k-1)
				}
			}
			if into >= 0 && 5*most < min(len(f.Where), len(out[into].Where)) {
				into = -1
			}
		}
		if into < 0 {
			out = append(out, f)
			into = len(out) - 1
		} else if x := &out[into]; len(x.Also) < mostAlso {
			x.Also = append(x.Also, Also{f.Kind, f.Pose, f.Frame, f.Times})
		}
		if i < mostGrouped {
			for _, v := range f.Where {
				if of[v] == 0 {
					of[v] = int32(into + 1)
				}
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Fault) int { return cmp.Compare(b.Times, a.Times) })
	return out
}
