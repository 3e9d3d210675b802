// Package housestyle learns where the riggers of a production place joints otherwise than a fit does, from what they
// corrected on characters before, so that the next fit can be corrected alike.
//
// Bodies differ in size, build and pose, so a correction is kept in the frame of its limb and in thicknesses of it: the
// body's left, up and front, turned by the shortest turn that takes the starter's bone to where the fitted bone points,
// as when a limb of the starter is swung there. Right limbs are mirrored to the left. What is learned is the median
// over characters, component by component, and it is worth offering only where it has been measured to help: each
// character is predicted from the others (leave one out; Stone 1974, Journal of the Royal Statistical Society B 36), and
// the fit must come nearer to where a person put the joint.
package housestyle

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"

	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// What a habit rests on at least: corrected characters, the share of the characters that it brings nearer, and the
	// share of the distance that is left. Set on strangers of four seeds (bench house): two characters agree by chance,
	// and with three of them no seed came out farther from the rigger than the fit alone.
	leastCount = 3
	leastShare = 0.6
	helps      = 0.9
	// leastOffset is how far, in thicknesses, a habit is from the fit at least.
	leastOffset = 0.03
	// mostOffset is how far, in thicknesses, a correction is at the most: what went farther was another limb's place.
	mostOffset = 10
	// habitsLimit is how many habits a style may have.
	habitsLimit = 1000
)

// Habit is how a production places one kind of joint.
type Habit struct {
	Starter string `json:"starter"` // the kind of skeleton
	Joint   string `json:"joint"`   // of the starter, without its side
	// Offset is from where the fit places it to where a person does, in thicknesses of the limb: X away from the middle
	// (0 for joints of the middle), Y up and Z to the front, of the starter's pose, swung along with the limb.
	Offset r3.Vec `json:"offset"`
	Count  int    `json:"count"` // characters on which it was corrected
	Of     int    `json:"of"`    // characters of that starter with corrections
	// Before and After are how far the fit, and the fit with the habit learned from the other characters, are from where
	// a person left the joint: the mean over characters, in thicknesses.
	Before float64 `json:"before"`
	After  float64 `json:"after"`
}

// Style is how a production places joints.
type Style struct {
	Habits []Habit `json:"habits"`
}

// Check reports a style that is none, as a file may hold.
func (s Style) Check() error {
	if len(s.Habits) > habitsLimit {
		return fmt.Errorf("a house style has at most %d habits, not %d", habitsLimit, len(s.Habits))
	}
	for i, h := range s.Habits {
		switch {
		case h.Joint == "" || len(h.Joint) > 63:
			return fmt.Errorf("habit %d of the house style names no joint", i+1)
		case !geom.Finite(h.Offset) || r3.Norm(h.Offset) > mostOffset:
			return fmt.Errorf("the offset of %s in the house style is not one of at most %d thicknesses", h.Joint, mostOffset)
		case h.Count < 0 || h.Of < h.Count || !(h.Before >= 0) || !(h.After >= 0):
			return fmt.Errorf("what the habit of %s rests on is not valid", h.Joint)
		}
	}
	return nil
}

// Of returns the habits of one kind of skeleton.
func (s Style) Of(starter string) (out []Habit) {
	for _, h := range s.Habits {
		if h.Starter == starter {
			out = append(out, h)
		}
	}
	return out
}

// Learn returns the habits that the fits of a production's characters show, those that bring a joint nearest to its
// place first. Characters on which nothing was corrected say nothing: nobody may have looked at them yet.
func Learn(fits []*fit.Report) Style {
	type kind struct{ starter, joint string }
	seen, corrected := map[kind][]r3.Vec{}, map[kind]int{}
	for _, r := range fits {
		if r == nil || !slices.ContainsFunc(slices.Collect(maps.Values(r.Fitted)), func(l fit.Fitted) bool { return l.ByHand }) {
			continue
		}
		for joint, k := range bySide(r) {
			seen[kind{r.Starter, joint}] = append(seen[kind{r.Starter, joint}], k.at)
			if k.byHand {
				corrected[kind{r.Starter, joint}]++
			}
		}
	}
	var out Style
	for k, count := range corrected {
		list := seen[k]
		h := Habit{Starter: k.starter, Joint: k.joint, Offset: median(list), Count: count, Of: len(list)}
		if count < leastCount || r3.Norm(h.Offset) < leastOffset || r3.Norm(h.Offset) > mostOffset {
			continue
		}
		nearer, n := 0, float64(len(list))
		for i, at := range list {
			before, after := r3.Norm(at), r3.Norm(r3.Sub(at, median(slices.Delete(slices.Clone(list), i, i+1))))
			h.Before, h.After = h.Before+before/n, h.After+after/n
			if after < before {
				nearer++
			}
		}
		if h.After <= helps*h.Before && float64(nearer) >= leastShare*n {
			out.Habits = append(out.Habits, h)
		}
	}
	slices.SortFunc(out.Habits, func(a, b Habit) int {
		return cmp.Or(cmp.Compare(a.Starter, b.Starter), -cmp.Compare(a.Before-a.After, b.Before-b.After), cmp.Compare(a.Joint, b.Joint))
	})
	if len(out.Habits) > habitsLimit {
		out.Habits = out.Habits[:habitsLimit]
	}
	return out
}

// moved is where the joints of one kind were left on a character.
type moved struct {
	at     r3.Vec
	byHand bool
}

// bySide returns where each kind of joint was left, the mean of both sides; where just one side was placed by hand, that.
func bySide(r *fit.Report) map[string]moved {
	sides := map[string][]fit.Fitted{}
	for _, l := range r.Fitted {
		stem, _ := skeleton.DefaultMarks.Split(l.Kind)
		sides[stem] = append(sides[stem], l)
	}
	out := map[string]moved{}
	for stem, list := range sides {
		hand := slices.DeleteFunc(slices.Clone(list), func(l fit.Fitted) bool { return !l.ByHand })
		if len(hand) > 0 {
			list = hand
		}
		var sum r3.Vec
		for _, l := range list {
			sum = r3.Add(sum, l.Moved)
		}
		out[stem] = moved{r3.Scale(1/float64(len(list)), sum), len(hand) > 0}
	}
	return out
}

// median is the middle of offsets, component by component; of none, 0.
func median(list []r3.Vec) r3.Vec {
	of := func(get func(r3.Vec) float64) float64 {
		n := len(list)
		if n == 0 {
			return 0
		}
		sorted := make([]float64, n)
		for i, v := range list {
			sorted[i] = get(v)
		}
		slices.Sort(sorted)
		return (sorted[(n-1)/2] + sorted[n/2]) / 2
	}
	return r3.Vec{
		X: of(func(v r3.Vec) float64 { return v.X }),
		Y: of(func(v r3.Vec) float64 { return v.Y }),
		Z: of(func(v r3.Vec) float64 { return v.Z }),
	}
}

// frames are those of the limbs of a character that was fitted.
type frames struct {
	body    quat.Number // takes the starter's frame to the world
	starter *skeleton.Skeleton
}

// framesOf returns the frames of the limbs of a fit; false where its starter has none, or the body no middle.
func framesOf(r *fit.Report) (frames, bool) {
	if r.Starter == "chain" || r.Starter == "empty" || r.Starter == "shape" || r3.Norm(r.Left) == 0 || r3.Norm(r.Facing) == 0 {
		return frames{}, false
	}
	p := r.Params
	if p.Height == 0 {
		p.Height = 1
	}
	starter, err := p.Build()
	if err != nil {
		return frames{}, false
	}
	return frames{geom.FromAxes(r.Left, r3.Cross(r.Facing, r.Left), r.Facing), starter}, true
}

// of is the frame of a joint, and whether what it holds is mirrored; false for what the starter does not have.
func (f frames) of(s *skeleton.Skeleton, i int, kind string) (frame quat.Number, side skeleton.Side, ok bool) {
	k := f.starter.Index(kind)
	if k < 0 {
		return quat.Number{}, skeleton.Centre, false
	}
	frame = f.body
	from, to := geom.Rotate(f.body, f.starter.Along(k)), s.Along(i)
	if r3.Norm(from) > 0 && r3.Norm(to) > 0 {
		frame = quat.Mul(geom.Between(from, to), f.body)
	}
	return frame, skeleton.DefaultMarks.Of(kind), true
}

// folded brings an offset of one side to the left's; it is its own inverse.
func folded(v r3.Vec, side skeleton.Side) r3.Vec {
	switch side {
	case skeleton.Right:
		v.X = -v.X
	case skeleton.Centre:
		v.X = 0
	}
	return v
}

// Corrected returns the report with what moved between two skeletons remembered; the joints of byHand were placed by a
// person, the others went along. It is the same report where nothing is to be remembered.
func Corrected(r *fit.Report, before, after *skeleton.Skeleton, byHand func(i int) bool) *fit.Report {
	if r == nil || len(r.Fitted) == 0 {
		return r
	}
	f, ok := framesOf(r)
	if !ok || len(before.Joints) != len(after.Joints) {
		return r
	}
	out := *r
	out.Fitted = maps.Clone(r.Fitted)
	for i, j := range before.Joints {
		l, known := r.Fitted[j.Name]
		by := r3.Sub(after.Joints[i].Pos, j.Pos)
		if !known || l.Thickness <= 0 || r3.Norm(by) == 0 {
			continue
		}
		// Of the bone before it was moved: the limb's own direction, not what moving one end of it makes of that.
		frame, side, ok := f.of(before, i, l.Kind)
		if !ok {
			continue
		}
		l.Moved = r3.Add(l.Moved, folded(r3.Scale(1/l.Thickness, geom.Rotate(quat.Conj(frame), by)), side))
		l.ByHand = l.ByHand || byHand(i)
		out.Fitted[j.Name] = l
	}
	return &out
}

// Place is where the house style puts a joint of a character.
type Place struct {
	Joint  string
	Habit  Habit
	To     r3.Vec  // world metres
	By     float64 // metres from where it is
	Before float64 // metres that the fit was off on other characters, at this limb's thickness
	After  float64 // and that it is off with the habit
}

// Places returns where the habits put the joints of a character, in the order of its joints: of those that stand where
// the fit put them, not those that a person has placed, pinned or locked.
func (s Style) Places(r *fit.Report, sk *skeleton.Skeleton) []Place {
	if r == nil || sk == nil {
		return nil
	}
	f, ok := framesOf(r)
	if !ok {
		return nil
	}
	habits := map[string]Habit{}
	for _, h := range s.Of(r.Starter) {
		habits[h.Joint] = h
	}
	var out []Place
	for i, j := range sk.Joints {
		l, known := r.Fitted[j.Name]
		stem, _ := skeleton.DefaultMarks.Split(l.Kind)
		h, has := habits[stem]
		if !known || !has || l.ByHand || j.Pinned || j.Locked {
			continue
		}
		frame, side, ok := f.of(sk, i, l.Kind)
		if !ok {
			continue
		}
		by := r3.Scale(l.Thickness, geom.Rotate(frame, folded(r3.Sub(h.Offset, l.Moved), side)))
		if far := r3.Norm(by); far > math.Max(1e-4, 0.01*l.Thickness) {
			out = append(out, Place{j.Name, h, r3.Add(j.Pos, by), far, l.Thickness * h.Before, l.Thickness * h.After})
		}
	}
	return out
}
