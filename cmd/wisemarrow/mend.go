package main

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/gltf"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

// safe are the operations that repair applies, in the order in which each
// leaves the least to the next.
var safe = []string{"drop_faces", "weld", "drop_loose", "drop_faces", "make_outward"}

func repairCommand() *cobra.Command {
	var out, rep string
	var distance float64
	var place placementFlags
	c := &cobra.Command{
		Use:   "repair FILE",
		Short: "Mend what is safe to mend, and say what is left",
		Long: `Bake the transforms, drop doubled and empty faces, weld cracked seams, drop loose
vertices and turn faces outward; then check again. Unit and up axis are changed
only when --up or --scale is given.`,
		Example: `  wisemarrow repair delivered.glb --up z --scale 0.01 -o body.glb --report repair.json
  wisemarrow repair body.obj --weld 0.0005 -o mended.obj`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, files []string) error {
			s, err := readMesh(files[0])
			if err != nil {
				return err
			}
			before, found := s.Mesh.Check()
			p := place.over(mesh.Placement{Scale: 1, Up: "y"})
			p.Stand = place.given()
			if s, err = run(c.Context(), s, "bake_transform", p); err != nil {
				return err
			}
			if distance == 0 {
				distance = mesh.NearShare * geom.BoxOf(s.Mesh.Points).Diagonal()
			}
			for _, op := range safe {
				params := map[string]any{}
				if op == "weld" {
					params["distance"] = distance
				}
				if s, err = run(c.Context(), s, op, params); err != nil {
					return err
				}
			}
			after, left := s.Mesh.Check()
			if out != "" {
				what := strings.TrimPrefix(strings.ToLower(filepath.Ext(out)), ".")
				s.Skeleton, s.Weights = nil, nil
				if err := writeFile(out, func(w io.Writer) error { return studio.Handoff(w, &s, what, 0) }); err != nil {
					return err
				}
			}
			fmt.Fprintf(os.Stderr, "%d findings became %d\n", len(found), len(left))
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
	c.Flags().Float64Var(&distance, "weld", 0, "weld distance in metres; a hundred-thousandth of the diagonal if not given")
	place.add(c, "; kept if not given")
	return c
}

func orientCommand() *cobra.Command {
	var out, rep string
	conv := skeleton.DefaultConvention
	c := &cobra.Command{
		Use:   "orient SKELETON",
		Short: "Set the joint axes of a skeleton by a convention",
		Example: `  wisemarrow orient skeleton.gltf -o oriented.gltf
  wisemarrow orient skeleton.gltf --aim x --bend z --sides mirror -o oriented.gltf`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, files []string) error {
			sk, err := readSkeleton(files[0])
			if err != nil {
				return err
			}
			s := studio.State{Skeleton: sk, Settings: studio.DefaultSettings()}
			if s, err = run(c.Context(), s, "set_axes", studio.SetAxes{Convention: conv}); err != nil {
				return err
			}
			left := s.Skeleton.CheckAxes(conv, s.Settings.Suffixes, finding.Remedy{})
			tell(left)
			if out != "" {
				if err := writeFile(out, func(w io.Writer) error { return gltf.EncodeSkeleton(w, s.Skeleton) }); err != nil {
					return err
				}
			}
			if err := report(rep, struct {
				File       string              `json:"file"`
				Convention skeleton.Convention `json:"convention"`
				Findings   []finding.Finding   `json:"findings"`
			}{files[0], conv, left}); err != nil {
				return err
			}
			return verdict(left)
		},
	}
	c.Flags().StringVar(&conv.Aim, "aim", conv.Aim, "axis along the bone: x, y or z")
	c.Flags().StringVar(&conv.Bend, "bend", conv.Bend, "axis that the joint bends about")
	c.Flags().StringVar(&conv.From, "from", conv.From, "where the bend axis comes from: bend or world")
	c.Flags().StringVar(&conv.Sides, "sides", conv.Sides, "right side: bend or mirror")
	c.Flags().StringVarP(&out, "output", "o", "", "write the skeleton to this .gltf")
	c.Flags().StringVar(&rep, "report", "", "write the report as JSON to this file, or to standard output for -")
	return c
}
