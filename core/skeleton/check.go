package skeleton

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/wording"

	"gonum.org/v1/gonum/spatial/r3"
)

const (
	// AxisLimit is how far, in radians, an aim axis may be off its bone.
	AxisLimit = 1.0 * math.Pi / 180
	sideLimit = 0.01 // of the height, between a joint and its partner's mirror image
	// Sure is the confidence above which a fitted joint counts as sure: over the sixty
	// variants of the demo 95 % and more of such joints lie within 3 % of the height of
	// their true places (bench/).
	Sure      = 0.8
	bendLimit = 1.5 * math.Pi / 180
	nearLimit = 0.002 // of the height, between joints that count as coincident
)

// What some findings carry as their Data, by code.
type (
	// Ends are the joints at which the bones of bone_outside end.
	Ends []string
	// Names are new names for odd_names, by the old ones.
	Names map[string]string
	// Place is where a joint would be, in the world.
	Place struct {
		Joint string
		To    r3.Vec
	}
	// Places are where the joints of wrong_bend would bend the right way.
	Places []Place
	// Turn is the angle in degrees about +Y by which sides_turned would face front.
	Turn float64
	// Lefts are the left joints of sides_differ.
	Lefts []string
	// Parents are pairs of joint and parent, each of which would make the first of
	// pairs_hung_unlike alike.
	Parents [][2]string
	// Partners are the partners of axes_unlike_partner.
	Partners []string
	// RotationOrders are safer orders for the joints of gimbal_lock.
	RotationOrders map[string]string
)

// CheckPlacement measures where the joints stand against the mesh, gravest
// first. solid is the mesh's tree, or nil to leave it out. Helper joints stand where they serve best, on others too.
func (s *Skeleton) CheckPlacement(solid *geom.Tree, x Marks) []finding.Finding {
	s = s.WithoutHelpers()
	var out []finding.Finding
	height := s.Height()
	if solid != nil {
		height = math.Max(height, solid.Box().Size().Y)
		out = append(out, s.outside(solid, height)...)
		out = append(out, s.bonesOutside(solid)...)
	}
	out = append(out, s.hierarchy(solid, height)...)
	out = append(out, s.coincident(height)...)
	out = append(out, s.straight(x)...)
	out = append(out, s.wrongBend(x)...)
	out = append(out, s.sides(height, x)...)
	out = append(out, s.proportions(height, x)...)
	if solid != nil {
		out = append(out, s.offMiddle(solid, height, x)...)
		out = append(out, s.shoulders(solid, height, x)...)
		out = append(out, s.sharedLimbs(solid, height)...)
	}
	out = append(out, s.unsure()...)
	slices.SortStableFunc(out, func(a, b finding.Finding) int { return cmp.Compare(a.Severity.Rank(), b.Severity.Rank()) })
	return out
}

func (s *Skeleton) outside(solid *geom.Tree, height float64) []finding.Finding {
	deform := s.Deforming()
	var names []string
	worst := 0.0
	for i, j := range s.Joints {
		if !deform[i] || math.Abs(solid.Winding(j.Pos)) >= 0.5 {
			continue
		}
		_, _, d := solid.Nearest(j.Pos)
		names = append(names, j.Name)
		worst = math.Max(worst, d)
	}
	if names == nil {
		return nil
	}
	return []finding.Finding{{Code: "joint_outside", Severity: finding.Harms, Count: len(names),
		Title:    wording.Count(len(names), "joint is outside the mesh", "joints are outside the mesh"),
		Why:      "Few vertices see a bone outside the mesh, so its joint may get no weights.",
		Evidence: []finding.Evidence{{What: "farthest from the surface", Value: worst, Limit: 0, Unit: "m"}},
		Where:    finding.Where{Joints: names}}}
}

// coincident reports joints that lie on their parents, and joints that lie on one
// another otherwise.
func (s *Skeleton) coincident(height float64) []finding.Finding {
	near := nearLimit * height
	var out []finding.Finding
	var names []string
	shortest := math.Inf(1)
	for _, b := range s.Bones() {
		if l := r3.Norm(r3.Sub(b.A, b.B)); l < near {
			names = append(names, s.Joints[b.Child].Name)
			shortest = math.Min(shortest, l)
		}
	}
	if names != nil {
		out = append(out, finding.Finding{Code: "coincident_joints", Severity: finding.Harms, Count: len(names),
			Title:    wording.Count(len(names), "joint coincides with its parent", "joints coincide with their parents"),
			Why:      "A bone without length has no direction to aim an axis along and no surface of its own to move.",
			Evidence: []finding.Evidence{{What: "shortest bone", Value: shortest, Limit: near, Unit: "m"}},
			Where:    finding.Where{Joints: names}})
	}
	// By X, so that only neighbours are compared.
	order := make([]int, len(s.Joints))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(s.Joints[a].Pos.X, s.Joints[b].Pos.X) })
	closest := math.Inf(1)
	var beside []string
	for k, a := range order {
		for _, b := range order[k+1:] {
			p, q := s.Joints[a], s.Joints[b]
			if q.Pos.X-p.Pos.X >= near {
				break
			}
			if d := r3.Norm(r3.Sub(p.Pos, q.Pos)); d < near && p.Parent != b && q.Parent != a {
				closest = math.Min(closest, d)
				beside = append(beside, p.Name, q.Name)
			}
		}
	}
	if beside == nil {
		return out
	}
	slices.Sort(beside)
	beside = slices.Compact(beside)
	return append(out, finding.Finding{Code: "joints_on_each_other", Severity: finding.Harms, Count: len(beside),
		Title:    fmt.Sprintf("%d joints coincide", len(beside)),
		Why:      "They have different parents but the same position, so the bind splits the skin between them arbitrarily.",
		Evidence: []finding.Evidence{{What: "nearest two", Value: closest, Limit: near, Unit: "m"}},
		Where:    finding.Where{Joints: beside}})
}

// Bend returns the angle in radians at joint i between its parent's bone and
// its own, 0 without both.
func (s *Skeleton) Bend(i int) float64 {
	p := s.Joints[i].Parent
	d := s.aim(i, s.Children())
	if p < 0 || r3.Norm2(d) == 0 {
		return 0
	}
	came := r3.Sub(s.Joints[i].Pos, s.Joints[p].Pos)
	if r3.Norm(came) == 0 {
		return 0
	}
	return math.Acos(math.Max(-1, math.Min(1, r3.Dot(r3.Unit(came), d))))
}

// straight reports the middle joints of limbs that have no bend: those of side
// pairs whose parent and only child are about as long as they are. One straight
// joint after another is a chain, not a limb, and joints named as twists lie
// straight by nature.
func (s *Skeleton) straight(x Marks) []finding.Finding {
	children := s.Children()
	pairs := s.Pairs(x)
	var names []string
	var found []int
	least := math.Inf(1)
	for i, j := range s.Joints {
		if j.Parent < 0 || len(children[i]) != 1 || len(children[j.Parent]) != 1 || pairs.Sides[i] == Centre {
			continue
		}
		k := children[i][0]
		upper := r3.Norm(r3.Sub(j.Pos, s.Joints[j.Parent].Pos))
		lower := r3.Norm(r3.Sub(s.Joints[k].Pos, j.Pos))
		if lower < 0.6*upper || upper < 0.6*lower || len(children[k]) == 0 {
			continue
		}
		if s.Bend(i) < bendLimit && !strings.Contains(strings.ToLower(j.Name), "twist") {
			found = append(found, i)
		}
	}
	for _, i := range found {
		if slices.Contains(found, s.Joints[i].Parent) || slices.Contains(found, children[i][0]) {
			continue
		}
		names = append(names, s.Joints[i].Name)
		least = math.Min(least, s.Bend(i))
	}
	if names == nil {
		return nil
	}
	return []finding.Finding{{Code: "no_bend", Severity: finding.Harms, Count: len(names),
		Title:    wording.Count(len(names), "limb is perfectly straight", "limbs are perfectly straight"),
		Why:      "A straight elbow or knee has no bend direction, so its axis is arbitrary and IK may fold it backward.",
		Evidence: []finding.Evidence{{What: "smallest bend", Value: least * 180 / math.Pi, Limit: bendLimit * 180 / math.Pi}},
		Where:    finding.Where{Joints: names}}}
}

// turnedLimit is how far the way from the right joints to the left ones may lie
// off X before nothing can be said across it.
const turnedLimit = math.Pi / 6

// turned returns the angle between X and the way from right joints to left ones,
// 0 without pairs.
func (s *Skeleton) turned(x Marks) float64 {
	way := s.leftward(x)
	if r3.Norm(way) == 0 {
		return 0
	}
	return math.Acos(math.Max(-1, math.Min(1, r3.Unit(way).X)))
}

// faceFront returns the turn about +Y, in degrees, that brings the left to +X: a
// quarter or a half turn where that is nearly it, since the legs of a walk pull the
// sides askew.
func (s *Skeleton) faceFront(x Marks) float64 {
	way := s.leftward(x)
	angle := math.Atan2(way.Z, way.X) * 180 / math.Pi
	if q := 90 * math.Round(angle/90); q != 0 && math.Abs(angle-q) < 20 {
		return q
	}
	return math.Round(angle)
}

// leftward sums the ways from right joints to left ones, of those with one parent, as thighs below the hips
// and clavicles below the chest: the limbs of a body that walks or looks back lie otherwise. Where none do, of all.
func (s *Skeleton) leftward(x Marks) r3.Vec {
	var girdles, all r3.Vec
	pairs := s.Pairs(x)
	for i, j := range s.Joints {
		k := pairs.Partner[i]
		if k < 0 || pairs.Sides[i] != Left {
			continue
		}
		way := r3.Sub(j.Pos, s.Joints[k].Pos)
		all = r3.Add(all, way)
		if j.Parent == s.Joints[k].Parent {
			girdles = r3.Add(girdles, way)
		}
	}
	if r3.Norm(girdles) > 1e-3*r3.Norm(all) {
		return girdles
	}
	return all
}

const (
	// posedLimit is how far, as a share of the height, a joint is from its partner's mirror image where that may be a pose.
	posedLimit = 0.04
	// alikeLimit is by how much, as a share of the height, both bones of a pair then differ in length at the most: more
	// than fits of 26 posed bodies did (1.6 %), but for three with a limb that was off.
	alikeLimit = 0.02
)

// boneLength is how far a joint is from its parent.
func (s *Skeleton) boneLength(i int) float64 {
	if p := s.Joints[i].Parent; p >= 0 {
		return r3.Norm(r3.Sub(s.Joints[i].Pos, s.Joints[p].Pos))
	}
	return 0
}

func (s *Skeleton) sides(height float64, x Marks) []finding.Finding {
	pairs := s.Pairs(x)
	var differ, left, alone []string
	worst, longer := 0.0, 0.0
	for i, j := range s.Joints {
		if pairs.Sides[i] == Centre {
			continue
		}
		k := pairs.Partner[i]
		if k < 0 {
			alone = append(alone, j.Name)
			continue
		}
		if gap := r3.Norm(r3.Sub(Mirrored(j.Pos, pairs.Plane), s.Joints[k].Pos)); gap > sideLimit*height && pairs.Sides[i] == Left {
			differ, left = append(differ, j.Name, s.Joints[k].Name), append(left, j.Name)
			worst = math.Max(worst, gap)
			longer = math.Max(longer, math.Abs(s.boneLength(i)-s.boneLength(k)))
		}
	}
	var out []finding.Finding
	if alone != nil {
		out = append(out, finding.Finding{Code: "no_partner", Severity: finding.Note, Count: len(alone),
			Title:    wording.Count(len(alone), "joint has no partner", "joints have no partner"),
			Why:      "Edits to one side cannot be mirrored.",
			Evidence: []finding.Evidence{{What: "joints without partner", Value: float64(len(alone)), Limit: 0}},
			Where:    finding.Where{Joints: alone},
			Data:     pairs.Sides[s.Index(alone[0])]})
	}
	out = append(out, s.hungUnlike(pairs)...)
	if angle := s.turned(x); angle > turnedLimit {
		return append(out, finding.Finding{Code: "sides_turned", Severity: finding.Harms, Count: 1,
			Title: "Left and right are not along X",
			Why:   "Pairs, mirroring and bend direction are measured across X, so they cannot be checked.",
			Evidence: []finding.Evidence{
				{What: "right to left, off X", Value: angle * 180 / math.Pi, Limit: turnedLimit * 180 / math.Pi, Unit: "°"},
			},
			Data: Turn(s.faceFront(x))})
	}
	if differ != nil && worst > posedLimit*height && longer < math.Min(alikeLimit*height, worst/4) {
		return append(out, finding.Finding{Code: "sides_differ", Severity: finding.Note, Count: len(differ) / 2,
			Title: wording.Count(len(differ)/2, "pair is posed differently", "pairs are posed differently"),
			Why:   "Left and right bones are nearly as long as each other: it is the pose that differs, and mirroring would change it.",
			Evidence: []finding.Evidence{
				{What: "largest difference in length", Value: longer, Limit: alikeLimit * height, Unit: "m"},
			},
			Where: finding.Where{Joints: differ}})
	}
	if differ != nil {
		out = append(out, finding.Finding{Code: "sides_differ", Severity: finding.Note, Count: len(differ) / 2,
			Title:    wording.Count(len(differ)/2, "pair is asymmetric", "pairs are asymmetric"),
			Why:      "The sides will bend at different spots, which suits only an asymmetric character.",
			Evidence: []finding.Evidence{{What: "largest difference", Value: worst, Limit: sideLimit * height, Unit: "m"}},
			Where:    finding.Where{Joints: differ},
			Data:     Lefts(left)})
	}
	return out
}

// hungUnlikeTold is how many pairs that hang unlike are told of in words.
const hungUnlikeTold = 4

// hungUnlike reports pairs whose parents are neither one joint nor a pair themselves, from what to
// what, with both ways to make them alike for the first.
func (s *Skeleton) hungUnlike(pairs Pairs) []finding.Finding {
	name := func(i int) string {
		if i < 0 {
			return "nothing"
		}
		return s.Joints[i].Name
	}
	image := func(i int) int { // of a parent; itself where it has no side
		if i >= 0 && pairs.Partner[i] >= 0 {
			return pairs.Partner[i]
		}
		return i
	}
	var names, told []string
	var ways Parents
	f := finding.Finding{Code: "pairs_hung_unlike", Severity: finding.Harms}
	for i, j := range s.Joints {
		k := pairs.Partner[i]
		if k < 0 || pairs.Sides[i] != Left || s.Joints[k].Parent == image(j.Parent) {
			continue
		}
		f.Count++
		names = append(names, j.Name, s.Joints[k].Name)
		if len(told) < hungUnlikeTold {
			told = append(
				told,
				fmt.Sprintf("%s has parent %s, %s has %s", j.Name, name(j.Parent), s.Joints[k].Name, name(s.Joints[k].Parent)),
			)
		}
		if ways == nil {
			for _, pair := range [][2]int{{k, j.Parent}, {i, s.Joints[k].Parent}} {
				if to := image(pair[1]); to >= 0 {
					ways = append(ways, [2]string{name(pair[0]), name(to)})
				}
			}
		}
	}
	if f.Count == 0 {
		return nil
	}
	f.Title = wording.Count(f.Count, "pair has unlike parents", "pairs have unlike parents")
	f.Why = "What turns one of them does not turn the other, and poses and weights cannot be mirrored. " + strings.Join(told, "; ") + "."
	if n := f.Count - len(told); n > 0 {
		f.Why += fmt.Sprintf(" The other %d are shown in the view.", n)
	}
	f.Evidence = []finding.Evidence{{What: "pairs", Value: float64(f.Count)}}
	f.Where, f.Data = finding.Where{Joints: names}, ways
	return []finding.Finding{f}
}

// reasonsTold is how many reasons the finding of unsure joints names.
const reasonsTold = 4

func (s *Skeleton) unsure() []finding.Finding {
	var names, reasons []string
	by := map[string][]string{} // joints by reason, each reason said once
	confidence := map[string]float64{}
	least := 1.0
	for _, j := range s.Joints {
		if j.Reason == "" || j.Confidence >= Sure {
			continue
		}
		names = append(names, j.Name)
		least = math.Min(least, j.Confidence)
		reason := fmt.Sprintf("%s (%.0f%%)", j.Reason, 100*j.Confidence)
		if by[reason] == nil {
			reasons = append(reasons, reason)
		}
		by[reason] = append(by[reason], j.Name)
		confidence[reason] = j.Confidence
	}
	if names == nil {
		return nil
	}
	// In the order of harm: the least sure first, of those the reason that most joints share.
	slices.SortStableFunc(reasons, func(a, b string) int {
		return cmp.Or(cmp.Compare(confidence[a], confidence[b]), cmp.Compare(len(by[b]), len(by[a])))
	})
	why := "Check them and move any that are off, then accept the others."
	for _, r := range reasons[:min(len(reasons), reasonsTold)] {
		why += fmt.Sprintf("\n%s: %s", strings.Join(by[r], ", "), r)
	}
	if n := len(reasons) - reasonsTold; n > 0 {
		why += fmt.Sprintf("\n%d more reasons are listed at the joints.", n)
	}
	return []finding.Finding{{Code: "unsure_fit", Severity: finding.Note, Count: len(names),
		Title:    wording.Count(len(names), "joint is under 80% sure", "joints are under 80% sure"),
		Why:      why,
		Evidence: []finding.Evidence{{What: "least confidence", Value: least, Limit: Sure, Unit: "%"}},
		Where:    finding.Where{Joints: names}}}
}

// CheckAxes measures the joints' axes against the conventions of their chains, or else c.
func (s *Skeleton) CheckAxes(c Convention, x Marks) []finding.Finding {
	s = s.WithoutHelpers()
	var names []string
	worst := 0.0
	for i, off := range s.AxesOff(c, x) {
		if off > AxisLimit {
			names = append(names, s.Joints[i].Name)
			worst = math.Max(worst, off)
		}
	}
	if names == nil {
		return nil
	}
	return []finding.Finding{{Code: "axis_off_bone", Severity: finding.Harms, Count: len(names),
		Title:    wording.Count(len(names), "joint does not aim along its bone", "joints do not aim along their bones"),
		Why:      "One axis bends and twists at once, and equal values move left and right differently.",
		Evidence: []finding.Evidence{{What: "largest angle in degrees", Value: worst * 180 / math.Pi, Limit: AxisLimit * 180 / math.Pi}},
		Where:    finding.Where{Joints: names}}}
}
