package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/housestyle"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/gltf"
	"wisemarrow/stages/axes"
	"wisemarrow/stages/placement"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

func fitCommand() *cobra.Command {
	var out, rep, starter, own, facing, style string
	var params map[string]string
	var joints int
	var place placementFlags
	c := &cobra.Command{
		Use:   "fit FILE",
		Short: "Fit a starter skeleton into a mesh",
		Long: `Fit a starter skeleton into a mesh and write it as glTF, in the coordinates of
the mesh's file. Unit and up axis are guessed from size and shape unless given.`,
		Example: `  wisemarrow fit body.obj --starter biped -o skeleton.gltf --report fit.json
  wisemarrow fit man.off --up z -o skeleton.gltf
  wisemarrow fit otter.glb --starter quadruped --set tail=6,ears=true -o skeleton.gltf
  wisemarrow fit dragon.glb --starter chain --set count=14,curved=true -o skeleton.gltf
  wisemarrow fit spider.glb --starter shape --joints 40 -o skeleton.gltf
  wisemarrow fit body.obj --own house.gltf --starter biped -o skeleton.gltf
  wisemarrow fit cow.off --starter quadruped --facing +x -o skeleton.gltf
  wisemarrow fit body.obj --style house-style.json -o skeleton.gltf`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, files []string) error {
			chosen, err := starterParams(starter, params)
			if err != nil {
				return err
			}
			if c.Flags().Changed("joints") {
				if starter != "shape" {
					return fmt.Errorf("--joints is for --starter shape; the numbers of the %s are set with --set", starter)
				}
				chosen["joints"] = joints
			}
			if own != "" {
				if chosen["own"], err = ownStarter(own, chosen); err != nil {
					return err
				}
			}
			chosen["facing"] = facing
			s, err := readMesh(files[0])
			if err != nil {
				return err
			}
			p := place.over(s.Mesh.GuessPlacement().Placement)
			work := s
			if work, err = run(c.Context(), work, "bake_transform", p); err != nil {
				return err
			}
			if work, err = run(c.Context(), work, "fit_starter", chosen); err != nil {
				return err
			}
			if style != "" {
				if work, err = followStyle(c.Context(), work, style); err != nil {
					return err
				}
			}
			conv := skeleton.DefaultConvention
			if work, err = run(c.Context(), work, "set_axes", axes.SetAxes{Convention: conv}); err != nil {
				return err
			}
			inFile := inFileFrame(work.Skeleton, p)
			if out != "" {
				if err := writeFile(out, func(w io.Writer) error { return gltf.EncodeSkeleton(w, inFile) }); err != nil {
					return err
				}
			}
			list := studio.CheckOnly(&work, "placement")
			tell(list)
			if err := report(rep, struct {
				File     string            `json:"file"`
				Taken    mesh.Placement    `json:"taken"`
				Fit      *fit.Report       `json:"fit"`
				Findings []finding.Finding `json:"findings"`
			}{files[0], p, work.Fit, list}); err != nil {
				return err
			}
			return verdict(list)
		},
	}
	c.Flags().StringVar(&starter, "starter", "biped", "the skeleton to begin from: "+strings.Join(starterNames(), ", "))
	c.Flags().
		StringVar(&own, "own", "", "fit the skeleton of this file, like the starter: joints that both have are placed like the starter's")
	c.Flags().StringVar(&style, "style", "", "then place joints as a production does: the house style downloaded at Placement")
	c.Flags().StringVar(&facing, "facing", "", "where the character looks once Y is up: +x, -x, +z or -z; found if not given")
	c.Flags().StringToStringVar(&params, "set", nil, "numbers of the starter, as spine=4,neck=2,jaw=true")
	c.Flags().IntVar(&joints, "joints", 0, "with --starter shape: how many joints there are in all; 0 for as many as it bends")
	c.Flags().StringVarP(&out, "output", "o", "", "write the skeleton to this .gltf")
	c.Flags().StringVar(&rep, "report", "", "write the report as JSON to this file, or to standard output for -")
	place.add(c, "; guessed if not given")
	return c
}

// styleLimit is how large the file of a house style may be, in bytes.
const styleLimit = 1 << 20

// followStyle places the joints of a fit by a file of a house style; one without habits for them leaves them.
func followStyle(ctx context.Context, s studio.State, path string) (studio.State, error) {
	f, err := openFile(path)
	if err != nil {
		return s, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, styleLimit))
	if err != nil {
		return s, err
	}
	var style housestyle.Style
	if err := json.Unmarshal(data, &style); err != nil {
		return s, fmt.Errorf("%s is no house style: %w", path, err)
	}
	if err := style.Check(); err != nil {
		return s, fmt.Errorf("%s: %w", path, err)
	}
	if len(style.Places(s.Fit, s.Skeleton)) == 0 {
		fmt.Fprintf(os.Stderr, "%s has no habit for these joints: they stay as fitted\n", path)
		return s, nil
	}
	return run(ctx, s, "follow_style", placement.FollowStyle{Style: style})
}

// inFileFrame brings a skeleton back from the baked frame to the file's.
func inFileFrame(s *skeleton.Skeleton, p mesh.Placement) *skeleton.Skeleton {
	out := s.Clone()
	turn := quat.Conj(mesh.UpTurn(p.Up))
	for i := range out.Joints {
		j := &out.Joints[i]
		j.Pos = geom.Rotate(turn, r3.Scale(1/p.Scale, j.Pos))
		j.Rot = geom.Normalise(quat.Mul(turn, j.Rot))
	}
	return out
}

func starterNames() (out []string) {
	for _, k := range placement.Starters {
		out = append(out, k.Name)
	}
	return out
}

// starterParams are the parameters of fit_starter: a starter and what is set of it.
func starterParams(starter string, set map[string]string) (map[string]any, error) {
	out := map[string]any{"starter": starter}
	for name, text := range set {
		var v any
		if err := json.Unmarshal([]byte(text), &v); err != nil {
			return nil, fmt.Errorf("--set %s=%s: %q is neither a number nor true or false", name, text, text)
		}
		out[name] = v
	}
	return out, nil
}

// ownStarter makes a starter of the skeleton of a file.
func ownStarter(path string, chosen map[string]any) (*skeleton.Own, error) {
	sk, err := readSkeleton(path)
	if err != nil {
		return nil, err
	}
	raw, err := json.Marshal(chosen)
	if err != nil {
		return nil, err
	}
	var like placement.FitStarter
	if err := json.Unmarshal(raw, &like); err != nil {
		return nil, err
	}
	name := filepath.Base(path)
	return skeleton.NewOwn(strings.TrimSuffix(name, filepath.Ext(name)), like.Params, sk, skeleton.NameMaps)
}
