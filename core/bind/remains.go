package bind

import (
	"math"

	"wisemarrow/core/finding"
	"wisemarrow/core/wording"
)

// Remains is what weights that were solved for motion leave between the skin and the guide.
type Remains struct {
	Farthest float64 `json:"farthest_m"` // of the vertex that is off most, root of the mean of squares over the frames
	Mean     float64 `json:"mean_m"`     // of all vertices
	Height   float64 `json:"height_m"`   // of the mesh, to hold it against
	Frames   int     `json:"frames"`
	Where    []int32 `json:"where,omitempty"`
	Count    int     `json:"count,omitempty"` // of those that are off by more than the limit
	Far      []byte  `json:"far,omitempty"`   // of each vertex, in 255ths of Farthest: for a map
}

// remainsShows is from what part of the height on what remains is told: twice that of a cap, as this is a mean over poses.
// No source.
const remainsShows = 0.02

// RemainsOf keeps what is left by vertex, metres.
func RemainsOf(left []float64, height float64, frames int) *Remains {
	if len(left) == 0 {
		return nil
	}
	out := &Remains{Height: height, Frames: frames, Far: make([]byte, len(left))}
	for _, d := range left {
		out.Farthest = math.Max(out.Farthest, d)
		out.Mean += d / float64(len(left))
	}
	for v, d := range left {
		if out.Farthest > 0 {
			out.Far[v] = byte(math.Ceil(255 * d / out.Farthest))
		}
		if d > remainsShows*height {
			if out.Count++; len(out.Where) < mostCapWhere {
				out.Where = append(out.Where, int32(v))
			}
		}
	}
	return out
}

// findings tells of vertices that no weights bring near the guide.
func (r *Remains) findings() []finding.Finding {
	if r == nil || r.Count == 0 {
		return nil
	}
	return []finding.Finding{{
		Code: "guide_remains", Severity: finding.Note, Count: r.Count,
		Title:    wording.Count(r.Count, "vertex stays", "vertices stay") + " far from the guide",
		Why:      "The weights of the joints around them do not bring these vertices close to how the skin should bend, on average over the poses. A helper joint there may, or a shape for the pose.",
		Evidence: []finding.Evidence{{What: "farthest from the guide", Value: r.Farthest, Limit: remainsShows * r.Height, Unit: "m"}},
		Where:    finding.Where{Vertices: r.Where},
		Remedies: []finding.Remedy{{Label: "Add helper joints", Opens: "helpers"}},
	}}
}
