package main

import (
	"fmt"
	"io"
	"strings"

	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

// weightVerbs are the operations on weights under short names.
var weightVerbs = [][2]string{{"smooth", "smooth_weights"}, {"mirror", "mirror_weights"}, {"set", "set_weights"}, {"free", "free_weights"},
	{"hand", "hand_weights"}, {"drop", "drop_traces"}, {"cap", "cap_weights"}, {"harden", "harden_weights"}, {"copy", "copy_weights"},
	{"settle", "settle_weights"}, {"far", "drop_far"}, {"blend", "blend_border"}, {"carry", "carry_weights"}, {"read", "import_weights"}, {"solve", "solve_weights"},
	{"helpers", "add_helpers"}, {"remove-helpers", "remove_helpers"}}

func weightsCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "weights",
		Short: "Change the skin weights of a bound file: smooth, mirror, set, take away, hand over, cap, solve for motion, read and write tables",
		Long: `Change the skin weights of a bound file. What one joint gets the others give in their proportion.
Vertices are ranges of their numbers, as 0-14,20; none is all.`,
		Example: `  wisemarrow weights smooth bound.glb --joints forearm_l --passes 3 -o soft.glb
  wisemarrow weights mirror bound.glb --from left -o even.glb
  wisemarrow weights set bound.glb --joint head --vertices 0-120 --value 1 -o out.glb
  wisemarrow weights free bound.glb --joints upper_arm_l --branch --vertices 200-340 -o out.glb
  wisemarrow weights drop bound.glb --below 0.01 -o out.glb
  wisemarrow weights carry new.glb --file bound.glb --within 0.02 -o out.glb
  wisemarrow weights solve bound.glb --dial 0.6 -o solved.glb
  wisemarrow weights solve bound.glb --guides sculpted/ --counts 20 -o solved.glb
  wisemarrow weights helpers bound.glb --most 4 -o helped.glb
  wisemarrow weights write bound.glb -o weights.csv
  wisemarrow weights read bound.glb --file weights.csv -o out.glb`,
		Args: cobra.NoArgs,
	}
	for _, v := range weightVerbs {
		e, _, err := studio.ParseOperation(v[1], nil)
		if e.Name == "" {
			panic(err)
		}
		c.AddCommand(operationCommand(e, v[0]))
	}
	c.AddCommand(writeWeightsCommand())
	return c
}

func writeWeightsCommand() *cobra.Command {
	var out string
	c := &cobra.Command{
		Use:   "write FILE",
		Short: "Write the weights as a table, .csv or .json",
		Args:  cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, files []string) error {
			s, err := readMesh(files[0])
			if err != nil {
				return err
			}
			if s.Skeleton == nil || s.Weights == nil {
				return fmt.Errorf("%s holds no skin: it is not bound", files[0])
			}
			what := "csv"
			if strings.HasSuffix(out, ".json") {
				what = "json"
			}
			if out == "" {
				return handoff.Write(c.OutOrStdout(), &s, what, handoff.Options{})
			}
			return writeFile(out, func(w io.Writer) error { return handoff.Write(w, &s, what, handoff.Options{}) })
		},
	}
	c.Flags().StringVarP(&out, "output", "o", "", "write the table here; without it, to standard output")
	return c
}
