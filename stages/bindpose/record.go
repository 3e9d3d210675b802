package bindpose

import (
	"context"
	"fmt"

	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

func init() {
	bound := []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights}
	studio.Register(
		studio.Entry{
			Name:  "restore_bind",
			Label: "Return to the bind pose",
			Stage: "bindpose",
			Words: "reset restore original home skeleton pose",
			Key:   "G",
			Needs: bound,
			New:   func() studio.Operation { return &RestoreBind{} },
		},
		studio.Entry{
			Name:  "record_bind",
			Label: "Record the bind pose again",
			Stage: "bindpose",
			Words: "rebind reset bind matrices freeze chosen joints all",
			From:  studio.FromForm,
			Needs: bound,
			New:   func() studio.Operation { return &RecordBind{} },
		},
		studio.Entry{
			Name:  "unify_bind",
			Label: "Unify the bind poses",
			Stage: "bindpose",
			Words: "merge unify several skins records single",
			Needs: bound,
			New:   func() studio.Operation { return &UnifyBind{} },
		},
		studio.Entry{
			Name:  "drop_records",
			Label: "Remove unused bind poses",
			Stage: "bindpose",
			Words: "delete unused clean up remove",
			Needs: bound,
			New:   func() studio.Operation { return &DropRecords{} },
		},
		studio.Entry{
			Name:  "loosen_skin",
			Label: "Loosen the skin",
			Stage: "bindpose",
			Words: "move joints without deforming edit detach unlock",
			Needs: bound,
			New:   func() studio.Operation { return &LoosenSkin{} },
		},
		studio.Entry{
			Name:  "take_hold",
			Label: "Reattach the skin",
			Stage: "bindpose",
			Words: "lock attach finish edit joints",
			Needs: bound,
			New:   func() studio.Operation { return &TakeHold{} },
		},
		studio.Entry{
			Name:  "bind_policy",
			Label: "Allow binding in another pose",
			Stage: "bindpose",
			Words: "policy refuse further piece production",
			From:  studio.FromForm,
			New:   func() studio.Operation { return &BindPolicy{} },
		},
	)
}

// off counts the joints that stand elsewhere than record r has them.
func off(s studio.State, r int) int { return len(s.AwayFrom(r)) }

// record reports a number that is none of a record.
func record(s studio.State, r int) error {
	if r < 0 || r >= len(s.Binding.Records) {
		return studio.Wrong("there is no record %d of the bind pose: there are %d, the first is 0", r, len(s.Binding.Records))
	}
	return nil
}

// RestoreBind brings the joints to where a record of the bind pose has them. They hang
// from what they hang from, and the weights are not touched.
type RestoreBind struct {
	Record int `json:"record,omitempty"`
}

// Apply implements studio.Operation.
func (o *RestoreBind) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if err := record(s, o.Record); err != nil {
		return s, studio.Outcome{}, err
	}
	before := off(s, o.Record)
	to := s.Binding.Restored(s.Skeleton, o.Record)
	s, err := s.WithMoved(to)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	after := Of(&s)
	return s, studio.Outcome{
		Sentence: fmt.Sprintf(
			"Returned to the bind pose: joints off %d → %d; skin error %s",
			before,
			off(s, o.Record),
			wording.Length(after.Now),
		),
		Before: fmt.Sprint(before),
		After:  fmt.Sprint(off(s, o.Record)),
	}, nil
}

// RecordBind takes where the chosen joints (none: all) stand for the pose in which the skin
// is bound to them. Vertices and weights stay as they are.
type RecordBind struct {
	Joints []string `json:"joints,omitempty"`
}

// Apply implements studio.Operation.
func (o *RecordBind) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	n, before := len(s.Skeleton.Joints), Of(&s).Now
	var list []string
	if len(o.Joints) > 0 {
		which, err := s.JointsNamed(o.Joints)
		if err != nil {
			return s, studio.Outcome{}, err
		}
		n = len(which)
		for _, i := range which {
			list = append(list, s.Skeleton.Joints[i].Name)
		}
	}
	s.Binding = s.Binding.Rerecorded(s.Skeleton, list)
	after := Of(&s).Now
	return s, studio.Outcome{
		Sentence: fmt.Sprintf(
			"Recorded the bind pose of %s again: skin error %s → %s",
			wording.Count(n, "joint", "joints"),
			wording.Length(before),
			wording.Length(after),
		),
		Before: wording.Length(before),
		After:  wording.Length(after),
	}, nil
}

// UnifyBind binds all pieces in one record; those of others shift by what is told.
type UnifyBind struct {
	Record int `json:"record,omitempty"`
}

// shiftsTold is how many pieces are told of by name.
const shiftsTold = 40

// Apply implements studio.Operation.
func (o *UnifyBind) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if err := record(s, o.Record); err != nil {
		return s, studio.Outcome{}, err
	}
	before := len(s.Binding.Records)
	if before == 1 {
		return s, studio.Outcome{}, studio.Wrong("all pieces are bound in one pose already")
	}
	was := shown(s)
	old := s.Binding
	s.Binding = s.Binding.Unified(o.Record)
	now := shown(s)
	pieces := s.Mesh.Pieces()
	shift := make([]float64, pieces.Count())
	other := make([]bool, pieces.Count())
	for v, p := range pieces.OfVertex {
		if p >= 0 && old.RecordOf(v) != o.Record {
			other[p] = true
			shift[p] = max(shift[p], r3.Norm(r3.Sub(now[v], was[v])))
		}
	}
	out := studio.Outcome{Before: fmt.Sprint(before), After: "1"}
	far, n := 0.0, 0
	for p, d := range shift {
		if !other[p] {
			continue
		}
		n++
		far = max(far, d)
		if len(out.Steps) < shiftsTold {
			out.Steps = append(
				out.Steps,
				fmt.Sprintf("piece %d, %s: shifts by %s", p+1, wording.Count(pieces.Vertices[p], "vertex", "vertices"), wording.Length(d)),
			)
		}
	}
	out.Sentence = fmt.Sprintf(
		"Brought all pieces to one bind pose: records %d → 1; %s, the farthest by %s",
		before,
		wording.Count(n, "piece shifts", "pieces shift"),
		wording.Length(far),
	)
	return s, out, nil
}

// shown returns where the vertices stand now.
func shown(s studio.State) []r3.Vec { return bound(s, nil) }

// DropRecords drops records of the bind pose that no vertex uses.
type DropRecords struct{}

// Apply implements studio.Operation.
func (o *DropRecords) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	before := len(s.Binding.Records)
	s.Binding = s.Binding.Pruned(len(s.Mesh.Points))
	after := len(s.Binding.Records)
	if before == after {
		return s, studio.Outcome{}, studio.Wrong("every record of the bind pose is used")
	}
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Removed unused bind poses: %d → %d records", before, after),
		Before:   fmt.Sprint(before),
		After:    fmt.Sprint(after),
	}, nil
}

// LoosenSkin lets joints be moved without the skin: their bind pose follows them until the
// skin is taken hold of again.
type LoosenSkin struct{}

// Apply implements studio.Operation.
func (o *LoosenSkin) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if s.Settings.Loose {
		return s, studio.Outcome{}, studio.Wrong("the skin is loose already")
	}
	s.Settings.Loose = true
	n := off(s, 0)
	said := "Loosened the skin: joints are moved without it, and their bind pose follows"
	if n > 0 {
		said += fmt.Sprintf("; %s already differed and still do", wording.Count(n, "joint", "joints"))
	}
	return s, studio.Outcome{Sentence: said}, nil
}

// TakeHold ends what LoosenSkin began.
type TakeHold struct{}

// Apply implements studio.Operation.
func (o *TakeHold) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if !s.Settings.Loose {
		return s, studio.Outcome{}, studio.Wrong("the skin is not loose")
	}
	s.Settings.Loose = false
	r := Of(&s)
	moved := 0
	if s.Bind != nil && s.Bind.Skeleton != nil {
		moved = movedFrom(s.Bind.Skeleton, s.Skeleton, r.Limit)
	}
	return s, studio.Outcome{
		Sentence: fmt.Sprintf(
			"Reattached the skin: %s differ from the positions the weights were made for, and the skin is off by %s",
			wording.Count(moved, "joint", "joints"),
			wording.Length(r.Now),
		),
	}, nil
}

func movedFrom(a, b *skeleton.Skeleton, limit float64) (n int) {
	at := a.Numbers()
	for _, j := range b.Joints {
		if k, ok := at[j.Name]; ok && r3.Norm(r3.Sub(j.Pos, a.Joints[k].Pos)) > limit {
			n++
		}
	}
	return n
}

// BindPolicy says whether a further piece may be bound while the joints are away from the
// recorded pose. It then gets a record of its own.
type BindPolicy struct {
	Elsewhere bool `json:"elsewhere"`
}

// Apply implements studio.Operation.
func (o *BindPolicy) Apply(_ context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if s.Settings.Elsewhere == o.Elsewhere {
		return s, studio.Outcome{}, studio.Wrong("already done: nothing changed")
	}
	s.Settings.Elsewhere = o.Elsewhere
	said := "Pieces are bound in the recorded pose alone"
	if o.Elsewhere {
		said = "Pieces may be bound in another pose; each gets its own record"
	}
	return s, studio.Outcome{Sentence: said}, nil
}
