// Package weights is the stage at which one sees which joint moves what, corrects it by
// hand, and poses the character.
package weights

import (
	"fmt"
	"slices"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.RegisterStage(
		studio.Stage{Name: "weights", Title: "Weights & pose", Question: "Does it bend well, and which joint moves what?", Order: 6,
			Touched: func(s *studio.State) bool { return s.Weights != nil },
			Reads:   []string{"mesh", "parts", "skeleton", "settings", "weights"},
			Find:    func(c *studio.Checked) []finding.Finding { return find(c.State) },
			Steps: []studio.FirstStep{
				{What: "Bind first: there are no weights before", Done: studio.Has(studio.HasWeights)},
				{
					What: "Settle outliers and steps",
					Done: studio.Without(studio.HasWeights, "weights_strays", "weights_uneven", "weight_leak"),
				},
				{What: "Fix what else is found", Done: studio.Settled(studio.HasWeights)},
				{What: "Run the motion check", Done: studio.Has(func(s *studio.State) bool { return s.Sheet != nil && !s.Sheet.Stale })},
			}},
	)
}

const (
	// fewSteps is below how many vertices with a step these are a note: where six joints have nearly the same weight
	// a bind that is capped leaves a few.
	fewSteps = 8
	// fewStrays is the same for outliers.
	fewStrays = 3
	// unevenShare is the share of vertices that may be unlike their images before it is told, and
	// evenMesh how much of a mesh must have images for it to be asked at all.
	unevenShare, evenMesh = 0.02, 0.9
	// mostMeasured is up to how many vertices this is measured unasked; the map does beyond.
	mostMeasured = 300_000
)

// find measures the weights: strays, what is far from its bone or cut off, steps, traces, and sides that are not even.
func find(s *studio.State) []finding.Finding {
	if s.Weights == nil || s.Mesh == nil || s.Skeleton == nil || len(s.Mesh.Points) > mostMeasured {
		return nil
	}
	net, err := weights.NetOf(s.Mesh)
	if err != nil {
		return nil
	}
	e := weights.Edit(s.Weights, nil, nil, 0)
	tolerance := geom.BoxOf(net.At).Size().Y / 2000
	images, err := net.Mirror(planeOf(s), weights.MirrorPlace, max(tolerance, 1e-9), nil)
	if err != nil {
		return nil
	}
	sides := s.Skeleton.Pairs(s.Settings.Marks).Any()
	var out []finding.Finding
	if strays := e.Strays(nil, net); len(strays) > 0 {
		severity := finding.Harms
		if len(strays) < fewStrays {
			severity = finding.Note
		}
		out = append(out, finding.Finding{Code: "weights_strays", Severity: severity, Count: len(strays),
			Title: fmt.Sprintf(
				"%s unlike the surrounding vertices",
				are(len(strays)),
			), Why: "A vertex that follows different joints from those around it is pulled out of the surface.",
			Evidence: []finding.Evidence{{What: "strays", Value: float64(len(strays)), Limit: 0}}, Where: finding.Where{Vertices: strays},
			Remedies: []finding.Remedy{studio.Offer("Settle outliers", &Settle{})}})
	}
	by := map[string][]weights.Problem{}
	for _, p := range e.Problems(net, s.Skeleton, images, partners(s, e.Joints)) {
		by[p.Kind] = append(by[p.Kind], p)
	}
	for _, k := range told {
		list := by[k.kind]
		if len(list) == 0 {
			continue
		}
		f := finding.Finding{
			Code:     k.code,
			Severity: k.severity,
			Count:    len(list),
			Title:    wording.Count(len(list), k.one, k.many),
			Why:      k.why,
			Remedies: k.remedies(e.Joints, list),
		}
		if k.kind == weights.ProblemStep && len(list) < fewSteps {
			f.Severity = finding.Note
		}
		most := 0.0
		for _, p := range list {
			most = max(most, p.Size)
			if p.Joint >= 0 && !slices.Contains(f.Where.Joints, e.Joints[p.Joint]) {
				f.Where.Joints = append(f.Where.Joints, e.Joints[p.Joint])
			}
			f.Where.Vertices = append(f.Where.Vertices, p.Vertex)
		}
		f.Evidence = []finding.Evidence{{What: "largest " + k.what, Value: most, Limit: k.limit}}
		f.Where.Spots = spots(net, e.Joints, list)
		out = append(out, f)
	}
	uneven, apart := finding.Finding{Code: "weights_uneven", Severity: finding.Note}, 0.0
	for _, p := range by[weights.ProblemMirror] {
		uneven.Where.Vertices = append(uneven.Where.Vertices, p.Vertex)
		apart = max(apart, p.Size)
	}
	if n := len(uneven.Where.Vertices); sides && float64(images.Matched+images.Between) >= evenMesh*float64(len(net.At)) &&
		float64(n) > unevenShare*float64(images.Matched+images.Between) {
		uneven.Count = n
		uneven.Title = fmt.Sprintf("%s asymmetric", are(n))
		uneven.Why = "The mesh is the same on both sides, the weights are not: the sides will bend differently."
		uneven.Evidence = []finding.Evidence{
			{What: "vertices with a mirror match", Value: float64(n) / float64(max(1, images.Matched+images.Between)), Limit: unevenShare},
			{What: "largest difference", Value: apart, Limit: 0},
		}
		uneven.Remedies = []finding.Remedy{
			studio.Offer(
				"Mirror from the left",
				&Mirror{From: "left", By: weights.MirrorPlace},
			), studio.Offer("Mirror from the right", &Mirror{From: "right", By: weights.MirrorPlace})}
		out = append(out, uneven)
	}
	return out
}

// told are the kinds of problems that are findings, worst first.
var told = []struct {
	kind, code, one, many, why, what string
	severity                         finding.Severity
	limit                            float64
	remedies                         func(joints []string, list []weights.Problem) []finding.Remedy
}{
	{weights.ProblemFar, "weights_far", "vertex follows a joint that is far from it", "vertices follow a joint that is far from them",
		"A weight so far from its bone pulls skin of another limb along, or of the other side. Remove these weights, or bind the joints again.", "weight", finding.Harms, 0,
		func(joints []string, list []weights.Problem) []finding.Remedy {
			return []finding.Remedy{studio.Offer("Remove these weights", &DropFar{}), again(joints, list)}
		}},
	{
		weights.ProblemIsland,
		"weights_cut_off",
		"vertex is moved by a joint whose other weight is disconnected from it",
		"vertices are moved by a joint whose other weight is disconnected from them",
		"Nothing along the surface joins these weights to the rest of the joint's: a patch moves by itself when it rotates.",
		"weight",
		finding.Note,
		0,
		func([]string, []weights.Problem) []finding.Remedy {
			return []finding.Remedy{studio.Offer("Give them to the vertices' other joints", &DropIslands{})}
		},
	},
	{weights.ProblemStep, "weights_step", "vertex has a step in its weights", "vertices have a step in their weights",
		"Between two neighbors the weights change far more than around them, which shows as a line when the joint rotates. Smooth there.", "difference", finding.Harms, 0,
		func(_ []string, list []weights.Problem) []finding.Remedy {
			var at []int32
			for _, p := range list {
				at = append(at, p.Vertex)
			}
			return []finding.Remedy{studio.Offer("Smooth there", &Smooth{Vertices: weights.Ranges(at), Passes: 4})}
		}},
	{
		weights.ProblemTrace,
		"weights_traces",
		"vertex has a faint weight of a joint far away",
		"vertices have faint weights of joints far away",
		"Such traces show little, but each takes the place of an influence that is needed and drags when the joint moves far.",
		"weight",
		finding.Note,
		0,
		func([]string, []weights.Problem) []finding.Remedy {
			return []finding.Remedy{studio.Offer("Remove these traces", &DropFar{})}
		},
	},
}

// again is the remedy that binds the joints of problems once more.
func again(joints []string, list []weights.Problem) finding.Remedy {
	var names []string
	for _, p := range list {
		if name := joints[p.Joint]; !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	return studio.OfferOf("Bind "+wording.Count(len(names), "joint", "joints")+" again", "bind_joints", map[string]any{"joints": names})
}

// mostSpots is how many spots of a finding are told apart.
const mostSpots = 200

// spots are what hangs together of the problems of one joint, largest first, each with its joint.
func spots(net *weights.Net, joints []string, list []weights.Problem) []finding.Spot {
	at := map[int32]weights.Problem{}
	for _, p := range list {
		at[p.Vertex] = p
	}
	var out []finding.Spot
	seen := map[int32]bool{}
	for _, p := range list {
		if seen[p.Vertex] {
			continue
		}
		seen[p.Vertex] = true
		spot, most := []int32{p.Vertex}, 0.0
		for i := 0; i < len(spot); i++ {
			most = max(most, at[spot[i]].Size)
			for _, k := range net.Near(spot[i]) {
				if q, ok := at[k]; ok && !seen[k] && q.Joint == p.Joint {
					seen[k] = true
					spot = append(spot, k)
				}
			}
		}
		slices.Sort(spot)
		label := wording.Percent(most) + ", " + wording.Count(len(spot), "vertex", "vertices")
		if p.Joint >= 0 {
			label = joints[p.Joint] + " " + label
		}
		out = append(out, finding.Spot{Label: label, Vertices: spot})
	}
	slices.SortStableFunc(out, func(a, b finding.Spot) int { return len(b.Vertices) - len(a.Vertices) })
	return out[:min(len(out), mostSpots)]
}

func are(n int) string {
	if n == 1 {
		return "1 vertex is"
	}
	return fmt.Sprintf("%d vertices are", n)
}
