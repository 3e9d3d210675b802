package main

import (
	"encoding/json"
	"fmt"
	"io"
	"os"

	"wisemarrow/core/finding"
	"wisemarrow/stages/bindpose"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

func bindposeCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "bindpose",
		Short: "See the pose that a skin was bound in, return to it, record it again, or make a new one",
		Example: `  wisemarrow bindpose check rigged.glb --report bindpose.json
  wisemarrow bindpose restore rigged.glb -o home.glb
  wisemarrow bindpose rerecord rigged.glb --joints hand_l,hand_r -o bound.glb
  wisemarrow bindpose rest rigged.glb -o rested.glb
  wisemarrow bindpose rest rigged.glb --arms 0 -o t_pose.glb`,
		Args: cobra.NoArgs,
	}
	var joints []string
	rerecord := verb(
		"rerecord",
		"Record the joints where they are as the bind pose: vertices and weights stay",
		func(s studio.State) (string, any, error) {
			return "record_bind", bindpose.RecordBind{Joints: joints}, nil
		},
	)
	rerecord.Flags().StringSliceVar(&joints, "joints", nil, "the joints to record; none is all")
	var arms float64
	var pose string
	rest := verb(
		"rest",
		"Make what is shown the bind pose: vertices and joints are brought there",
		func(s studio.State) (string, any, error) {
			if arms >= -90 {
				return "level_arms", bindpose.LevelArms{Degrees: arms}, nil
			}
			var o bindpose.RestPose
			if pose != "" {
				data, err := os.ReadFile(pose)
				if err != nil {
					return "", nil, err
				}
				if err := json.Unmarshal(data, &o.Angles); err != nil {
					return "", nil, fmt.Errorf("%s is not a pose: %w", pose, err)
				}
			}
			return "rest_pose", o, nil
		},
	)
	rest.Flags().Float64Var(&arms, "arms", -1000, "pose the arms this many degrees below horizontal: 0 for T, 45 for A")
	rest.Flags().StringVar(&pose, "pose", "", "a JSON file of degrees about X, Y and Z by joint: {\"upper_arm_l\": [0, 0, 30]}")
	c.AddCommand(
		verb("check", "Report the bind pose", nil),
		verb("restore", "Bring the joints back to where the skin was bound to them", func(studio.State) (string, any, error) {
			return "restore_bind", bindpose.RestoreBind{}, nil
		}),
		rerecord, rest)
	return c
}

// verb is a command of bindpose that does an operation to a bound file, or none.
func verb(name, short string, op func(s studio.State) (string, any, error)) *cobra.Command {
	var out, rep string
	c := &cobra.Command{
		Use: name + " FILE", Short: short, Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, files []string) error {
			s, err := readMesh(files[0])
			if err != nil {
				return err
			}
			if s.Weights == nil || s.Binding == nil {
				return fmt.Errorf("%s holds no skin: it is not bound", files[0])
			}
			before := bindpose.Check(&s)
			if op != nil {
				tell(before)
				name, params, err := op(s)
				if err != nil {
					return err
				}
				if s, err = run(c.Context(), s, name, params); err != nil {
					return err
				}
			}
			left := bindpose.Check(&s)
			tell(left)
			if out != "" {
				if err := writeFile(out, func(w io.Writer) error { return handoff.Write(w, &s, "glb", handoff.Options{}) }); err != nil {
					return err
				}
			}
			r := bindpose.Of(&s)
			if err := report(rep, struct {
				File     string                  `json:"file"`
				Records  []bindpose.RecordReport `json:"records"`
				AtBind   float64                 `json:"skin_off_at_bind_m"`
				Now      float64                 `json:"skin_off_now_m"`
				Findings []finding.Finding       `json:"findings"`
			}{files[0], r.Records, r.AtBind, r.Now, left}); err != nil {
				return err
			}
			if worst := finding.Worst(left); worst == finding.Blocks || worst == finding.Harms {
				return errFindings
			}
			return nil
		},
	}
	if op != nil {
		c.Flags().StringVarP(&out, "output", "o", "", "write mesh, skeleton and skin to this .glb")
	}
	c.Flags().StringVar(&rep, "report", "", "write the report as JSON to this file, or to standard output for -")
	return c
}
