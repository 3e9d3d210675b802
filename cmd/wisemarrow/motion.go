package main

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"wisemarrow/core/pose"
	"wisemarrow/core/wording"
	"wisemarrow/stages/motion"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

// reels are what --reel may say.
var reels = map[string][]string{
	"usual":   nil,
	"ranges":  {pose.SegmentRange},
	"figures": {pose.SegmentFist, pose.SegmentFigure, pose.SegmentGait},
	"own":     {pose.SegmentOwn},
}

// testedFile is how a file came through the reel.
type testedFile struct {
	File string `json:"file"`
	*studio.Sheet
}

func testCommand() *cobra.Command {
	var rep, reel string
	asked := studio.Usual
	var worst int
	c := &cobra.Command{
		Use:   "test FILE…",
		Short: "Run the motion check, list the worst spots; compare several binds",
		Long: `Build the test reel of a bound file from its skeleton: each joint through its usual range about its named
axes, fists, figures as a crouch or a reach, steps, a wing beat or a wave, and the motions of the file.
Measure every frame (a joint that moves what belongs to another, edges drawn out or crushed, creases,
faces turned inside out, volume of limbs, skin through itself), and list the worst places with the joints
to blame. Several files are ranked, the best first. Exit 1: in some a place is over its limit.`,
		Example: `  wisemarrow test bound.glb --reel usual --report test.json
  wisemarrow test heat.glb shell.glb distance.glb
  wisemarrow test bound.glb --reel ranges --joint upper_arm_l --amount 0.7 --worst 20`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(c *cobra.Command, files []string) error {
			kinds, known := reels[reel]
			if !known {
				return fmt.Errorf("there is no reel %q; there are usual, ranges, figures and own", reel)
			}
			if worst < 0 {
				return fmt.Errorf("list at least 0 spots, not %d", worst)
			}
			asked.Kinds = kinds
			var all []testedFile
			for _, name := range files {
				s, err := readMesh(name)
				if err != nil {
					return err
				}
				if s.Skeleton == nil || s.Weights == nil {
					return fmt.Errorf("%s holds no skin: it is not bound", name)
				}
				sheet, err := studio.Measure(c.Context(), &s, asked, nil)
				if err != nil {
					return fmt.Errorf("%s: %w", name, err)
				}
				all = append(all, testedFile{name, sheet})
			}
			slices.SortStableFunc(
				all,
				func(a, b testedFile) int { return cmp.Or(cmp.Compare(a.Score, b.Score), cmp.Compare(a.Over, b.Over)) },
			)
			over := 0
			for i, f := range all {
				if len(all) > 1 {
					fmt.Fprintf(c.OutOrStdout(), "%d. %s\n", i+1, f.File)
				}
				list(c.OutOrStdout(), f.Sheet, worst)
				over += f.Over
			}
			var out any = all
			if len(all) == 1 {
				out = all[0]
			}
			if err := report(rep, out); err != nil {
				return err
			}
			if over > 0 {
				return errFindings
			}
			return nil
		},
	}
	c.Flags().
		StringVar(&reel, "reel", "usual", "the motions: usual is all; ranges, each joint alone; figures; own, the motions of the file")
	c.Flags().Float64Var(&asked.Amount, "amount", asked.Amount, "part of the ranges, 1 is all of them")
	c.Flags().IntVar(&asked.Steps, "steps", asked.Steps, "frames from rest to each end")
	c.Flags().StringSliceVar(&asked.Joints, "joint", nil, "of the ranges only those of these joints")
	c.Flags().IntVar(&worst, "worst", 10, "how many spots to list")
	c.Flags().StringVar(&rep, "report", "", "write the score sheet as JSON to this file, or to standard output for -")
	return c
}

func list(out io.Writer, s *studio.Sheet, worst int) {
	fmt.Fprintf(
		out,
		"%s, %.2f on average (1 is at the limits); %s over a limit.\n",
		wording.Count(len(s.Frames), "frame", "frames"),
		s.Score,
		wording.Count(s.Over, "spot is", "spots are"),
	)
	for i, f := range s.Faults[:min(len(s.Faults), worst)] {
		var blame []string
		for _, b := range f.Blame {
			blame = append(blame, b.Joint+" "+wording.Percent(b.Share))
		}
		mark := " "
		if f.Times > 1 {
			mark = "!"
		}
		fmt.Fprintf(out, "%s%3d. %s: %s, vertex %d: %s\n", mark, i+1, motion.Seen(f), f.Pose, f.Vertex, strings.Join(blame, ", "))
	}
}
