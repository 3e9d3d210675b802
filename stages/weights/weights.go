// Package weights is the stage at which one sees which joint moves what, corrects it by
// hand, and poses the character.
package weights

import (
	"fmt"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

func init() {
	studio.RegisterStage(studio.Stage{Name: "weights", Title: "Weights & pose", Question: "Does it bend as it should, and who moves what?", Order: 6,
		Touched: func(s *studio.State) bool { return s.Weights != nil },
		Reads:   []string{"mesh", "parts", "skeleton", "settings", "weights"},
		Find:    func(c *studio.Checked) []finding.Finding { return find(c.State) }})
}

const (
	// cutOffLimit is from what share on weight that is cut off from its joint is told.
	cutOffLimit = 0.05
	// unevenShare is the share of vertices that may be unlike their images before it is told, and
	// evenMesh how much of a mesh must have images for it to be asked at all.
	unevenShare, evenMesh = 0.02, 0.9
	// mostMeasured is up to how many vertices this is measured unasked; the map does beyond.
	mostMeasured = 300_000
)

// find measures the weights: strays, shares that are cut off, and sides that are not even.
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
		out = append(out, finding.Finding{Code: "weights_strays", Severity: finding.Harms, Count: len(strays),
			Title: fmt.Sprintf("%s quite unlike all neighbours", are(len(strays))), Why: "A single vertex that follows other joints than all around it is pulled out of the surface when these turn.",
			Evidence: []finding.Evidence{{What: "strays", Value: float64(len(strays)), Limit: 0}}, Where: finding.Where{Vertices: strays},
			Remedies: []finding.Remedy{{Label: "Settle them to their neighbours", Op: "settle_weights", Params: map[string]any{}}}})
	}
	cut, uneven := finding.Finding{Code: "weights_cut_off", Severity: finding.Note}, finding.Finding{Code: "weights_uneven", Severity: finding.Note}
	joints := map[int32]bool{}
	most, apart := 0.0, 0.0
	for _, p := range e.Problems(net, images, partners(s, e.Joints)) {
		switch {
		case p.Kind == weights.ProblemIsland && p.Size >= cutOffLimit:
			cut.Where.Vertices = append(cut.Where.Vertices, p.Vertex)
			most = max(most, p.Size)
			if !joints[p.Joint] {
				joints[p.Joint] = true
				cut.Where.Joints = append(cut.Where.Joints, e.Joints[p.Joint])
			}
		case p.Kind == weights.ProblemMirror:
			uneven.Where.Vertices = append(uneven.Where.Vertices, p.Vertex)
			apart = max(apart, p.Size)
		}
	}
	if n := len(cut.Where.Vertices); n > 0 {
		cut.Count = n
		cut.Title = fmt.Sprintf("%s moved by a joint whose other weight is cut off from there", are(n))
		cut.Why = "Along the surface nothing joins these shares to the rest of the joint's: a patch moves by itself when it turns."
		cut.Evidence = []finding.Evidence{{What: "largest share", Value: most, Limit: cutOffLimit}}
		cut.Remedies = []finding.Remedy{{Label: "Give them to the others of their vertices", Op: "drop_islands", Params: map[string]any{}}}
		out = append(out, cut)
	}
	if n := len(uneven.Where.Vertices); sides && float64(images.Matched+images.Between) >= evenMesh*float64(len(net.At)) && float64(n) > unevenShare*float64(images.Matched+images.Between) {
		uneven.Count = n
		uneven.Title = fmt.Sprintf("%s unlike the mirror image", are(n))
		uneven.Why = "The mesh is the same on both sides, the weights are not: the sides will bend otherwise."
		uneven.Evidence = []finding.Evidence{{What: "share of the vertices with an image", Value: float64(n) / float64(max(1, images.Matched+images.Between)), Limit: unevenShare}, {What: "largest difference", Value: apart, Limit: 0}}
		uneven.Remedies = []finding.Remedy{{Label: "Mirror from the left", Op: "mirror_weights", Params: map[string]any{"from": "left"}}, {Label: "Mirror from the right", Op: "mirror_weights", Params: map[string]any{"from": "right"}}}
		out = append(out, uneven)
	}
	return out
}

func are(n int) string {
	if n == 1 {
		return "1 vertex is"
	}
	return fmt.Sprintf("%d vertices are", n)
}
