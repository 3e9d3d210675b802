package bind

import (
	"context"
	"fmt"

	"wisemarrow/core/bind"
	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "follow_beneath",
			Label: "Let pieces follow the surface below",
			Stage: "bind",
			Words: "attach loose pieces copy carry buttons clothes rigid weights",
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights},
			New:   func() studio.Operation { return &FollowBeneath{Mode: bind.Auto} },
		},
	)
}

// account returns the result of the bind; of weights that have none, as those of
// characters that came bound, one that is made of the weights.
func account(s studio.State) studio.Result {
	if s.Bind != nil {
		return *s.Bind
	}
	most := 1
	for _, list := range s.Weights.Of {
		most = max(most, len(list))
	}
	return studio.Result{Operation: "import", Limits: weights.Limits{Cap: most}, Skeleton: s.Skeleton,
		Report: *bind.Account(s.Mesh, s.Skeleton, s.Weights, bind.Evidence{Method: "as the file bound it"})}
}

// FollowBeneath gives pieces without weights those of the surface beneath.
type FollowBeneath struct {
	Mode string `json:"mode" as:"Mode" one:"auto,rigid,follow"` // "rigid", "follow" or "auto"
}

// Apply implements Operation.
func (o *FollowBeneath) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	before := len(s.Stray())
	record := account(s)
	limits := record.Limits
	in, out := s.Mesh.Bindable()
	w, _, err := bind.FollowBeneath(in, s.Skeleton, s.Weights, o.Mode, limits)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	for v, yes := range out {
		if yes {
			w.Of[v] = nil
		}
	}
	var given []int32
	for v := range w.Of {
		if len(s.Weights.Of[v]) == 0 && len(w.Of[v]) > 0 {
			given = append(given, int32(v))
		}
	}
	if s.Binding, err = s.FurtherBound(given); err != nil {
		return s, studio.Outcome{}, err
	}
	s.Weights = w
	record.Report.Pieces = append(record.Report.Pieces[:0:0], record.Report.Pieces...)
	for i := range record.Report.Pieces {
		if p := &record.Report.Pieces[i]; p.State != bind.Solved {
			p.State, p.Cause = bind.Solved, "follows the surface beneath it"
		}
	}
	s.Bind = &record
	s = s.Recounted()
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Let pieces follow the surface below: unweighted vertices %d → %d", before, len(s.Bind.Report.Stray)),
		Before:   fmt.Sprint(before),
		After:    fmt.Sprint(len(s.Bind.Report.Stray)),
	}, nil
}
