package main

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"wisemarrow/core/finding"
	"wisemarrow/core/profile"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

// handedOff is what a handoff reports.
type handedOff struct {
	File     string            `json:"file"`
	Profile  string            `json:"profile,omitempty"`
	Steps    []handoff.Step    `json:"steps,omitempty"` // what was done, or not, about rules that were not met
	Loses    []string          `json:"loses,omitempty"` // what the format cannot carry
	Wrote    string            `json:"wrote,omitempty"`
	Findings []finding.Finding `json:"findings"`
}

func handoffCommand() *cobra.Command {
	var out, rep, name, format string
	var also []string
	var influences int
	c := &cobra.Command{
		Use:   "handoff FILE",
		Short: "Check a bound character for handoff and write it",
		Long: `Checks a bound character against what its receiver needs and writes it. With --profile, what can be
made to fit without moving the skin is made so in the file that is written, the one that was read stays as it is.
Profiles that ship: ` + strings.Join(shippedProfiles(), "; ") + `.`,
		Example: `  wisemarrow handoff bound.glb --report handoff.json
  wisemarrow handoff bound.glb --influences 4 -o final.glb
  wisemarrow handoff bound.glb --profile "Real-time, 4 influences" -o final.glb
  wisemarrow handoff bound.glb --profile house.json --also needs_rest -o final.vrm
  wisemarrow handoff bound.glb --format usdz -o final.usdz
  wisemarrow handoff bound.glb -o skeleton.gltf`,
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, files []string) error {
			s, err := readMesh(files[0])
			if err != nil {
				return err
			}
			r := handedOff{File: files[0]}
			o := handoff.Options{
				Influences: influences, Name: strings.TrimSuffix(filepath.Base(files[0]), filepath.Ext(files[0])), Since: time.Unix(0, 0),
			}
			if name != "" {
				if o.Profile, err = handoff.ReadProfile(name, func() ([]byte, error) { return os.ReadFile(name) }); err != nil {
					return err
				}
				r.Profile = o.Profile.Name
				if s, r.Steps, err = handoff.Meet(cmd.Context(), s, o.Profile, also, nil); err != nil {
					return err
				}
				for _, x := range r.Steps {
					fmt.Fprintf(os.Stderr, "%s: %s\n", x.Title, x.Said)
				}
				s.Settings.Profile = o.Profile
			} else if len(also) > 0 {
				return fmt.Errorf("--also goes with --profile")
			}
			r.Findings = studio.CheckOnly(&s, "handoff")
			tell(r.Findings)
			if out != "" {
				what, err := formatOf(format, out, o.Profile)
				if err != nil {
					return err
				}
				r.Loses = handoff.Loses(&s, what)
				for _, x := range r.Loses {
					fmt.Fprintln(os.Stderr, "not in the file:", x)
				}
				if err := writeFile(out, func(w io.Writer) error { return handoff.Write(w, &s, what, o) }); err != nil {
					return err
				}
				r.Wrote = out
				fmt.Fprintln(os.Stderr, "wrote", out)
			}
			if r.Findings == nil {
				r.Findings = []finding.Finding{}
			}
			if err := report(rep, r); err != nil {
				return err
			}
			return verdict(r.Findings)
		},
	}
	c.Flags().IntVar(&influences, "influences", 0, "cap influences per vertex; default keeps all")
	c.Flags().StringVar(&name, "profile", "", "what the receiver needs: the name of a profile that ships, or a JSON file (docs/profile.schema.json)")
	c.Flags().StringSliceVar(&also, "also", nil, "rules of the profile, by code, that are met though it moves the skin")
	c.Flags().StringVar(&format, "format", "", "glb, vrm, usda, usdz, dae, obj, bvh and others; default by the name of the output")
	c.Flags().StringVarP(&out, "output", "o", "", "write to this file: .glb, .vrm, .usda, .usdz, .dae, .obj, .bvh, or the skeleton as .gltf")
	c.Flags().StringVar(&rep, "report", "", "write the report as JSON to this file, or to standard output for -")
	return c
}

func shippedProfiles() (out []string) {
	for _, p := range profile.Shipped {
		out = append(out, p.Name)
	}
	return out
}

// formatOf is the format that is asked for, that of the file's name, or the profile's.
func formatOf(format, out string, p *profile.Profile) (string, error) {
	end := strings.ToLower(filepath.Ext(out))
	of := map[string]string{
		".glb": "glb", ".gltf": "skeleton", ".obj": "obj", ".vrm": "vrm", ".usda": "usda", ".usdz": "usdz", ".dae": "dae", ".bvh": "bvh",
		".csv": "csv", ".json": "json", ".zip": "targets",
	}[end]
	switch {
	case format != "":
		return format, nil
	case of != "":
		return of, nil
	case p != nil && p.File.Format != "":
		return p.File.Format, nil
	}
	return "", fmt.Errorf("%s: no format is known by that ending: give one with --format", out)
}
