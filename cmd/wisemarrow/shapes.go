package main

import (
	"fmt"
	"text/tabwriter"

	"wisemarrow/core/wording"
	"wisemarrow/stages/shapes"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// shapeVerbs are the operations on shape targets under short names.
var shapeVerbs = [][2]string{{"add", "add_targets"}, {"mirror", "mirror_targets"}, {"split", "split_target"}, {"drive", "drive_target"},
	{"propose", "propose_correctives"}, {"follow", "follow_shape"}, {"bake", "bake_build"}, {"set", "set_target"}, {"keep", "keep_values"},
	{"use", "use_values"}, {"group", "group_targets"}, {"scale", "scale_target"}, {"rename", "rename_target"}, {"remove", "remove_targets"}}

func shapesCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "shapes",
		Short: "Shape targets of a file: list, add, mirror, split, drive, compute correctives, let the skeleton follow, bake a build",
		Long: `Shape targets of a file, what brings them on, and builds whose skeleton follows them. The file that
is written has them as glTF does, and how they are used in its extras (docs/shapes.md).`,
		Example: `  wisemarrow shapes list bound.glb
  wisemarrow shapes add bound.glb --target child.obj --name child -o a.glb
  wisemarrow shapes follow a.glb --target child -o b.glb
  wisemarrow shapes bake b.glb --set child=1 -o c.glb
  wisemarrow shapes propose bound.glb -o corrected.glb --report -
  wisemarrow shapes drive a.glb --target elbow_l --joint forearm_l --axis bend --degrees 120 -o b.glb
  wisemarrow shapes mirror b.glb --target elbow_l -o c.glb`,
		Args: cobra.NoArgs,
	}
	for _, v := range shapeVerbs {
		e, _, err := studio.ParseOperation(v[1], nil)
		if e.Name == "" {
			panic(err)
		}
		o := operationCommand(e, v[0])
		as := "targets"
		if v[0] == "add" { // the target is the file
			as = "file"
		}
		if o.Flags().Lookup("target") == nil {
			o.Flags().SetNormalizeFunc(func(_ *pflag.FlagSet, name string) pflag.NormalizedName {
				if name == "target" {
					name = as
				}
				return pflag.NormalizedName(name)
			})
		}
		c.AddCommand(o)
	}
	c.AddCommand(listShapesCommand())
	return c
}

// listed is a shape target as a report has it.
type listed struct {
	Name     string  `json:"name"`
	Value    float64 `json:"value"`
	Vertices int     `json:"vertices"`
	Largest  float64 `json:"largest"` // meters
	Joints   int     `json:"joints"`  // that follow it
	By       string  `json:"by,omitempty"`
	Group    string  `json:"group,omitempty"`
	Muted    bool    `json:"muted,omitempty"`
}

func listShapesCommand() *cobra.Command {
	var rep string
	c := &cobra.Command{
		Use:   "list FILE",
		Short: "List the shape targets: how far they reach, and what brings them on",
		Args:  cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, files []string) error {
			s, err := readMesh(files[0])
			if err != nil {
				return err
			}
			list := []listed{}
			for _, r := range shapes.Rows(&s) {
				list = append(list, listed{r.Name, r.Value, r.Vertices, r.Largest, len(r.Joints), r.By, r.Group, r.Muted})
			}
			if rep != "" {
				return report(rep, list)
			}
			if len(list) == 0 {
				fmt.Fprintf(c.OutOrStdout(), "%s has no shape targets.\n", files[0])
				return nil
			}
			w := tabwriter.NewWriter(c.OutOrStdout(), 0, 4, 2, ' ', 0)
			fmt.Fprintln(w, "target\tvalue\tvertices\tlargest\tjoints\tgroup\tbrought on by")
			for _, r := range list {
				by := r.By
				if by == "" {
					by = "hand"
				}
				fmt.Fprintf(
					w,
					"%s\t%.2f\t%d\t%s\t%d\t%s\t%s\n",
					r.Name,
					r.Value,
					r.Vertices,
					wording.Length(r.Largest),
					r.Joints,
					r.Group,
					by,
				)
			}
			return w.Flush()
		},
	}
	c.Flags().StringVar(&rep, "report", "", "write the list as JSON to this file, or to standard output for -")
	return c
}
