// Package bind computes skin weights for a skeleton inside a mesh and reports
// which joints and pieces got a solution and why others did not.
package bind

import (
	"fmt"

	"wisemarrow/core/finding"
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
	Vertices int     `json:"vertices"` // that it leads: its weight is the largest
	Touched  int     `json:"touched"`  // that it moves at all
	Nearest  int     `json:"nearest"`  // whose nearest bone is its
	Heated   int     `json:"heated"`   // of these, how many see the bone
	Peak     float64 `json:"peak"`     // its largest weight
	Outside  float64 `json:"outside"`  // share of its bones outside the mesh
	Cause    string  `json:"cause"`    // why it is not solved; empty if it is
}

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
	// Stray lists the vertices without a solution.
	Stray []int32 `json:"-"`
}

// Findings turns the report into findings with remedies.
func (r *Report) Findings() []finding.Finding {
	var out []finding.Finding
	for _, state := range []State{Unsolved, Weak} {
		for _, j := range r.Joints {
			if j.State != state {
				continue
			}
			f := finding.Finding{Code: "joint_" + string(state), Severity: finding.Blocks, Count: 1,
				Title: fmt.Sprintf("%s moves nothing", j.Name),
				Why:   "Turning this joint will leave the skin where it is. Cause: " + j.Cause + ".",
				Evidence: []finding.Evidence{
					{What: "vertices nearest to it", Value: float64(j.Nearest), Limit: 1},
					{What: "of these, seeing the bone", Value: float64(j.Heated), Limit: 1},
					{What: "share of the bone outside the mesh", Value: j.Outside, Limit: outsideLimit}},
				Where: finding.Where{Joints: []string{j.Name}}}
			if state == Weak {
				f.Severity = finding.Harms
				f.Title = fmt.Sprintf("%s leads no vertex", j.Name)
				f.Why = "Its neighbours outweigh it everywhere. Cause: " + j.Cause + "."
				f.Evidence = append(f.Evidence, finding.Evidence{What: "largest weight", Value: j.Peak, Limit: 0.5})
			}
			out = append(out, f)
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
			Title: fmt.Sprintf("%d vertices have no weights", r.Unweighted),
			Why:   "They stay behind when the character moves: no vertex of their piece sees a bone, so no heat reaches it.",
			Evidence: []finding.Evidence{{What: "pieces without a solution", Value: float64(pieces), Limit: 0},
				{What: "share of all vertices", Value: float64(r.Unweighted) / float64(max(1, r.Vertices)), Limit: 0}},
			Where: finding.Where{Vertices: r.Stray},
			Remedies: []finding.Remedy{{Label: "Let each piece follow the surface beneath it", Op: "follow_beneath",
				Params: map[string]any{"mode": "auto"}}}})
	}
	if r.Overshoot > overshootLimit {
		out = append(out, finding.Finding{Code: "weights_clamped", Severity: finding.Note, Count: r.Negative,
			Title: "Raw weights left the range 0 to 1 and were clamped",
			Why:   "Obtuse triangles give negative cotangents; the solution overshoots there by the amount shown and is cut and renormalised.",
			Evidence: []finding.Evidence{{What: "largest overshoot", Value: r.Overshoot, Limit: overshootLimit},
				{What: "edges with a negative weight", Value: float64(r.Negative), Limit: 0}}})
	}
	return out
}

const (
	outsideLimit   = 0.5
	overshootLimit = 0.001
)
