package bind

import (
	"encoding/json"
	"fmt"
	"slices"

	"wisemarrow/core/bind"
	"wisemarrow/core/finding"
	"wisemarrow/studio"
)

// remedies returns what mends a finding of a bind's report.
func remedies(r *studio.Result) func(f finding.Finding) []finding.Remedy {
	defaults := bind.DefaultDistance
	auto := func(label string, influences int) finding.Remedy {
		return studio.Offer(label, &BindAuto{Influences: influences, Trace: defaults.Trace})
	}
	return func(f finding.Finding) (out []finding.Remedy) {
		if f.Code == "unweighted_vertices" {
			out = append(out, studio.Offer("Let each piece follow the surface below", &FollowBeneath{Mode: bind.Auto}))
		}
		switch f.Code {
		case "unweighted_vertices", "joint_unsolved", "joint_weak":
			if r.Operation != "bind_auto" {
				out = append(out, auto("Bind automatically", defaults.Cap))
			}
		case "layer_apart", "skin_through":
			if part, ok := f.Data.(bind.Over); ok {
				out = append(out, studio.Offer("Let it follow the surface", &GivePieces{Parts: []string{string(part)}, How: bind.Follow}))
			}
		case "cap_cost":
			if n, ok := f.Data.(bind.Influences); ok {
				out = append(out, auto(fmt.Sprintf("Bind with %d influences per vertex", n), int(n)))
			}
		}
		if f.Code == "joint_unsolved" || f.Code == "joint_weak" {
			if away := outside(r, f.Where.Joints); away != nil {
				out = append(out, studio.Offer("Move inside and bind again", &BindInside{Joints: away}))
			}
			out = append(out, without(r, f.Where.Joints))
		}
		return out
	}
}

// outside are those of joints that are not in the volume: others gain nothing by being brought there.
func outside(r *studio.Result, names []string) (out []string) {
	for _, j := range r.Report.Joints {
		if j.Outside > 0 && slices.Contains(names, j.Name) {
			out = append(out, j.Name)
		}
	}
	return out
}

// again is the remedy that repeats a bind with its own method and parameters; by
// heat, where the weights came with a file.
func again(r *studio.Result) finding.Remedy {
	op, params := repeated(r)
	label := "Bind again with the same settings"
	if op != r.Operation {
		label = "Bind again by heat"
	}
	return studio.OfferOf(label, op, params)
}

// without is again with joints that shall not deform, besides those that were left out before.
func without(r *studio.Result, joints []string) finding.Remedy {
	op, params := repeated(r)
	before, _ := params["skip"].([]any)
	skip := slices.Clone(before)
	for _, name := range joints {
		skip = append(skip, name)
	}
	params["skip"] = skip
	return studio.OfferOf("Exclude and bind again", op, params)
}

// repeated returns the operation that made a bind, and its parameters.
func repeated(r *studio.Result) (op string, params map[string]any) {
	if _, _, err := studio.ParseOperation(r.Operation, r.Parameters); err != nil || r.Operation == "import" ||
		json.Unmarshal(r.Parameters, &params) != nil ||
		params == nil {
		return "bind_heat", map[string]any{}
	}
	return r.Operation, params
}
