package main

import (
	"fmt"
	"os"
	"strings"

	"wisemarrow/core/compare"
	"wisemarrow/core/wording"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

func compareCommand() *cobra.Command {
	var rep string
	c := &cobra.Command{
		Use:   "compare BEFORE AFTER",
		Short: "Say what differs between two files of a character: joints, weights, mesh, axes, targets",
		Long:  "Says what differs between two files. Exits with 0 where nothing does, with 1 where something does.",
		Example: `  wisemarrow compare delivered.glb returned.glb
  wisemarrow compare old.glb new.glb --report changes.json`,
		Args: cobra.ExactArgs(2),
		RunE: func(_ *cobra.Command, files []string) error {
			var states [2]studio.State
			for i, f := range files {
				s, err := readMesh(f)
				if err != nil {
					return err
				}
				states[i] = s
			}
			r := compare.Compare(handoff.SideOf(&states[0]), handoff.SideOf(&states[1]))
			for _, line := range handoff.Said(r) {
				fmt.Println(line)
			}
			if err := report(rep, r); err != nil {
				return err
			}
			if !r.Same() {
				return errFindings
			}
			return nil
		},
	}
	c.Flags().StringVar(&rep, "report", "", "write the report as JSON to this file, or to standard output for -")
	return c
}

func whichCommand() *cobra.Command {
	var rep string
	c := &cobra.Command{
		Use:   "which FILE",
		Short: "Say which version of which character a file is, by its stamp",
		Long:  "Reads the stamp that files of this program carry. Exits with 0 where there is one, with 1 where there is none.",
		Example: `  wisemarrow which odile.glb
  wisemarrow which odile.usdz --report -`,
		Args: cobra.ExactArgs(1),
		RunE: func(_ *cobra.Command, files []string) error {
			data, err := os.ReadFile(files[0])
			if err != nil {
				return err
			}
			stamp := handoff.ReadStamp(data)
			if err := report(rep, stamp); err != nil {
				return err
			}
			if stamp == nil {
				fmt.Fprintln(os.Stderr, files[0]+" carries no stamp: it was not written here, or another program has dropped it")
				return errFindings
			}
			if rep != "-" {
				said := []string{fmt.Sprintf("%s, revision %d of %s", stamp.Name, stamp.Revision, stamp.Made.Format("2 January 2006, 15:04 MST"))}
				if stamp.Version != "" {
					said = append(said, "version "+stamp.Version)
				}
				if stamp.Profile != "" {
					said = append(said, "for "+stamp.Profile)
				}
				if stamp.Score != nil {
					said = append(said, "score "+wording.Number(*stamp.Score))
				}
				fmt.Println(strings.Join(said, ", "))
			}
			return nil
		},
	}
	c.Flags().StringVar(&rep, "report", "", "write the stamp as JSON to this file, or to standard output for -")
	return c
}
