package main

import (
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/core/skeleton"
	"wisemarrow/stages/axes"
	"wisemarrow/stages/handoff"
	"wisemarrow/stages/intake"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

func orientCommand() *cobra.Command {
	var out, rep string
	var safe bool
	conv := skeleton.DefaultConvention
	c := &cobra.Command{
		Use:   "orient FILE",
		Short: "Set the joint axes of a skeleton by a convention",
		Long: `Set the joint axes of a skeleton by a convention, or with --safe only those that are
found wrong. Of a bound character (-o with .glb) mesh and skin come along and stay still.`,
		Example: `  wisemarrow orient skeleton.gltf -o oriented.gltf
  wisemarrow orient skeleton.gltf --aim x --bend z --sides mirror -o oriented.gltf
  wisemarrow orient rigged.glb --safe -o aligned.glb`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, files []string) error {
			s, err := readJoints(files[0])
			if err != nil {
				return err
			}
			if safe {
				s.Settings.Convention = conv
				s, err = run(c.Context(), s, "align_safe", axes.AlignSafe{})
			} else {
				s, err = run(c.Context(), s, "set_axes", axes.SetAxes{Convention: conv})
			}
			if err != nil {
				return err
			}
			left := axes.Check(s.Skeleton, nil, conv, s.Settings.Marks)
			tell(left)
			if out != "" {
				what := "skeleton"
				if strings.EqualFold(filepath.Ext(out), ".glb") && s.Mesh != nil {
					what = "glb"
				}
				if err := writeFile(out, func(w io.Writer) error { return handoff.Write(w, &s, what, handoff.Options{}) }); err != nil {
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
	c.Flags().StringVar(&conv.From, "from", conv.From, "where the bend axis comes from: bend, world or surface")
	c.Flags().StringVar(&conv.Sides, "sides", conv.Sides, "right side: bend or mirror")
	c.Flags().StringVar(&conv.Ends, "ends", "inherit", "end joints inherit their parents' axes, or align like others")
	c.Flags().BoolVar(&safe, "safe", false, "set only what is found wrong, and say what is left")
	c.Flags().StringVarP(&out, "output", "o", "", "write the skeleton to this .gltf, or with its skin to this .glb")
	c.Flags().StringVar(&rep, "report", "", "write the report as JSON to this file, or to standard output for -")
	return c
}

// readJoints reads a skeleton with the mesh and the skin that the file has of it.
func readJoints(path string) (studio.State, error) {
	if ext := strings.ToLower(filepath.Ext(path)); ext == ".glb" || ext == ".gltf" {
		scene, err := readScene(path)
		if err != nil {
			return studio.State{}, err
		}
		if scene.Mesh != nil && scene.Skeleton != nil {
			s := intake.StateOf(scene, filepath.Base(path))
			if s.Skeleton == nil {
				return s, fmt.Errorf("%s holds no skeleton", path)
			}
			return s, nil
		}
	}
	sk, err := readSkeleton(path)
	return studio.State{Skeleton: sk, Settings: studio.DefaultSettings()}, err
}
