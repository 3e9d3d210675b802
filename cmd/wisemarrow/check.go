package main

import (
	"context"
	"fmt"
	"os"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/stages/intake"

	"github.com/spf13/cobra"
)

type checkReport struct {
	File     string            `json:"file"`
	Mesh     mesh.Facts        `json:"mesh"`
	Guess    mesh.Guess        `json:"guess"`
	Findings []finding.Finding `json:"findings"`
}

func checkCommand() *cobra.Command {
	var out, kind string
	c := &cobra.Command{
		Use:   "check FILE…",
		Short: "Check meshes for problems that would harm a bind",
		Example: `  wisemarrow check body.obj
  wisemarrow check *.glb --report check.json`,
		Args: cobra.MinimumNArgs(1),
		RunE: func(_ *cobra.Command, files []string) error {
			var reports []checkReport
			var all []finding.Finding
			for _, file := range files {
				s, err := readMesh(file)
				if err != nil {
					return err
				}
				facts, list, _ := health.Check(context.Background(), s.Mesh.Surface(), kind)
				if list = intake.Judge(list, &s); list == nil {
					list = []finding.Finding{}
				}
				fmt.Fprintf(
					os.Stderr,
					"%s: %d vertices, %d faces, %d pieces, height %.3g\n",
					file,
					facts.Vertices,
					facts.Faces,
					facts.Pieces,
					facts.Height,
				)
				tell(list)
				reports = append(reports, checkReport{file, facts, s.Mesh.GuessPlacement(), list})
				all = append(all, list...)
			}
			var v any = reports
			if len(reports) == 1 {
				v = reports[0]
			}
			if err := report(out, v); err != nil {
				return err
			}
			return verdict(all)
		},
	}
	c.Flags().StringVar(&out, "report", "", "write the report as JSON to this file, or to standard output for -")
	addKind(c, &kind)
	return c
}
