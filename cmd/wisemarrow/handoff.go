package main

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

func handoffCommand() *cobra.Command {
	var out, rep string
	var influences int
	c := &cobra.Command{
		Use:   "handoff FILE",
		Short: "Check a bound character for handoff and write it",
		Example: `  wisemarrow handoff bound.glb --report handoff.json
  wisemarrow handoff bound.glb --influences 4 -o final.glb
  wisemarrow handoff bound.glb -o skeleton.gltf`,
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, files []string) error {
			s, err := readMesh(files[0])
			if err != nil {
				return err
			}
			list := studio.CheckOnly(&s, "handoff")
			tell(list)
			if out != "" {
				what := map[string]string{".glb": "glb", ".gltf": "skeleton", ".obj": "obj"}[strings.ToLower(filepath.Ext(out))]
				if what == "" {
					return fmt.Errorf("%s: a character is written as .glb, its skeleton as .gltf, its mesh as .obj", out)
				}
				if err := writeFile(out, func(w io.Writer) error { return handoff.Write(w, &s, what, influences) }); err != nil {
					return err
				}
				fmt.Fprintln(os.Stderr, "wrote", out)
			}
			if list == nil {
				list = []finding.Finding{}
			}
			if err := report(rep, struct {
				File     string            `json:"file"`
				Findings []finding.Finding `json:"findings"`
			}{files[0], list}); err != nil {
				return err
			}
			return verdict(list)
		},
	}
	c.Flags().IntVar(&influences, "influences", 0, "cap influences per vertex; default keeps all")
	c.Flags().StringVarP(&out, "output", "o", "", "write the character to this .glb, its skeleton to this .gltf, or its mesh to this .obj")
	c.Flags().StringVar(&rep, "report", "", "write the report as JSON to this file, or to standard output for -")
	return c
}
