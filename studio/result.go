package studio

import (
	"encoding/json"
	"slices"

	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
)

// Result is what a bind by any method left besides its weights: the operation that
// made it with its parameters, so that it can be done again, the limits that its
// weights obey, the account of every joint and piece, and the skeleton that it was
// made for.
type Result struct {
	Operation  string
	Parameters json.RawMessage
	Limits     weights.Limits
	Report     bind.Report // Stray is the vertices without weights
	Skeleton   *skeleton.Skeleton
	Score      *Brief // of its test in motion; nil where it was not tried, or has changed since
}

// Kept is a result that is kept beside the current one, with its weights.
type Kept struct {
	Name    string
	Result  *Result
	Weights *weights.Weights
}

// MaxKept is how many results may be kept beside the current one.
const MaxKept = 16

// FindKept returns the number of the kept result of that name, -1 for none.
func (s State) FindKept(name string) int {
	return slices.IndexFunc(s.Kept, func(k Kept) bool { return k.Name == name })
}

// WithKept returns the state with the weights of a kept result in the place of its own.
func (s State) WithKept(name string) (*State, error) {
	i := s.FindKept(name)
	if i < 0 {
		return nil, Wrong("no result is kept as %q", name)
	}
	if s.Mesh == nil || len(s.Kept[i].Weights.Of) != len(s.Mesh.Points) {
		return nil, Wrong("%s was kept for another mesh", name)
	}
	w := *s.Kept[i].Weights
	if s.Weights != nil {
		w.Mix = s.Weights.Mix // how vertices blend is the character's
	}
	s.Weights, s.Bind = &w, s.Kept[i].Result
	return &s, nil
}

// Parameter decodes one of the parameters that the result was made with; the zero
// value where it has none of that name.
func Parameter[T any](r *Result, name string) (out T) {
	var all map[string]json.RawMessage
	if json.Unmarshal(r.Parameters, &all) == nil {
		_ = json.Unmarshal(all[name], &out) // an operation without it: zero
	}
	return out
}

// Influences is the cap of the weights, for a form to show.
func (r *Result) Influences() int { return r.Limits.Cap }

// Number is a parameter that is a number, for a form to show.
func (r *Result) Number(name string) float64 { return Parameter[float64](r, name) }

// stored is a Result as it is written.
type stored struct {
	Operation  string             `json:"operation"`
	Parameters json.RawMessage    `json:"parameters,omitempty"`
	Limits     weights.Limits     `json:"limits"`
	Report     bind.Report        `json:"report"`
	Stray      []int32            `json:"stray,omitempty"`
	Skeleton   *skeleton.Skeleton `json:"skeleton"`
	Score      *Brief             `json:"score,omitempty"`
	// Options is what results of before there were several methods had.
	Options json.RawMessage `json:"options,omitempty"`
}

// MarshalJSON implements json.Marshaler.
func (r *Result) MarshalJSON() ([]byte, error) {
	return json.Marshal(
		stored{
			Operation:  r.Operation,
			Parameters: r.Parameters,
			Limits:     r.Limits,
			Report:     r.Report,
			Stray:      r.Report.Stray,
			Skeleton:   r.Skeleton,
			Score:      r.Score,
		},
	)
}

// UnmarshalJSON implements json.Unmarshaler. Results of before there were several
// methods are those of a heat bind.
func (r *Result) UnmarshalJSON(data []byte) error {
	var x stored
	if err := json.Unmarshal(data, &x); err != nil {
		return err
	}
	*r = Result{x.Operation, x.Parameters, x.Limits, x.Report, x.Skeleton, x.Score}
	r.Report.Stray = x.Stray
	if x.Operation == "" {
		r.Operation, r.Parameters = "bind_heat", x.Options
		r.Limits = weights.Limits{Cap: Parameter[int](r, "influences"), Trace: Parameter[float64](r, "trace")}
	}
	return nil
}

// recounted returns the result with the vertices without weights counted anew.
func (r *Result) recounted(w *weights.Weights, m *mesh.Mesh) *Result {
	out := *r
	out.Report.Stray = stray(w, m)
	out.Report.Vertices, out.Report.Unweighted = len(m.Points), len(out.Report.Stray)
	out.Score, out.Report.Remains = nil, nil // of other weights
	return &out
}

// renamed returns the result with its joints under other names.
func (r *Result) renamed(names map[string]string) *Result {
	if len(names) == 0 {
		return r
	}
	out := *r
	out.Skeleton = out.Skeleton.Clone()
	for k := range out.Skeleton.Joints {
		if n, ok := names[out.Skeleton.Joints[k].Name]; ok {
			out.Skeleton.Joints[k].Name = n
		}
	}
	out.Report.Joints = slices.Clone(out.Report.Joints)
	for k := range out.Report.Joints {
		if n, ok := names[out.Report.Joints[k].Name]; ok {
			out.Report.Joints[k].Name = n
		}
	}
	return &out
}

// moved returns the result with its skeleton brought elsewhere.
func (r *Result) moved(p mesh.Placement, m *mesh.Mesh) *Result {
	out := *r
	out.Skeleton = out.Skeleton.Transform(p.Similarity(m), p.Rotation())
	return &out
}
