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
	outsideShare = 0.15 // of a bone outside the mesh
	offCentre    = 4.0  // ratio of the distances to the surface on opposite sides
	limbShare    = 0.14 // of the height: what is thicker is no limb but the trunk
	farShare     = 0.1  // of the height: no mesh near
	sharedShare  = 0.5  // of a limb's radius: bones nearer to each other are in one limb
	oddShare     = 0.4  // relative difference from the usual proportion
)

// bones outside the mesh, by samples along each.
func (s *Skeleton) bonesOutside(solid *geom.Tree) []finding.Finding {
	const samples = 9
	deform := s.Deforming()
	children := s.Children()
	var names []string
	worst := 0.0
	for i, j := range s.Joints {
		if !deform[i] {
			continue
		}
		for _, c := range children[i] {
			if math.Abs(solid.Winding(j.Pos)) < 0.5 && math.Abs(solid.Winding(s.Joints[c].Pos)) < 0.5 {
				continue // the joints themselves are told of
			}
			out := 0
			for k := range samples {
				p := r3.Add(j.Pos, r3.Scale((float64(k)+0.5)/samples, r3.Sub(s.Joints[c].Pos, j.Pos)))
				if math.Abs(solid.Winding(p)) < 0.5 {
					out++
				}
			}
			if share := float64(out) / samples; share > outsideShare && !slices.Contains(names, j.Name) {
				names = append(names, j.Name)
				worst = math.Max(worst, share)
			}
		}
	}
	if names == nil {
		return nil
	}
	return []finding.Finding{{Code: "bone_outside", Severity: finding.Harms, Count: len(names),
		Title:    wording.Count(len(names), "bone leaves the mesh", "bones leave the mesh"),
		Why:      "Vertices do not see the part of a bone that is outside. Where the chain cuts a corner a joint is missing there; where it crosses a gap between two surfaces, such as a skirt and a leg, its ends belong elsewhere: move them.",
		Evidence: []finding.Evidence{{What: "largest part outside", Value: worst, Limit: outsideShare}},
		Where:    finding.Where{Joints: names},
		Data:     Ends(childNames(s, names))}}
}

// sharedLimbs reports bones of different chains that run side by side in one limb, such as
// those of two fingers in one: the middle of one lies nearer to the other than half of what
// the limb is thick there, and they point alike.
func (s *Skeleton) sharedLimbs(solid *geom.Tree, height float64) []finding.Finding {
	type bone struct {
		joint, child int
		mid, along   r3.Vec
		radius       float64
	}
	deform, children := s.Deforming(), s.Children()
	var bones []bone
	for i, j := range s.Joints {
		if !deform[i] || len(children[i]) != 1 {
			continue
		}
		d := r3.Sub(s.Joints[children[i][0]].Pos, j.Pos)
		if r3.Norm(d) == 0 {
			continue
		}
		b := bone{joint: i, child: children[i][0], mid: r3.Add(j.Pos, r3.Scale(0.5, d)), along: r3.Unit(d)}
		if math.Abs(solid.Winding(b.mid)) < 0.5 {
			continue
		}
		b.radius = math.Inf(1)
		u := r3.Unit(anyAcross(b.along))
		for _, across := range [2]r3.Vec{u, r3.Cross(b.along, u)} {
			p, okP := firstHit(solid, b.mid, across, height)
			q, okQ := firstHit(solid, b.mid, r3.Scale(-1, across), height)
			if okP && okQ {
				b.radius = math.Min(b.radius, (p+q)/2)
			}
		}
		if b.radius < limbShare/2*height {
			bones = append(bones, b)
		}
	}
	slices.SortStableFunc(bones, func(a, b bone) int { return cmp.Compare(a.mid.X, b.mid.X) })
	var names []string
	worst := math.Inf(1)
	for k, a := range bones {
		for _, b := range bones[k+1:] {
			if b.mid.X-a.mid.X > limbShare/2*height {
				break
			}
			same := s.Joints[a.joint].Parent == s.Joints[b.joint].Parent || a.child == b.joint || b.child == a.joint
			if same || math.Abs(r3.Dot(a.along, b.along)) < 0.7 {
				continue
			}
			// In the middle of both, so that bones that follow one another do not count.
			p, _ := geom.ClosestOnSegment(a.mid, s.Joints[b.joint].Pos, s.Joints[b.child].Pos)
			q, _ := geom.ClosestOnSegment(b.mid, s.Joints[a.joint].Pos, s.Joints[a.child].Pos)
			off := math.Max(r3.Norm(r3.Sub(p, a.mid)), r3.Norm(r3.Sub(q, b.mid))) / math.Min(a.radius, b.radius)
			if off < sharedShare {
				worst = math.Min(worst, off)
				for _, i := range [2]int{a.joint, b.joint} {
					if !slices.Contains(names, s.Joints[i].Name) {
						names = append(names, s.Joints[i].Name)
					}
				}
			}
		}
	}
	if names == nil {
		return nil
	}
	return []finding.Finding{{Code: "shared_limb", Severity: finding.Harms, Count: len(names),
		Title:    wording.Count(len(names), "bone shares a limb with another chain's", "bones of different chains share a limb"),
		Why:      "Two chains in one finger or limb share its skin between them, and another finger has none. Mark the tips and fit again, or move one of them by hand.",
		Evidence: []finding.Evidence{{What: "distance over the limb's radius", Value: worst, Limit: sharedShare}},
		Where:    finding.Where{Joints: names}}}
}

func childNames(s *Skeleton, names []string) []string {
	children := s.Children()
	var out []string
	for _, n := range names {
		for _, c := range children[s.Index(n)] {
			out = append(out, s.Joints[c].Name)
			break
		}
	}
	return out
}

// offMiddle reports joints within a limb that lie much nearer to one side of the
// surface than to the other.
func (s *Skeleton) offMiddle(solid *geom.Tree, height float64, x Marks) []finding.Finding {
	children := s.Children()
	pairs := s.Pairs(x)
	var names []string
	worst := 0.0
	for i, j := range s.Joints {
		if j.Parent < 0 || len(children[i]) != 1 || math.Abs(solid.Winding(j.Pos)) < 0.5 {
			continue
		}
		if j.Pos.Y < solid.Box().Min.Y+0.06*height {
			continue // a foot's joints lie near the ground that it stands on
		}
		axis := r3.Sub(s.Joints[children[i][0]].Pos, s.Joints[j.Parent].Pos)
		if r3.Norm(axis) == 0 {
			continue
		}
		if pairs.Sides[i] == Centre {
			continue // a spine lies under the back, not in the middle
		}
		if ratio := squareness(solid, j.Pos, r3.Unit(axis), height); ratio > offCentre {
			names = append(names, j.Name)
			worst = math.Max(worst, ratio)
		}
	}
	if names == nil {
		return nil
	}
	return []finding.Finding{{Code: "off_middle", Severity: finding.Note, Count: len(names),
		Title:    wording.Count(len(names), "joint is off center in its limb", "joints are off center in their limbs"),
		Why:      "The skin bends about the joint: skin near it creases, skin far from it swings. Knees and elbows may lie a little forward or back on purpose.",
		Evidence: []finding.Evidence{{What: "farther over nearer side", Value: worst, Limit: offCentre}},
		Where:    finding.Where{Joints: names}}}
}

// squareness returns the largest ratio of the distances to the surface in
// opposite directions square to an axis; 1 where the limb is flat, as a wing is,
// since its bones lie at an edge, and in the trunk. reach is the height.
func squareness(solid *geom.Tree, p, axis r3.Vec, reach float64) float64 {
	u := r3.Unit(anyAcross(axis))
	w := r3.Cross(axis, u)
	worst, thick, thin := 1.0, 0.0, math.Inf(1)
	for k := range 4 {
		sin, cos := math.Sincos(math.Pi * float64(k) / 4)
		d := r3.Add(r3.Scale(cos, u), r3.Scale(sin, w))
		a, okA := firstHit(solid, p, d, reach)
		b, okB := firstHit(solid, p, r3.Scale(-1, d), reach)
		if okA && okB {
			worst = math.Max(worst, math.Max(a, b)/math.Max(1e-9, math.Min(a, b)))
			thick, thin = math.Max(thick, a+b), math.Min(thin, a+b)
		}
	}
	if thick > 2.2*thin || thick > limbShare*reach {
		return 1
	}
	return worst
}

func anyAcross(axis r3.Vec) r3.Vec {
	if math.Abs(axis.X) < 0.8 {
		return r3.Cross(axis, r3.Vec{X: 1})
	}
	return r3.Cross(axis, r3.Vec{Y: 1})
}

func firstHit(solid *geom.Tree, p, d r3.Vec, reach float64) (float64, bool) {
	for _, h := range solid.Hits(p, d, geom.SameShare*reach, reach) {
		return h.T, true
	}
	return 0, false
}

// CentreAcross returns the middle of the limb around a place, square to an axis:
// the mean of the middles between opposite hits in eight directions, found again
// from there. A place outside is first brought in, to the middle of the stretch
// behind the nearest place of the surface. ok is false where there is no volume.
func CentreAcross(solid *geom.Tree, p, axis r3.Vec, reach float64) (r3.Vec, bool) {
	if solid.Len() == 0 || r3.Norm(axis) == 0 {
		return p, false
	}
	if math.Abs(solid.Winding(p)) < 0.5 {
		_, skin, d := solid.Nearest(p)
		if d == 0 {
			return p, false
		}
		in, ok := CentreAlong(solid, p, r3.Sub(skin, p))
		if !ok {
			return p, false
		}
		p = in
	}
	axis = r3.Unit(axis)
	u := r3.Unit(anyAcross(axis))
	w := r3.Cross(axis, u)
	for range 4 {
		var sum r3.Vec
		n := 0.0
		for k := range 8 {
			sin, cos := math.Sincos(math.Pi * float64(k) / 8)
			d := r3.Add(r3.Scale(cos, u), r3.Scale(sin, w))
			a, okA := firstHit(solid, p, d, reach)
			b, okB := firstHit(solid, p, r3.Scale(-1, d), reach)
			if okA && okB {
				sum = r3.Add(sum, r3.Scale((a-b)/2, d))
				n++
			}
		}
		if n == 0 {
			return p, false
		}
		// Eight directions over half a turn: twice the mean is the way to the middle.
		p = r3.Add(p, r3.Scale(1.2/n, sum))
	}
	return p, true
}

// CentreAlong returns the middle between entry and exit of the mesh along a ray,
// of the first stretch inside.
func CentreAlong(solid *geom.Tree, from, dir r3.Vec) (r3.Vec, bool) {
	if r3.Norm(dir) == 0 {
		return from, false
	}
	dir = r3.Unit(dir)
	hits := solid.Hits(from, dir, 0, math.Inf(1))
	for k := 0; k+1 < len(hits); k++ {
		mid := r3.Add(from, r3.Scale((hits[k].T+hits[k+1].T)/2, dir))
		if hits[k+1].T-hits[k].T > geom.SameShare*solid.Box().Diagonal() && math.Abs(solid.Winding(mid)) > 0.5 {
			return mid, true
		}
	}
	return from, false
}

// hierarchy reports several roots, names that will not do, and joints that no
// mesh is near.
func (s *Skeleton) hierarchy(solid *geom.Tree, height float64) []finding.Finding {
	var out []finding.Finding
	var roots, bad, far []string
	worst := 0.0
	for _, j := range s.Joints {
		if j.Parent < 0 {
			roots = append(roots, j.Name)
		}
		if !legalName.MatchString(j.Name) {
			bad = append(bad, j.Name)
		}
		if solid != nil && solid.Len() > 0 {
			if _, _, d := solid.Nearest(j.Pos); d > farShare*height && math.Abs(solid.Winding(j.Pos)) < 0.5 {
				far = append(far, j.Name)
				worst = math.Max(worst, d)
			}
		}
	}
	if len(roots) > 1 {
		whole := 0
		children := s.Children()
		for i, j := range s.Joints {
			if j.Parent < 0 && len(children[i]) > 0 {
				whole++
			}
		}
		out = append(out, finding.Finding{Code: "several_roots", Severity: finding.Harms, Count: len(roots),
			Title: severalRoots(whole, len(roots)),
			Why:   "A character has one root; most programs keep the first root and lose the rest.",
			Evidence: []finding.Evidence{
				{What: "roots", Value: float64(len(roots)), Limit: 1},
				{What: "of them with a skeleton of their own", Value: float64(whole), Limit: 1},
			},
			Where: finding.Where{Joints: roots}})
	}
	if bad != nil {
		out = append(out, finding.Finding{Code: "odd_names", Severity: finding.Note, Count: len(bad),
			Title:    wording.Count(len(bad), "name may change on export", "names may change on export"),
			Why:      "Other programs replace spaces and symbols, so clips lose their joints.",
			Evidence: []finding.Evidence{{What: "names beyond letters, digits, underscore", Value: float64(len(bad)), Limit: 0}},
			Where:    finding.Where{Joints: bad},
			Data:     Names(legalised(s, bad))})
	}
	if far != nil {
		out = append(out, finding.Finding{Code: "no_mesh_near", Severity: finding.Note, Count: len(far),
			Title:    wording.Count(len(far), "joint has no mesh nearby", "joints have no mesh nearby"),
			Why:      "It moves nothing. Fine for a root or a handle; otherwise move it.",
			Evidence: []finding.Evidence{{What: "farthest from the surface", Value: worst, Limit: farShare * height, Unit: "m"}},
			Where:    finding.Where{Joints: far}})
	}
	return out
}

// severalRoots tells skeletons beside each other from single joints that were left.
func severalRoots(whole, roots int) string {
	switch {
	case whole < 2:
		return fmt.Sprintf("%d joints have no parent", roots)
	case whole == roots:
		return fmt.Sprintf("There are %d skeletons", whole)
	default:
		return fmt.Sprintf(
			"There are %d skeletons and %s",
			whole,
			wording.Count(roots-whole, "joint without a parent", "joints without a parent"),
		)
	}
}

// legalised returns names made of what is legal in the given ones.
func legalised(s *Skeleton, names []string) map[string]string {
	taken := map[string]bool{}
	for _, j := range s.Joints {
		taken[j.Name] = true
	}
	out := map[string]string{}
	for _, n := range names {
		clean := strings.Map(func(r rune) rune {
			if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '_' {
				return r
			}
			return '_'
		}, n)
		if clean == "" || clean[0] >= '0' && clean[0] <= '9' {
			clean = "j_" + clean
		}
		if len(clean) > 58 {
			clean = clean[:58]
		}
		out[n] = freeName(clean, DefaultMarks, taken)
	}
	return out
}

// wrongBend reports knees that bend back and elbows that bend forward the wrong
// way, by the names of the starters: seen from the side, a knee lies ahead of the
// line from hip to ankle, an elbow behind the line from shoulder to wrist. Beasts
// bend as their starters do, which the same test fits.
func (s *Skeleton) wrongBend(x Marks) []finding.Finding {
	if s.turned(x) > turnedLimit {
		return nil
	}
	var names []string
	var to Places
	worst, all := 0.0, s.Children()
	for i, j := range s.Joints {
		stem, _ := x.Split(j.Name)
		sign := map[string]float64{"shank": 1, "forearm": -1}[stem]
		children := all[i]
		if sign == 0 || j.Parent < 0 || len(children) != 1 {
			continue
		}
		a, b := s.Joints[j.Parent].Pos, s.Joints[children[0]].Pos
		line := r3.Sub(b, a)
		if r3.Norm(line) == 0 {
			continue
		}
		line = r3.Unit(line)
		q := r3.Sub(j.Pos, a)
		off := r3.Sub(q, r3.Scale(r3.Dot(q, line), line))
		if off.Z*sign < 0 && s.Bend(i) > 3*math.Pi/180 {
			names = append(names, j.Name)
			worst = math.Max(worst, s.Bend(i)*180/math.Pi)
			to = append(to, Place{j.Name, r3.Sub(j.Pos, r3.Vec{Z: 2 * off.Z})})
		}
	}
	if names == nil {
		return nil
	}
	return []finding.Finding{{Code: "wrong_bend", Severity: finding.Harms, Count: len(names),
		Title:    wording.Count(len(names), "limb bends the wrong way at rest", "limbs bend the wrong way at rest"),
		Why:      "IK keeps the direction of the rest pose, so knees will bend backward and elbows forward.",
		Evidence: []finding.Evidence{{What: "bend the wrong way", Value: worst, Limit: 3, Unit: "°"}},
		Where:    finding.Where{Joints: names},
		Data:     to}}
}

// standing is how tall a two-legged skeleton is when it stands, by its bones: from the end of the head down to the ankle
// and from there to the ground; 0 where these are not all there.
func (s *Skeleton) standing(x Marks) float64 {
	sum := 0.0
	i := s.Index("head_end")
	for ; i >= 0 && s.Joints[i].Parent >= 0; i = s.Joints[i].Parent {
		sum += s.boneLength(i)
	}
	for _, name := range []string{"shank", "foot"} {
		k := s.Index(x.Join(name, Left))
		if i < 0 || k < 0 {
			return 0
		}
		sum += s.boneLength(k)
	}
	return sum / (1 - AnkleHeight)
}

// proportions holds the limbs of a two-legged skeleton against the published
// shares of body height (Drillis & Contini 1966). Stylised characters differ on
// purpose, so it is a note.
func (s *Skeleton) proportions(height float64, x Marks) []finding.Finding {
	at := func(name string) (r3.Vec, bool) {
		i := s.Index(name)
		if i < 0 {
			return r3.Vec{}, false
		}
		return s.Joints[i].Pos, true
	}
	if _, ok := at("head_end"); !ok || height == 0 {
		return nil
	}
	height = math.Max(height, s.standing(x)) // who sits is as tall as he stands
	var names []string
	var e []finding.Evidence
	for _, side := range [2]Side{Left, Right} {
		for _, seg := range []struct {
			a, b string
			want float64
		}{{"upper_arm", "forearm", UpperArm}, {"forearm", "hand", Forearm}, {"thigh", "shank", HipHeight - KneeHeight}, {"shank", "foot", KneeHeight - AnkleHeight}} {
			p, ok := at(x.Join(seg.a, side))
			q, ok2 := at(x.Join(seg.b, side))
			if !ok || !ok2 || s.Index("tail_1") >= 0 {
				continue
			}
			if got := r3.Norm(r3.Sub(p, q)) / height; math.Abs(got-seg.want) > oddShare*seg.want {
				names = append(names, x.Join(seg.a, side))
				if len(e) < 3 {
					e = append(e, finding.Evidence{What: x.Join(seg.a, side) + " over the height", Value: got, Limit: seg.want})
				}
			}
		}
	}
	if names == nil {
		return nil
	}
	return []finding.Finding{{Code: "odd_proportions", Severity: finding.Note, Count: len(names),
		Title:    wording.Count(len(names), "bone has an unusual length", "bones have unusual lengths"),
		Why:      "Fine for a stylized character; otherwise a joint at its end is off.",
		Evidence: e, Where: finding.Where{Joints: names}}}
}

// shoulders reports shoulder joints too far in or out: over the half breadth of
// the body at their height, outside the skin's reach.
func (s *Skeleton) shoulders(solid *geom.Tree, height float64, x Marks) []finding.Finding {
	var names []string
	worst := 0.0
	for _, side := range [2]Side{Left, Right} {
		i := s.Index(x.Join("upper_arm", side))
		if i < 0 {
			continue
		}
		k := s.Children()[i]
		if len(k) == 0 || math.Abs(solid.Winding(s.Joints[i].Pos)) < 0.5 {
			continue
		}
		// The limb's radius in the middle of the upper arm against the room over the
		// joint: in the deltoid both are alike.
		mid := r3.Scale(0.5, r3.Add(s.Joints[i].Pos, s.Joints[k[0]].Pos))
		_, _, radius := solid.Nearest(mid)
		_, _, room := solid.Nearest(s.Joints[i].Pos)
		if radius == 0 {
			continue
		}
		if ratio := room / radius; ratio > 2.4 || ratio < 0.4 {
			names = append(names, s.Joints[i].Name)
			worst = math.Max(worst, math.Max(ratio, 1/math.Max(ratio, 1e-9)))
		}
	}
	if names == nil {
		return nil
	}
	return []finding.Finding{{Code: "shoulder_depth", Severity: finding.Note, Count: len(names),
		Title:    wording.Count(len(names), "shoulder joint is too far in or out", "shoulder joints are too far in or out"),
		Why:      "Too far in, raising the arm drags the chest along; too far out, the shoulder breaks.",
		Evidence: []finding.Evidence{{What: "room around the joint over the arm's radius", Value: worst, Limit: 2.4}},
		Where:    finding.Where{Joints: names}}}
}
