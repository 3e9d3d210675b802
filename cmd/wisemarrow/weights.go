package main

import (
	"errors"
	"fmt"
	"io"
	"math"

	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

// weightFlags are those of all commands of weights; each verb has some of them.
type weightFlags struct {
	out, rep               string
	joints, parts, onto    []string
	vertices, to, from, by string
	value, add, times      float64
	below, width, within   float64
	tolerance              float64
	passes, influences     int
	steps, vertex          int
	branch, others         bool
}

func weightsCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "weights",
		Short: "Change the skin weights of a bound file: smooth, mirror, set, take away, hand over, cap, read and write tables",
		Long: `Change the skin weights of a bound file. What one joint gets the others give in their proportion.
Vertices are ranges of their numbers, as 0-14,20; none is all.`,
		Example: `  wisemarrow weights smooth bound.glb --joints forearm_l --passes 3 -o soft.glb
  wisemarrow weights mirror bound.glb --from left -o even.glb
  wisemarrow weights set bound.glb --joints head --vertices 0-120 --value 1 -o out.glb
  wisemarrow weights free bound.glb --joints upper_arm_l --branch --vertices 200-340 -o out.glb
  wisemarrow weights drop bound.glb --below 0.01 -o out.glb
  wisemarrow weights carry new.glb --from bound.glb --within 0.02 -o out.glb
  wisemarrow weights write bound.glb -o weights.csv
  wisemarrow weights read bound.glb --from weights.csv -o out.glb`,
		Args: cobra.NoArgs,
	}
	type flags func(c *cobra.Command, f *weightFlags)
	joints := func(c *cobra.Command, f *weightFlags) {
		c.Flags().StringSliceVar(&f.joints, "joints", nil, "the joints to change")
	}
	chosen := func(c *cobra.Command, f *weightFlags) {
		c.Flags().StringVar(&f.vertices, "vertices", "", "vertices such as 0-14,20; default all")
	}
	verb := func(name, op, short string, params func(f *weightFlags) (map[string]any, error), add ...flags) {
		f := &weightFlags{value: math.NaN(), times: math.NaN()}
		v := &cobra.Command{Use: name + " FILE", Short: short, Args: cobra.ExactArgs(1), RunE: func(c *cobra.Command, files []string) error {
			p, err := params(f)
			if err != nil {
				return err
			}
			return f.run(c, files[0], op, p)
		}}
		for _, a := range add {
			a(v, f)
		}
		v.Flags().StringVarP(&f.out, "output", "o", "", "write the changed character to this .glb")
		v.Flags().StringVar(&f.rep, "report", "", "write what was done as JSON to this file, or to standard output for -")
		c.AddCommand(v)
	}
	verb("smooth", "smooth_weights", "Smooth vertices toward their neighbors", func(f *weightFlags) (map[string]any, error) {
		return map[string]any{"joints": f.joints, "vertices": f.vertices, "passes": f.passes}, nil
	}, joints, chosen, func(c *cobra.Command, f *weightFlags) {
		c.Flags().IntVar(&f.passes, "passes", 1, "how often")
	})
	verb("mirror", "mirror_weights", "Mirror one side to the other", func(f *weightFlags) (map[string]any, error) {
		return map[string]any{"from": f.from, "by": f.by, "tolerance": f.tolerance, "vertices": f.vertices}, nil
	}, chosen, func(c *cobra.Command, f *weightFlags) {
		c.Flags().StringVar(&f.from, "from", "left", "the side that is taken: left or right")
		c.Flags().StringVar(&f.by, "by", "place", "vertices by position, by topology, or by joints where the sides are posed unevenly")
		c.Flags().Float64Var(&f.tolerance, "tolerance", 0, "how far from the mirrored position a match may be, in meters")
	})
	verb("set", "set_weights", "Set, add to or multiply a joint's weight on vertices", func(f *weightFlags) (map[string]any, error) {
		if len(f.joints) != 1 {
			return nil, errors.New("name one joint with --joints")
		}
		p := map[string]any{"joint": f.joints[0], "vertices": f.vertices, "by": f.add}
		if !math.IsNaN(f.value) {
			p["value"] = f.value
		}
		if !math.IsNaN(f.times) {
			p["times"] = f.times
		}
		return p, nil
	}, joints, chosen, func(c *cobra.Command, f *weightFlags) {
		c.Flags().Float64Var(&f.value, "value", math.NaN(), "the weight, 0 to 1")
		c.Flags().Float64Var(&f.add, "add", 0, "add this to the weight")
		c.Flags().Float64Var(&f.times, "times", math.NaN(), "multiply the weight by this")
	})
	verb("free", "free_weights", "Remove vertices from joints; the remaining influences take the weight", func(f *weightFlags) (map[string]any, error) {
		return map[string]any{"joints": f.joints, "vertices": f.vertices, "branch": f.branch, "others": f.others}, nil
	}, joints, chosen, func(c *cobra.Command, f *weightFlags) {
		c.Flags().BoolVar(&f.branch, "branch", false, "and from all their descendants")
		c.Flags().BoolVar(&f.others, "others", false, "from all joints but these")
	})
	verb("hand", "hand_weights", "Give joints' weights to another", func(f *weightFlags) (map[string]any, error) {
		return map[string]any{"joints": f.joints, "to": f.to, "vertices": f.vertices}, nil
	}, joints, chosen, func(c *cobra.Command, f *weightFlags) {
		c.Flags().StringVar(&f.to, "to", "", "the joint that gets them")
	})
	verb("drop", "drop_traces", "Drop traces below a limit", func(f *weightFlags) (map[string]any, error) {
		return map[string]any{"below": f.below, "vertices": f.vertices}, nil
	}, chosen, func(c *cobra.Command, f *weightFlags) {
		c.Flags().Float64Var(&f.below, "below", 0.01, "the limit")
	})
	verb("cap", "cap_weights", "Cap the influences of each vertex; what goes is faded first", func(f *weightFlags) (map[string]any, error) {
		return map[string]any{"influences": f.influences, "vertices": f.vertices}, nil
	}, chosen, func(c *cobra.Command, f *weightFlags) {
		c.Flags().IntVar(&f.influences, "influences", 4, "how many, 1 to 16")
	})
	verb("harden", "harden_weights", "Give each vertex wholly to its leading joint, or round weights", func(f *weightFlags) (map[string]any, error) {
		return map[string]any{"steps": f.steps, "vertices": f.vertices}, nil
	}, chosen, func(c *cobra.Command, f *weightFlags) {
		c.Flags().IntVar(&f.steps, "steps", 1, "round to parts of one in so many")
	})
	verb("copy", "copy_weights", "Give vertices the weights of one", func(f *weightFlags) (map[string]any, error) {
		return map[string]any{"from": f.vertex, "vertices": f.vertices}, nil
	}, chosen, func(c *cobra.Command, f *weightFlags) {
		c.Flags().IntVar(&f.vertex, "vertex", -1, "the vertex whose weights are copied")
	})
	verb("settle", "settle_weights", "Settle outliers to their neighbors", func(f *weightFlags) (map[string]any, error) {
		return map[string]any{"vertices": f.vertices}, nil
	}, chosen)
	verb("far", "drop_far", "Remove weights far from their bone", func(f *weightFlags) (map[string]any, error) {
		return map[string]any{"vertices": f.vertices}, nil
	}, chosen)
	verb("blend", "blend_border", "Blend the boundary between two joints", func(f *weightFlags) (map[string]any, error) {
		return map[string]any{"joints": f.joints, "width": f.width, "vertices": f.vertices}, nil
	}, joints, chosen, func(c *cobra.Command, f *weightFlags) {
		c.Flags().Float64Var(&f.width, "width", 0.05, "meters along the surface")
	})
	within := func(c *cobra.Command, f *weightFlags) {
		c.Flags().StringVar(&f.from, "from", "", "the file that they are taken from")
		c.Flags().Float64Var(&f.within, "within", 0, "maximum distance in meters")
	}
	verb("carry", "carry_weights", "Carry weights over from another bound file, or from parts of this one", func(f *weightFlags) (map[string]any, error) {
		p := map[string]any{"influences": f.influences, "trace": 0.001, "from": f.by, "within": f.within, "vertices": f.vertices}
		if len(f.parts) > 0 {
			p["parts"] = f.parts
		}
		if len(f.onto) > 0 {
			p["onto"] = f.onto
		}
		return p, nil
	}, within, chosen, func(c *cobra.Command, f *weightFlags) {
		c.Flags().StringSliceVar(&f.parts, "parts", nil, "parts of this mesh that give them, in place of --from")
		c.Flags().StringSliceVar(&f.onto, "onto", nil, "parts that get them; the rest stays as it is")
	}, func(c *cobra.Command, f *weightFlags) {
		c.Flags().StringVar(&f.by, "by", "surface", "the nearest surface or vertex, or along the normal")
		c.Flags().IntVar(&f.influences, "influences", 4, "influences per vertex, 1–16")
	})
	verb("read", "import_weights", "Take weights from a CSV or JSON table", func(f *weightFlags) (map[string]any, error) {
		return map[string]any{"by": f.by, "within": f.within}, nil
	}, within, func(c *cobra.Command, f *weightFlags) {
		c.Flags().StringVar(&f.by, "by", "", "by vertex, their number, or place; by number where the table has them")
	})
	verb("write", "", "Write the weights as a table, .csv or .json", func(*weightFlags) (map[string]any, error) { return nil, nil })
	return c
}

// run does an operation to a bound file; carry and read bring a file of their own.
func (f *weightFlags) run(c *cobra.Command, name, op string, params map[string]any) error {
	s, err := readMesh(name)
	if err != nil {
		return err
	}
	if s.Skeleton == nil || s.Weights == nil && op != "carry_weights" && op != "import_weights" {
		return fmt.Errorf("%s holds no skin: it is not bound", name)
	}
	if op == "" {
		what := "csv"
		if len(f.out) > 5 && f.out[len(f.out)-5:] == ".json" {
			what = "json"
		}
		if f.out == "" {
			return handoff.Write(c.OutOrStdout(), &s, what, 0)
		}
		return writeFile(f.out, func(w io.Writer) error { return handoff.Write(w, &s, what, 0) })
	}
	var brought []studio.Upload
	if op == "import_weights" || op == "carry_weights" && (f.from != "" || len(f.parts) == 0) {
		if f.from == "" {
			return errors.New("name with --from the file that the weights are in")
		}
		up, err := readUpload(f.from)
		if err != nil {
			return err
		}
		brought = append(brought, up)
		params["file"], _ = up.Blobs()
	}
	next, told, err := runTold(c.Context(), s, op, params, brought...)
	if err != nil {
		return err
	}
	if f.out != "" {
		if err := writeFile(f.out, func(w io.Writer) error { return handoff.Write(w, &next, "glb", 0) }); err != nil {
			return err
		}
	}
	return report(f.rep, told)
}
