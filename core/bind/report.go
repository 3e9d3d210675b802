// Package bind computes skin weights for a skeleton inside a mesh and reports
// which joints and pieces got a solution and why others did not.
package bind

import (
	"fmt"
	"math"
	"slices"

	"wisemarrow/core/finding"
	"wisemarrow/core/wording"
)

// State of a joint or a piece after a bind.
type State string

const (
	Solved   State = "solved"
	Weak     State = "weak"     // has weights but leads no vertex
	Unsolved State = "unsolved" // moves nothing
	Idle     State = "idle"     // was not asked to deform
)

// JointReport is what became of one joint.
type JointReport struct {
	Name     string  `json:"name"`
	State    State   `json:"state"`
	Vertices int     `json:"vertices"`         // that it leads: its weight is the largest
	Touched  int     `json:"touched"`          // that it moves at all
	Nearest  int     `json:"nearest"`          // whose nearest bone is its
	Heated   int     `json:"heated"`           // of these, how many see the bone
	Peak     float64 `json:"peak"`             // its largest weight
	Outside  float64 `json:"outside"`          // share of its bones outside the mesh
	Cause    string  `json:"cause"`            // why it is not solved; empty if it is
	Reason   string  `json:"reason,omitempty"` // the cause in a word, of ReasonOutside and so on
	// Area is that of its vertices, each by its weight, m²; Reach how far along the surface its
	// weight goes beyond what it leads, metres; Leak the share of its weight on its piece that
	// is cut off from the rest along the surface. Neighbours share most with it.
	Area       float64  `json:"area_m2"`
	Reach      float64  `json:"reach_m"`
	Leak       float64  `json:"leak"`
	Neighbours []string `json:"neighbours,omitempty"`

	cut []int32 // vertices of the leak, the first mostCut
}

// What can keep a joint from leading a vertex.
const (
	ReasonOutside    = "outside"    // its bone lies outside the mesh
	ReasonShort      = "short"      // its bone has no length
	ReasonFar        = "far"        // every vertex is nearer to another bone
	ReasonHidden     = "hidden"     // another surface lies between
	ReasonOutweighed = "outweighed" // the joints around it weigh more everywhere
	ReasonCut        = "cut"        // trace limit or influence cap
	ReasonInside     = "inside"     // it lies within another joint's bone
	ReasonCoarse     = "coarse"     // the mesh has no vertex along its bone
	ReasonScale      = "scale"      // the skeleton is of another size than the mesh
	ReasonUnknown    = "unknown"    // the method knows no more than that it got no vertex
)

// PieceReport is what became of one connected piece of the mesh.
type PieceReport struct {
	Piece    int    `json:"piece"`
	Vertices int    `json:"vertices"`
	State    State  `json:"state"`
	Heated   int    `json:"heated"`
	Cause    string `json:"cause"`
}

// Report is the outcome of a bind.
type Report struct {
	Method     string        `json:"method"`
	Joints     []JointReport `json:"joints"`
	Pieces     []PieceReport `json:"pieces"`
	Unweighted int           `json:"unweighted"`
	Vertices   int           `json:"vertices"`
	Overshoot  float64       `json:"overshoot"` // how far raw weights left [0,1] before clamping
	Negative   int           `json:"negative_edges"`
	Factor     int           `json:"factor_entries"`
	// Ways are how the vertices got their weights, and Said is that in a sentence, of methods
	// that are several.
	Ways []Way  `json:"ways,omitempty"`
	Said string `json:"said,omitempty"`
	// Layers are what lies over the body, in it or beside it; of methods that tell them apart.
	Layers []Layer `json:"layers,omitempty"`
	// Capped is what the influence cap cost; nil where nothing was cut.
	Capped *CapCost `json:"capped,omitempty"`
	// Remains is how far the skin stays from the guide, of weights that were solved for motion; nil of others.
	Remains *Remains `json:"remains,omitempty"`
	// Stray lists the vertices without a solution.
	Stray []int32 `json:"-"`

	sees []bool // by vertex, of a bind by heat
}

// Findings turns the report into findings. Joints of one state and one
// reason are told of together.
func (r *Report) Findings() []finding.Finding {
	var out []finding.Finding
	for _, state := range []State{Unsolved, Weak} {
		var order []string
		by := map[string][]JointReport{}
		for _, j := range r.Joints {
			if j.State != state {
				continue
			}
			reason := j.Reason
			if reason == "" { // a report of before reasons were kept
				reason = j.Cause
			}
			if by[reason] == nil {
				order = append(order, reason)
			}
			by[reason] = append(by[reason], j)
		}
		for _, reason := range order {
			out = append(out, jointsFinding(state, by[reason]))
		}
	}
	if r.Unweighted > 0 {
		pieces := 0
		for _, p := range r.Pieces {
			if p.State == Unsolved {
				pieces++
			}
		}
		out = append(out, finding.Finding{Code: "unweighted_vertices", Severity: finding.Blocks, Count: r.Unweighted,
			Title: wording.Count(r.Unweighted, "vertex has no weights", "vertices have no weights"),
			Why:   "They stay behind when the character moves: no vertex of their piece sees a bone. Let the piece follow the surface below.",
			Evidence: []finding.Evidence{{What: "pieces without a solution", Value: float64(pieces), Limit: 0},
				{What: "of all vertices", Value: float64(r.Unweighted) / float64(max(1, r.Vertices)), Limit: 0, Unit: "%"}},
			Where: finding.Where{Vertices: r.Stray}})
	}
	for _, l := range r.Layers {
		out = append(out, l.findings()...)
	}
	out = append(out, r.Capped.findings()...)
	out = append(out, r.Remains.findings()...)
	out = append(out, r.leaks()...)
	if r.Overshoot > overshootLimit {
		out = append(out, finding.Finding{Code: "weights_clamped", Severity: finding.Note, Count: r.Negative,
			Title: "Raw weights exceeded the 0–1 range and were clamped",
			Why:   "Obtuse triangles give negative cotangents; the solution overshoots there, so it is clamped and normalized.",
			Evidence: []finding.Evidence{{What: "largest overshoot", Value: r.Overshoot, Limit: overshootLimit},
				{What: "edges with a negative weight", Value: float64(r.Negative), Limit: 0}}})
	}
	return out
}

// leaks tells of joints whose weight lies in places that are cut off from their own.
func (r *Report) leaks() []finding.Finding {
	f := finding.Finding{Code: "weight_leak", Severity: finding.Harms}
	worst := 0.0
	for _, j := range r.Joints {
		if j.Leak <= leakLimit {
			continue
		}
		f.Count++
		f.Where.Joints = append(f.Where.Joints, j.Name)
		f.Where.Vertices = append(f.Where.Vertices, j.cut...)
		worst = math.Max(worst, j.Leak)
	}
	if f.Count == 0 {
		return nil
	}
	f.Title = f.Where.Joints[0] + " moves places that are cut off from it"
	if f.Count > 1 {
		f.Title = fmt.Sprintf("%d joints move disconnected patches", f.Count)
	}
	f.Why = "The patch does not connect to the joint's other weight, so it moves along when the joint rotates."
	f.Evidence = []finding.Evidence{{What: "largest disconnected weight", Value: worst, Limit: leakLimit}}
	return []finding.Finding{f}
}

// leakLimit is the share of its weight that may be cut off from a joint's region.
const leakLimit = 0.01

// jointsFinding tells of joints of one state and one reason.
func jointsFinding(state State, list []JointReport) finding.Finding {
	var nearest, heated, most int
	outside, peak := 0.0, 0.0
	f := finding.Finding{Code: "joint_" + string(state), Severity: finding.Blocks, Count: len(list)}
	for k, j := range list {
		f.Where.Joints = append(f.Where.Joints, j.Name)
		nearest, heated = nearest+j.Nearest, heated+j.Heated
		outside, peak = math.Max(outside, j.Outside), math.Max(peak, j.Peak)
		if j.Nearest > list[most].Nearest {
			most = k
		}
	}
	cause := "Cause: " + list[most].Cause + "."
	f.Title, f.Why = list[0].Name+" moves nothing", "Rotating it will not move the skin. "+cause
	if len(list) > 1 {
		f.Title, f.Why = fmt.Sprintf(
			"%d joints move nothing",
			len(list),
		), "Rotating them will not move the skin. Cause for "+list[most].Name+": "+list[most].Cause+"; the others are similar."
	}
	f.Evidence = []finding.Evidence{
		{What: "vertices nearest to it", Value: float64(nearest), Limit: 1},
		{What: "bone outside the mesh", Value: outside, Limit: outsideLimit}}
	if list[most].Reason != ReasonUnknown { // a method that looks for bones
		f.Evidence = slices.Insert(
			f.Evidence,
			1,
			finding.Evidence{What: "of these, able to see the bone", Value: float64(heated), Limit: 1},
		)
	}
	if state == Weak {
		f.Severity = finding.Harms
		f.Title, f.Why = list[0].Name+" leads no vertex", "Its neighbors outweigh it everywhere. "+cause
		if len(list) > 1 {
			f.Title, f.Why = fmt.Sprintf(
				"%d joints lead no vertex",
				len(list),
			), "Their neighbors outweigh them everywhere. Cause for "+list[most].Name+": "+list[most].Cause+"; the others are similar."
		}
		f.Evidence = append(f.Evidence, finding.Evidence{What: "largest weight", Value: peak, Limit: 0.5})
	}
	return f
}

const (
	outsideLimit   = 0.5
	overshootLimit = 0.001
)
