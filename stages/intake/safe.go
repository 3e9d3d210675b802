package intake

import (
	"context"
	"fmt"

	"wisemarrow/core/geom"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "mend_safe",
			Label: "Make safe repairs",
			Stage: "intake",
			Words: "clean up repair fix heal mesh",
			Needs: []studio.Need{studio.NeedMesh},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &MendSafe{} },
		},
	)
}

// MendSafe does the repairs that change nothing that a modeller could have
// meant, in the order in which each leaves the least to the next, and lists
// what is left for a person. Unit, axis and place are decisions and stay, as do
// holes and pieces.
type MendSafe struct {
	// Distance in metres within which borders are welded; 0 takes a
	// hundred-thousandth of the diagonal.
	Distance float64 `json:"distance,omitempty" as:"Weld distance" in:"0..1e6" unit:"m"`
}

// Apply implements Operation.
func (o *MendSafe) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	progress("Checking the mesh", 0)
	_, found, err := health.Check(ctx, s.Mesh.Surface(), s.Settings.Kind)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	out := studio.Outcome{Before: fmt.Sprint(len(found))}
	step := func(op studio.Operation) error {
		next, told, err := op.Apply(ctx, s, progress)
		if err != nil {
			return err
		}
		if _, ties := op.(*SplitTies); ties && crumbs(next.Mesh) > crumbs(s.Mesh) {
			return nil // fins that come off are pieces that nobody wants: a person decides
		}
		if same := sameMesh(s.Mesh, next.Mesh); !same {
			out.Steps = append(out.Steps, told.Sentence)
		}
		s = next
		return ctx.Err()
	}
	if s.Mesh.Framed() {
		if err := step(&BakeTransform{mesh.NoPlacement}); err != nil {
			return s, studio.Outcome{}, err
		}
	}
	distance := o.Distance
	if distance == 0 {
		distance = geom.NearShare * s.Mesh.Surface().Diagonal
	}
	steps := []studio.Operation{&DropFaces{}, &Weld{Distance: distance}, &DropLoose{}, &DropFaces{}, &SplitTies{}, &MakeOutward{}}
	stepNames := []string{
		"Removing duplicate and zero-area faces",
		"Welding",
		"Removing loose vertices",
		"Removing faces that the weld emptied",
		"Splitting non-manifold geometry",
		"Flipping faces outward",
	}
	for i, op := range steps {
		if w, ok := op.(*Weld); ok && !(w.Distance > 0) {
			continue // all in one point
		}
		progress(stepNames[i], 0.4+0.3*float64(i)/float64(len(steps)))
		if err := step(op); err != nil {
			return s, studio.Outcome{}, err
		}
	}
	progress("Checking what is left", 0.7)
	_, left, err := health.Check(ctx, s.Mesh.Surface(), s.Settings.Kind)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	for _, f := range left {
		out.Left = append(out.Left, f.Title)
	}
	out.After = fmt.Sprint(len(left))
	out.Sentence = fmt.Sprintf("Made safe repairs: findings %d → %d", len(found), len(left))
	if len(out.Steps) == 0 {
		out.Sentence = fmt.Sprintf("Nothing was safe to repair; %s left for you", wording.Count(len(left), "finding is", "findings are"))
	}
	return s, out, nil
}

// crumb is how many faces a piece has that is no part of a character by itself.
const crumb = 12

// crumbs counts the pieces that are smaller.
func crumbs(m *mesh.Mesh) int {
	n := 0
	for _, faces := range m.Pieces().Faces {
		if faces < crumb {
			n++
		}
	}
	return n
}

func sameMesh(a, b *mesh.Mesh) bool {
	return a == b || mesh.Compare(a, b).Same() && !a.Framed() && !b.Framed() && mesh.Compare(a, b).Farthest.By == 0
}
