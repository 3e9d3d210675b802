package demo

import (
	"context"
	"encoding/json"
	"fmt"
	"io"

	"wisemarrow/studio"
)

// Seed brings the cast into the studio, each character as far as the demo shows
// it; with sheets those that are bound are tried in motion too. A production that is there already is left
// alone.
func Seed(ctx context.Context, x *studio.Studio, told io.Writer, sheets bool) error {
	have, err := x.Productions(ctx)
	if err != nil {
		return err
	}
	for _, name := range have {
		if name == Production {
			fmt.Fprintln(told, "The demo production is there already.")
			return nil
		}
	}
	for _, member := range Cast() {
		m, _ := member.Make()
		s := studio.State{Mesh: m, Settings: studio.DefaultSettings()}
		s.Settings.Source = member.File
		c, err := x.Add(ctx, studio.Character{Production: Production, Name: member.Name, Role: member.Role}, "Troupe workshop", s,
			fmt.Sprintf("Brought in %s: %d vertices, %d faces", member.File, len(m.Points), m.Faces()))
		if err != nil {
			return fmt.Errorf("bringing in %s: %w", member.Name, err)
		}
		do := func(steps ...Step) error {
			for _, step := range steps {
				params, err := json.Marshal(step.Params)
				if err != nil {
					return err
				}
				r, _, err := x.Do(ctx, c.ID, c.Head, step.Op, params, "Troupe workshop")
				if err != nil {
					return fmt.Errorf("%s of %s: %w", step.Op, member.Name, err)
				}
				c.Head = r.ID
			}
			return nil
		}
		if err := do(member.Steps...); err != nil {
			return err
		}
		if sheets {
			_, _, state, err := x.Head(ctx, c.ID)
			if err != nil {
				return fmt.Errorf("looking at %s: %w", member.Name, err)
			}
			if state.Weights != nil {
				if err := do(append([]Step{{Op: "check_motion"}}, member.Tried...)...); err != nil {
					return err
				}
			}
		}
		// Looked at now, so that the cast page need not.
		rev, err := x.Revision(ctx, c.Head)
		if err == nil {
			_, err = x.Standing(ctx, rev)
		}
		if err != nil {
			return fmt.Errorf("looking at %s: %w", member.Name, err)
		}
		fmt.Fprintf(told, "Brought in %s (%d vertices).\n", member.Name, len(m.Points))
	}
	return nil
}
