package main

import (
	"errors"
	"fmt"
	"io"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

func bindCommand() *cobra.Command {
	var out, rep, skel, method string
	var influences int
	var laplacian, from, by string
	var within float64
	var trace, heat, falloff float64
	var cubes, copied int
	var mend bool
	var place placementFlags
	c := &cobra.Command{
		Use:   "bind FILE",
		Short: "Bind a mesh to a skeleton and report every joint and piece",
		Long: `Bind a mesh to a skeleton and write both as one GLB. The skeleton file is a glTF
whose joints are the nodes of its first skin, or all its nodes; it uses the
coordinates of the mesh's file.`,
		Example: `  wisemarrow bind body.obj --skeleton skeleton.gltf --method auto --influences 4 -o bound.glb --report bind.json
  wisemarrow bind body.obj --skeleton skeleton.gltf --method motion -o bound.glb
  wisemarrow bind scan.obj --skeleton skeleton.gltf --method volume --falloff 8 -o bound.glb
  wisemarrow bind lamplighter.glb --skeleton skeleton.gltf --mend -o bound.glb
  wisemarrow bind new.obj --skeleton skeleton.gltf --method carry --from bound.glb --within 0.02 -o out.glb`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, files []string) error {
			params, ok := map[string]map[string]any{
				"auto":      {"influences": influences, "trace": trace},
				"heat":      {"influences": influences, "trace": trace, "heat": heat, "laplacian": laplacian},
				"volume":    {"influences": influences, "trace": trace, "falloff": falloff, "cubes": cubes},
				"near":      {"influences": influences, "trace": trace, "falloff": falloff},
				"capsules":  {"influences": influences, "trace": trace},
				"shell":     {"influences": influences, "trace": trace, "cubes": cubes},
				"rigid":     {},
				"carry":     {"influences": influences, "trace": trace, "from": by, "within": within},
				"motion":    {"influences": influences, "trace": trace},
				"decimated": {"influences": influences, "trace": trace, "copy": copied},
			}[method]
			if !ok {
				return fmt.Errorf(
					"there is no method %q; there are: auto, motion, decimated, heat, shell, volume, near, capsules, rigid, carry",
					method,
				)
			}
			op := "bind_" + method
			if method == "motion" {
				op = "bind_auto" // which is where the solution begins
			}
			var brought studio.Upload
			if method == "carry" {
				if from == "" {
					return errors.New("carry needs --from, the bound .glb that the weights are taken from")
				}
				var err error
				if brought, err = readUpload(from); err != nil {
					return err
				}
				op = "carry_weights"
				params["file"], _ = brought.Blobs()
			}
			s, err := readMesh(files[0])
			if err != nil {
				return err
			}
			if s.Skeleton, err = readSkeleton(skel); err != nil {
				return err
			}
			if s.Mesh.Framed() {
				if s, err = run(c.Context(), s, "bake_transform", mesh.Placement{Scale: 1, Up: "y"}); err != nil {
					return err
				}
			}
			if place.given() {
				s.Mesh, s.Skeleton = placed(s.Mesh, s.Skeleton, place.over(mesh.Placement{Scale: 1, Up: "y"}))
			}
			if s, err = run(c.Context(), s, op, params, brought); err != nil {
				return err
			}
			if mend && finding.Worst(studio.CheckOnly(&s, "bind")) == finding.Blocks {
				switch mended, err := run(c.Context(), s, "mend_bind", nil); {
				case studio.IsInput(err): // nothing makes it better: what is left is told below
					fmt.Fprintln(c.ErrOrStderr(), err)
				case err != nil:
					return err
				default:
					s = mended
				}
			}
			if method == "motion" && len(s.Stray()) < len(s.Mesh.Points) {
				if s, err = run(c.Context(), s, "solve_weights", nil); err != nil {
					return err
				}
			}
			if out != "" {
				o := handoff.Options{Influences: influences}
				if err := writeFile(out, func(w io.Writer) error { return handoff.Write(w, &s, "glb", o) }); err != nil {
					return err
				}
			}
			list := studio.CheckOnly(&s, "bind")
			tell(list)
			if err := report(rep, s.Bind.Report); err != nil {
				return err
			}
			return verdict(list)
		},
	}
	c.Flags().StringVar(&skel, "skeleton", "", "skeleton: .gltf, .glb or .bvh (required)")
	c.Flags().
		StringVar(&method, "method", "auto", "how weights are found: auto, motion (auto, then solved for how the skin should bend), decimated (auto on a copy of fewer vertices), heat, shell (heat over a closed skin), volume (voxel geodesic), near, capsules, rigid, or carry from a bound file")
	c.Flags().IntVar(&influences, "influences", 4, "influences per vertex, 1–16")
	c.Flags().Float64Var(&trace, "trace", 0.001, "drop traces below this")
	c.Flags().Float64Var(&heat, "heat", 1, "attraction to the nearest bone")
	c.Flags().
		StringVar(&laplacian, "laplacian", "plain", "of heat: plain, or robust, which has no weight of the wrong sign on any triangles")
	c.Flags().Float64Var(&falloff, "falloff", 6, "of volume and near: how fast weights fall with the distance, 4 soft to 10 tight")
	c.Flags().IntVar(&cubes, "cubes", 0, "of volume and shell: cubes along the longest side, 24 to 320; 0 is 128")
	c.Flags().IntVar(&copied, "copy", 20_000, "of decimated: vertices of the copy that is bound, 500 to 200000")
	c.Flags().BoolVar(&mend, "mend", false, "try remedies for unsolved vertices and joints")
	c.Flags().StringVar(&from, "from", "", "of carry: the bound .glb that the weights are taken from")
	c.Flags().StringVar(&by, "by", "surface", "carry: nearest surface or vertex, along the normal, or vertex order")
	c.Flags().Float64Var(&within, "within", 0, "of carry: maximum distance in meters, 0 for no limit")
	c.Flags().StringVarP(&out, "output", "o", "", "write mesh, skeleton and skin to this .glb")
	c.Flags().StringVar(&rep, "report", "", "write the report as JSON to this file, or to standard output for -")
	place.add(c, "; kept if not given")
	_ = c.MarkFlagRequired("skeleton")
	return c
}

// placed brings mesh and skeleton from the file's frame into Y up and metres.
func placed(m *mesh.Mesh, s *skeleton.Skeleton, p mesh.Placement) (*mesh.Mesh, *skeleton.Skeleton) {
	out := s.Clone()
	turn := mesh.UpTurn(p.Up)
	for i := range out.Joints {
		j := &out.Joints[i]
		j.Pos = geom.Rotate(turn, r3.Scale(p.Scale, j.Pos))
		j.Rot = geom.Normalise(quat.Mul(turn, j.Rot))
	}
	return m.Bake(p), out
}
