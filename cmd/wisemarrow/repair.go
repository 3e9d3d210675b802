package main

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/stages/handoff"
	"wisemarrow/stages/intake"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

func repairCommand() *cobra.Command {
	var out, rep, kind string
	var distance, height float64
	var holes int
	var half, cut bool
	var place placementFlags
	c := &cobra.Command{
		Use:   "repair FILE",
		Short: "Make safe repairs and report what remains",
		Long: `Bake the transforms, remove duplicate and zero-area faces, weld cracked seams, remove loose
vertices, split non-manifold geometry and flip faces outward; then check again.
Unit, up axis and size are changed only when --up, --scale or --height is given;
holes are filled, a half completed and polygons triangulated only when asked for.`,
		Example: `  wisemarrow repair delivered.glb --up z --scale 0.01 -o body.glb --report repair.json
  wisemarrow repair body.obj --weld 0.0005 --holes 8 -o mended.obj
  wisemarrow repair half.obj --mirror --height 1.7 -o whole.glb`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, files []string) error {
			s, err := readMesh(files[0])
			if err != nil {
				return err
			}
			before, found, _ := health.Check(context.Background(), s.Mesh.Surface(), kind)
			s.Settings.Kind = kind
			found = intake.Judge(found, &s)
			if place.given() || height > 0 {
				p := place.over(mesh.NoPlacement)
				p.Stand = true
				if s, err = run(c.Context(), s, "bake_transform", p); err != nil {
					return err
				}
			}
			if height > 0 {
				if s, err = run(c.Context(), s, "real_size", intake.RealSize{Height: height}); err != nil {
					return err
				}
			}
			if s, err = run(c.Context(), s, "mend_safe", intake.MendSafe{Distance: distance}); err != nil {
				return err
			}
			if half {
				if s, err = run(c.Context(), s, "complete_half", intake.CompleteHalf{}); err != nil {
					return err
				}
			}
			if holes > 0 {
				if filled, err := run(c.Context(), s, "fill_holes", intake.FillHoles{Edges: holes}); err == nil {
					s = filled
				} else if !studio.IsInput(err) {
					return err
				}
			}
			if cut {
				if done, err := run(c.Context(), s, "triangulate", intake.Triangulate{Which: "polygons"}); err == nil {
					s = done
				} else if !studio.IsInput(err) {
					return err
				}
			}
			after, left, _ := health.Check(context.Background(), s.Mesh.Surface(), kind)
			left = intake.Judge(left, &s)
			if out != "" {
				what := strings.TrimPrefix(strings.ToLower(filepath.Ext(out)), ".")
				s.Skeleton, s.Weights = nil, nil
				if err := writeFile(out, func(w io.Writer) error { return handoff.Write(w, &s, what, handoff.Options{}) }); err != nil {
					return err
				}
			}
			fmt.Fprintf(os.Stderr, "Findings: %d → %d\n", len(found), len(left))
			tell(left)
			if err := report(rep, struct {
				File   string            `json:"file"`
				Before mesh.Facts        `json:"before"`
				After  mesh.Facts        `json:"after"`
				Found  []finding.Finding `json:"found"`
				Left   []finding.Finding `json:"left"`
			}{files[0], before, after, found, left}); err != nil {
				return err
			}
			return verdict(left)
		},
	}
	c.Flags().StringVarP(&out, "output", "o", "", "write the mesh to this .glb or .obj")
	c.Flags().StringVar(&rep, "report", "", "write the report as JSON to this file, or to standard output for -")
	c.Flags().Float64Var(&distance, "weld", 0, "weld distance in meters; a hundred-thousandth of the diagonal if not given")
	c.Flags().Float64Var(&height, "height", 0, "scale the character to this height in meters")
	c.Flags().IntVar(&holes, "holes", 0, "fill holes of up to this many edges")
	c.Flags().BoolVar(&half, "mirror", false, "complete a half mesh by mirroring it about X = 0")
	c.Flags().BoolVar(&cut, "triangles", false, "cut every face into triangles")
	addKind(c, &kind)
	place.add(c, "; kept if not given")
	return c
}
