package main

import (
	"io"

	"wisemarrow/core/finding"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/gltf"
	"wisemarrow/stages/axes"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

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
			if s, err = run(c.Context(), s, "set_axes", axes.SetAxes{Convention: conv}); err != nil {
				return err
			}
			left := axes.Check(s.Skeleton, nil, conv, s.Settings.Marks)
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
