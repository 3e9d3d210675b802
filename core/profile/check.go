package profile

import (
	"fmt"
	"math"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
)

// Given is what a profile is held against. What is nil is not there, and breaks no rule but those that ask for it.
type Given struct {
	Mesh     *mesh.Mesh
	Skeleton *skeleton.Skeleton
	Weights  *weights.Weights
	Marks    skeleton.Marks
	Motions  []string // their names
	// Measured: the motion check was run on the character as it is; Score and Over are its.
	Measured bool
	Score    float64
	Over     int
	Blocking int // findings of earlier stages that block
}

// Codes of the findings of Check, in the order in which their remedies are made: each leaves those before it met.
const (
	Leftovers  = "needs_no_leftovers"
	Triangles  = "needs_triangles"
	OnePart    = "needs_one_part"
	Vertices   = "needs_fewer_vertices"
	OneRoot    = "needs_one_root"
	NoIdle     = "needs_no_idle_joints"
	Joints     = "needs_fewer_joints"
	Influences = "needs_fewer_influences"
	PartJoints = "needs_fewer_joints_per_part"
	Rounding   = "needs_less_rounding"
	Zero       = "needs_zero_rotations"
	Rest       = "needs_rest"
	Floor      = "needs_floor"
	JointNames = "needs_names"
	Targets    = "needs_fewer_targets"
	Motions    = "needs_fewer_motions"
	Checked    = "needs_motion_check"
	Score      = "needs_score"
	Clear      = "needs_clear"
)

// Shares of the height, and degrees, from which on what should be at zero is not.
const (
	offFloor = 0.0005
	offZero  = 0.01 // degrees
	offRest  = 5.0  // degrees that the arms may be off a T- or A-pose
)

// shown is how many vertices and joints a finding points at.
const shown = 20_000

// Check holds a character against a profile, rule by rule: each broken one is a finding that blocks. Data of JointNames is
// the names, map[string]string by those that joints have, of NoIdle the names of the joints, of Rest the degrees that the arms
// should be below horizontal.
func (p *Profile) Check(g Given) (out []finding.Finding) {
	add := func(f finding.Finding) {
		f.Severity, f.Count = finding.Blocks, max(1, f.Count)
		out = append(out, f)
	}
	needs := func(what string, value, limit float64, unit string) []finding.Evidence {
		return []finding.Evidence{{What: what, Value: value, Limit: limit, Unit: unit}}
	}
	if g.Mesh != nil {
		p.mesh(g, add, needs)
	}
	if g.Skeleton != nil {
		p.skeleton(g, add, needs)
	}
	if n := shapesOf(g.Mesh); p.Targets != nil && n > *p.Targets {
		add(finding.Finding{Code: Targets, Count: n - *p.Targets, Title: fmt.Sprintf("%s, and the receiver takes %s",
			wording.Count(n, "shape target", "shape targets"), atMost(*p.Targets)),
			Why:      "Remove some at Shapes, or leave all of them out of the file.",
			Evidence: needs("shape targets", float64(n), float64(*p.Targets), "")})
	}
	if n := len(g.Motions); p.Motions != nil && n > *p.Motions {
		add(finding.Finding{Code: Motions, Count: n - *p.Motions, Title: fmt.Sprintf("%s, and the receiver takes %s",
			wording.Count(n, "motion", "motions"), atMost(*p.Motions)),
			Why:      "Remove some at Motion, or leave all of them out of the file.",
			Evidence: needs("motions", float64(n), float64(*p.Motions), "")})
	}
	p.measures(g, add, needs)
	return out
}

func shapesOf(m *mesh.Mesh) int {
	if m == nil {
		return 0
	}
	return len(m.Shapes)
}

func atMost(n int) string {
	if n == 0 {
		return "none"
	}
	return fmt.Sprintf("at most %d", n)
}

type adder func(finding.Finding)

type needer func(what string, value, limit float64, unit string) []finding.Evidence

// mesh checks the rules of the mesh.
func (p *Profile) mesh(g Given, add adder, needs needer) {
	m := g.Mesh
	used := make([]bool, len(m.Points))
	faces, vertices := make([]int, len(m.Parts)), make([]int, len(m.Parts))
	last := make([]int32, len(m.Points)) // part + 1 in which a vertex was counted last
	var many []int32
	for f := range m.Faces() {
		face, part := m.Face(f), m.PartOf(f)
		faces[part]++
		if len(face) > 3 {
			many = append(many, int32(f))
		}
		for _, v := range face {
			used[v] = true
			if last[v] != part+1 {
				last[v] = part + 1
				vertices[part]++
			}
		}
	}
	var loose []int32
	for v, yes := range used {
		if !yes {
			loose = append(loose, int32(v))
		}
	}
	hidden := 0
	for _, x := range m.Parts {
		if x.Hidden {
			hidden++
		}
	}
	if n := hidden + len(loose); p.NoLeftovers && n > 0 {
		title := wording.Count(len(loose), "vertex has no face", "vertices have no faces")
		if len(loose) == 0 {
			title = wording.Count(hidden, "part is hidden", "parts are hidden")
		} else if hidden > 0 {
			title += ", " + wording.Count(hidden, "part is hidden", "parts are hidden")
		}
		add(
			finding.Finding{
				Code:     Leftovers,
				Count:    n,
				Title:    title,
				Why:      "The receiver takes nothing hidden or left over; it would go along in the file unseen.",
				Evidence: needs("loose vertices and hidden parts", float64(n), 0, ""),
				Where:    finding.Where{Vertices: cut(loose)},
			},
		)
	}
	if p.Triangles && len(many) > 0 {
		add(
			finding.Finding{
				Code:     Triangles,
				Count:    len(many),
				Title:    wording.Count(len(many), "face has", "faces have") + " more than three corners",
				Why:      "Every program cuts such faces in its own way, so the skin may crease elsewhere than here. The receiver takes triangles.",
				Evidence: needs("faces with more than three corners", float64(len(many)), 0, ""),
				Where:    finding.Where{Faces: cut(many)},
			},
		)
	}
	parts, worst := 0, -1
	for i, n := range faces {
		if n > 0 {
			parts++
		}
		if worst < 0 || vertices[i] > vertices[worst] {
			worst = i
		}
	}
	if p.OnePart && parts > 1 {
		add(
			finding.Finding{
				Code:     OnePart,
				Count:    parts - 1,
				Title:    fmt.Sprintf("The mesh is in %d parts", parts),
				Why:      "The receiver takes one.",
				Evidence: needs("parts", float64(parts), 1, ""),
			},
		)
	}
	if p.Vertices > 0 && worst >= 0 && vertices[worst] > p.Vertices {
		add(
			finding.Finding{
				Code:  Vertices,
				Title: fmt.Sprintf("%s has %s vertices", m.Parts[worst].Name, wording.Thousands(vertices[worst])),
				Why: fmt.Sprintf(
					"The receiver takes %s per part: separate it into pieces, or bring in a lighter mesh and carry the weights over.",
					wording.Thousands(p.Vertices),
				),
				Evidence: needs("vertices of the largest part", float64(vertices[worst]), float64(p.Vertices), ""),
			},
		)
	}
	points := m.World()
	box := geom.BoxOf(points)
	if low := box.Min.Y; p.Floor && len(points) > 0 && math.Abs(low) > offFloor*box.Size().Y {
		add(
			finding.Finding{
				Code:     Floor,
				Title:    fmt.Sprintf("The lowest vertex is at %s", wording.Length(low)),
				Why:      "The receiver takes a character that stands at height 0.",
				Evidence: needs("height of the lowest vertex", math.Abs(low), offFloor*box.Size().Y, "m"),
			},
		)
	}
}

// cut is a list no longer than a finding points at.
func cut(list []int32) []int32 { return list[:min(len(list), shown)] }

// skeleton checks the rules of the skeleton and the weights.
func (p *Profile) skeleton(g Given, add adder, needs needer) {
	s := g.Skeleton
	var roots []string
	for _, j := range s.Joints {
		if j.Parent < 0 {
			roots = append(roots, j.Name)
		}
	}
	if p.OneRoot && len(roots) > 1 {
		add(
			finding.Finding{
				Code:     OneRoot,
				Count:    len(roots) - 1,
				Title:    fmt.Sprintf("The skeleton has %d roots", len(roots)),
				Why:      "The receiver takes one joint that carries all others.",
				Evidence: needs("joints without a parent", float64(len(roots)), 1, ""),
				Where:    finding.Where{Joints: roots},
			},
		)
	}
	if idle := Idle(s, g.Weights); p.NoIdle && len(idle) > 0 {
		add(
			finding.Finding{
				Code:     NoIdle,
				Count:    len(idle),
				Data:     idle,
				Title:    wording.Count(len(idle), "joint moves", "joints move") + " nothing",
				Why:      "No vertex follows them or their descendants. The receiver takes no joint without a purpose; each costs time in every frame.",
				Evidence: needs("joints that move nothing", float64(len(idle)), 0, ""),
				Where:    finding.Where{Joints: idle},
			},
		)
	}
	if n := len(s.Joints); p.Joints > 0 && n > p.Joints {
		add(
			finding.Finding{
				Code:     Joints,
				Count:    n - p.Joints,
				Title:    fmt.Sprintf("%s, and the receiver takes at most %d", wording.Count(n, "joint", "joints"), p.Joints),
				Why:      "Remove joints at Placement; their weights go to the joint above.",
				Evidence: needs("joints", float64(n), float64(p.Joints), ""),
			},
		)
	}
	if w := g.Weights; w != nil {
		p.weights(g, add, needs)
	}
	var turned []string
	most := 0.0
	for i, j := range s.Joints {
		_, q := s.Local(i)
		if a := geom.Angle(geom.Normalise(q), geom.Identity) * 180 / math.Pi; a > offZero {
			turned = append(turned, j.Name)
			most = max(most, a)
		}
	}
	if p.Zero && len(turned) > 0 {
		add(
			finding.Finding{
				Code:     Zero,
				Count:    len(turned),
				Title:    wording.Count(len(turned), "joint is", "joints are") + " rotated at rest",
				Why:      "The receiver takes joints whose rotations are zero at rest: their axes are the world’s.",
				Evidence: needs("largest rotation at rest", most, offZero, "°"),
				Where:    finding.Where{Joints: turned},
			},
		)
	}
	if below, ok := map[string]float64{"t": 0, "a": 45}[p.Rest]; ok {
		if _, off, err := pose.ArmsTo(s, g.Marks, below, false); err == nil && off > offRest {
			name := map[string]string{"t": "T-pose", "a": "A-pose"}[p.Rest]
			add(
				finding.Finding{
					Code:     Rest,
					Data:     below,
					Title:    fmt.Sprintf("The arms are %.0f° off a %s", off, name),
					Why:      fmt.Sprintf("The receiver takes a %s.", name),
					Evidence: needs("arms off the pose", off, offRest, "°"),
				},
			)
		}
	}
	if names := p.Names.Changes(s, g.Marks); len(names) > 0 {
		var list []string
		for _, j := range s.Joints {
			if _, ok := names[j.Name]; ok {
				list = append(list, j.Name)
			}
		}
		add(finding.Finding{Code: JointNames, Count: len(list), Data: names,
			Title:    wording.Count(len(list), "joint name does", "joint names do") + " not fit",
			Why:      fmt.Sprintf("By the profile, %s would be %s.", list[0], names[list[0]]),
			Evidence: needs("names to change", float64(len(list)), 0, ""), Where: finding.Where{Joints: list}})
	}
}

// weights checks the rules of the weights.
func (p *Profile) weights(g Given, add adder, needs needer) {
	w := g.Weights
	busiest := 0
	var over []int32
	for v, list := range w.Of {
		busiest = max(busiest, len(list))
		if p.Influences > 0 && len(list) > p.Influences {
			over = append(over, int32(v))
		}
	}
	if len(over) > 0 {
		add(
			finding.Finding{
				Code:  Influences,
				Count: len(over),
				Title: wording.Count(
					len(over),
					"vertex follows",
					"vertices follow",
				) + fmt.Sprintf(
					" more than %s",
					wording.Count(p.Influences, "joint", "joints"),
				),
				Why: fmt.Sprintf(
					"The receiver takes at most %s per vertex; what is beyond is dropped there, and the skin jumps.",
					wording.Count(p.Influences, "influence", "influences"),
				),
				Evidence: needs(
					"influences of the busiest vertex",
					float64(busiest),
					float64(p.Influences),
					"",
				),
				Where: finding.Where{Vertices: cut(over)},
			},
		)
	}
	if p.PartJoints == 0 || g.Mesh == nil || len(w.Of) != len(g.Mesh.Points) {
		return
	}
	of := g.Mesh.PartOfVertices()
	follows := make([]map[int32]bool, len(g.Mesh.Parts))
	for v, list := range w.Of {
		if of[v] < 0 {
			continue
		}
		if follows[of[v]] == nil {
			follows[of[v]] = map[int32]bool{}
		}
		for _, x := range list {
			follows[of[v]][x.Joint] = true
		}
	}
	for i, set := range follows {
		if len(set) > p.PartJoints {
			add(
				finding.Finding{
					Code:     PartJoints,
					Count:    len(set) - p.PartJoints,
					Title:    fmt.Sprintf("%s follows %d joints", g.Mesh.Parts[i].Name, len(set)),
					Why:      fmt.Sprintf("The receiver takes at most %d per part: separate the part, or remove joints.", p.PartJoints),
					Evidence: needs("joints that the part follows", float64(len(set)), float64(p.PartJoints), ""),
				},
			)
			return // the first: the others are named once it is mended
		}
	}
}

// measures checks the rules of what the stages before have measured.
func (p *Profile) measures(g Given, add adder, needs needer) {
	if p.Clear && g.Blocking > 0 {
		add(
			finding.Finding{
				Code:     Clear,
				Count:    g.Blocking,
				Title:    wording.Count(g.Blocking, "earlier finding blocks", "earlier findings block"),
				Why:      "The receiver takes no character with a finding that blocks: they are listed below by stage.",
				Evidence: needs("findings that block", float64(g.Blocking), 0, ""),
			},
		)
	}
	if p.Score == 0 && p.Over == nil || g.Weights == nil {
		return
	}
	if !g.Measured {
		add(
			finding.Finding{
				Code:     Checked,
				Title:    "The motion check has not been run on the character as it is",
				Why:      "The profile limits its score.",
				Evidence: needs("motion checks of this revision", 0, 1, ""),
			},
		)
		return
	}
	if p.Score > 0 && g.Score > p.Score {
		add(
			finding.Finding{
				Code:     Score,
				Title:    fmt.Sprintf("The motion check scores %.2f", g.Score),
				Why:      fmt.Sprintf("The profile allows %.2f: see the worst spots at Motion.", p.Score),
				Evidence: needs("score of the motion check", g.Score, p.Score, ""),
			},
		)
	} else if p.Over != nil && g.Over > *p.Over {
		add(finding.Finding{Code: Score, Count: g.Over - *p.Over, Title: wording.Count(g.Over, "place is", "places are") + " over a limit in the motion check",
			Why: fmt.Sprintf("The profile allows %s: see the worst spots at Motion.", atMost(*p.Over)), Evidence: needs("places over their limits", float64(g.Over), float64(*p.Over), "")})
	}
}

// Idle are the joints that move nothing: no vertex follows them or a joint below them, and no helper joint is driven by
// them.
func Idle(s *skeleton.Skeleton, w *weights.Weights) (out []string) {
	if w == nil {
		return nil
	}
	moves := make([]bool, len(s.Joints))
	at := s.Numbers()
	for _, list := range w.Of {
		for _, x := range list {
			if i, ok := at[w.Joints[x.Joint]]; ok && x.Value > 0 {
				moves[i] = true
			}
		}
	}
	for _, j := range s.Joints {
		if j.Helper != nil {
			if i, ok := at[j.Helper.Driver]; ok {
				moves[i] = true
			}
		}
	}
	for i := len(s.Joints) - 1; i >= 0; i-- { // parents come before their children
		if p := s.Joints[i].Parent; p >= 0 && moves[i] {
			moves[p] = true
		}
	}
	for i, j := range s.Joints {
		if !moves[i] {
			out = append(out, j.Name)
		}
	}
	return out
}
