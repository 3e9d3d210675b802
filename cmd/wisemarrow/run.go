package main

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/formats/reading"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

// ranReport is what a script did to one file.
type ranReport struct {
	File   string                       `json:"file"`
	Output string                       `json:"output,omitempty"`
	Steps  []studio.Ran                 `json:"steps"`
	Error  string                       `json:"error,omitempty"`
	Found  map[string][]finding.Finding `json:"found"` // by stage
}

func runCommand() *cobra.Command {
	var out, rep string
	c := &cobra.Command{
		Use:   "run SCRIPT FILE…",
		Short: "Run a script (one operation per line, such as a character's history) on files",
		Long: `Run a script on one file or fifty. A script is one operation a line, as JSON:
{"op": "weld", "params": {"distance": 0.001}}. The history of a character is taken away
as one at its handoff; the file that it came from is left out, and what it did is done to
the files named here. A file on which an operation is refused is told and left; the others
go on. The exit code is that of the worst file.`,
		Example: `  wisemarrow run steps.jsonl body.obj -o out --report out
  wisemarrow run house.jsonl cast/*.glb -o bound --report reports`,
		Args: cobra.MinimumNArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			f, err := openFile(args[0])
			if err != nil {
				return err
			}
			defer f.Close()
			script, err := studio.ReadScript(f, reading.Default)
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			for _, dir := range []string{out, rep} {
				if dir != "" {
					if err := os.MkdirAll(dir, 0o755); err != nil {
						return err
					}
				}
			}
			names := map[string]string{}
			for _, file := range args[1:] { // two of one name would write over each other
				name := strings.TrimSuffix(filepath.Base(file), filepath.Ext(file))
				if other, twice := names[name]; twice && (out != "" || rep != "") {
					return fmt.Errorf("%s and %s would be written under one name: run them apart", other, file)
				}
				names[name] = file
			}
			refused, blocked := 0, 0
			for i, file := range args[1:] {
				fmt.Fprintf(os.Stderr, "%d of %d: %s\n", i+1, len(args)-1, file)
				r := runOn(c, script, file, out)
				if r.Error != "" {
					refused++
					fmt.Fprintln(os.Stderr, "wisemarrow:", r.Error)
				}
				for _, list := range r.Found {
					if finding.Worst(list) == finding.Blocks {
						blocked++
						break
					}
				}
				if rep != "" {
					name := strings.TrimSuffix(filepath.Base(file), filepath.Ext(file))
					if err := report(filepath.Join(rep, name+".json"), r); err != nil {
						return err
					}
				}
			}
			switch {
			case refused > 0:
				return fmt.Errorf("%d of %d files were refused", refused, len(args)-1)
			case blocked > 0:
				return errFindings
			}
			return nil
		},
	}
	c.Flags().StringVarP(&out, "output", "o", "", "write each result as GLB into this folder")
	c.Flags().StringVar(&rep, "report", "", "write a report of each file as JSON into this folder")
	return c
}

// runOn runs a script on one file; what goes wrong stands in the report.
func runOn(c *cobra.Command, script studio.Script, file, out string) ranReport {
	r := ranReport{File: file, Steps: []studio.Ran{}, Found: map[string][]finding.Finding{}}
	s, err := readMesh(file)
	if err == nil {
		last := -1
		var ran []studio.Ran
		s, ran, err = script.Run(c.Context(), s, reading.Default, func(step, of int, label string, _ float64) {
			if step != last {
				last = step
				fmt.Fprintf(os.Stderr, "  step %d of %d: %s\n", step, of, strings.ToLower(label))
			}
		})
		r.Steps = append(r.Steps, ran...)
	}
	if err != nil {
		r.Error = fmt.Sprintf("%s: %v", file, err)
		return r
	}
	for _, st := range studio.Stages() {
		if st.Name == "handoff" && s.Weights == nil {
			continue // a script need not bind
		}
		if list := studio.CheckOnly(&s, st.Name); len(list) > 0 {
			r.Found[st.Name] = list
			tell(list)
		}
	}
	if out != "" {
		name := strings.TrimSuffix(filepath.Base(file), filepath.Ext(file))
		r.Output = filepath.Join(out, name+".glb")
		if err := writeFile(r.Output, func(w io.Writer) error { return handoff.Write(w, &s, "glb", handoff.Options{}) }); err != nil {
			r.Error = fmt.Sprintf("%s: %v", file, err)
		}
	}
	return r
}
