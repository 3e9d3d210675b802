package main

import (
	"fmt"
	"strings"

	"wisemarrow/core/deform"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"github.com/spf13/cobra"
)

func testCommand() *cobra.Command {
	var rep, reel string
	var amount float64
	var steps, worst int
	c := &cobra.Command{
		Use:   "test FILE",
		Short: "Bend a bound character through the usual ranges of its joints and list the worst places",
		Long: `Turn each joint of a bound file through its usual range about its named axes, measure every frame
(a joint that moves what belongs to another, edges drawn out or crushed, faces turned inside out,
volume of limbs), and list the worst places with the joints to blame. Exit 1: some are over their
limit.`,
		Example: `  wisemarrow test bound.glb --reel usual --report test.json
  wisemarrow test bound.glb --amount 0.7 --worst 20`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, files []string) error {
			if reel != "usual" {
				return fmt.Errorf("there is no reel %q; there is: usual", reel)
			}
			if !(amount > 0 && amount <= 1.5) || steps < 1 || steps > 60 || worst < 0 {
				return fmt.Errorf("the amount is above 0 and at most 1.5, the steps 1 to 60, not %g and %d", amount, steps)
			}
			s, err := readMesh(files[0])
			if err != nil {
				return err
			}
			if s.Skeleton == nil || s.Weights == nil {
				return fmt.Errorf("%s holds no skin: it is not bound", files[0])
			}
			tris, _ := s.Mesh.Triangles()
			skin, err := deform.NewSkin(s.Mesh.World(), tris, s.Weights, s.Skeleton, s.Binding)
			if err != nil {
				return err
			}
			marks := s.Settings.Marks
			if marks.Left == "" {
				marks = skeleton.DefaultMarks
			}
			frames := pose.NewReel(s.Skeleton, s.Skeleton.Trials(marks), steps, amount)
			if len(frames.Frames) == 0 {
				return fmt.Errorf("no joint of %s turns anything", files[0])
			}
			checked, err := skin.Check(c.Context(), frames, nil)
			if err != nil {
				return err
			}
			out := c.OutOrStdout()
			fmt.Fprintf(out, "%d frames: on average the worst of a frame is at %.2f of its limit; %d places are over theirs.\n", len(checked.Frames), checked.Score, checked.Over())
			for i, f := range checked.Faults[:min(len(checked.Faults), worst)] {
				var blame []string
				for _, b := range f.Blame {
					blame = append(blame, fmt.Sprintf("%s %.0f %%", b.Joint, 100*b.Share))
				}
				fmt.Fprintf(out, "%3d. %-8s %5.2f of its limit, %s, vertex %d: %s\n", i+1, f.Kind, f.Times, f.Pose, f.Vertex, strings.Join(blame, ", "))
			}
			if err := report(rep, struct {
				File string `json:"file"`
				Over int    `json:"over"`
				*deform.Checked
			}{files[0], checked.Over(), checked}); err != nil {
				return err
			}
			if checked.Over() > 0 {
				return errFindings
			}
			return nil
		},
	}
	c.Flags().StringVar(&reel, "reel", "usual", "the motions: usual, each joint through its range")
	c.Flags().Float64Var(&amount, "amount", 1, "share of the ranges")
	c.Flags().IntVar(&steps, "steps", 5, "frames from rest to each end")
	c.Flags().IntVar(&worst, "worst", 10, "how many places are listed")
	c.Flags().StringVar(&rep, "report", "", "write every frame and place as JSON to this file, or to standard output for -")
	return c
}
