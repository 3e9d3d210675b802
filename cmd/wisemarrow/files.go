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
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
	"wisemarrow/core/geom"
)

// readScene reads a file with the buffers beside it.
func readScene(path string) (*gltf.Scene, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return formats.Decode(path, f, beside(path), reading.Default)
}

// beside reads what a file names, from its folder.
func beside(path string) gltf.Resolver {
	return func(uri string) ([]byte, error) { return os.ReadFile(filepath.Join(filepath.Dir(path), uri)) }
}

func readMesh(path string) (studio.State, error) {
	scene, err := readScene(path)
	if err != nil {
		return studio.State{}, err
	}
	if scene.Mesh == nil {
		return studio.State{}, fmt.Errorf("%s holds no mesh", path)
	}
	return studio.StateOf(scene, filepath.Base(path)), nil
}

// run applies an operation of the registry to a state.
func run(ctx context.Context, s studio.State, op string, params any) (studio.State, error) {
	raw, err := json.Marshal(params)
	if err != nil {
		return s, err
	}
	_, parsed, err := studio.ParseOperation(op, raw)
	if err != nil {
		return s, err
	}
	out, told, err := parsed.Apply(ctx, s, func(string, float64) {})
	if err != nil {
		return s, err
	}
	fmt.Fprintln(os.Stderr, told.Sentence)
	return out, nil
}

// writeFile writes by way of a temporary file, so that a failed run leaves none.
func writeFile(path string, write func(w io.Writer) error) error {
	f, err := os.CreateTemp(filepath.Dir(path), ".wisemarrow-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	if err := write(f); err != nil {
		f.Close()
		return err
	}
	if err := f.Chmod(0o644); err != nil {
		f.Close()
		return err
	}
	if err := f.Close(); err != nil {
		return err
	}
	return os.Rename(f.Name(), path)
}

// report writes v as JSON to a file, or to standard output for "-".
func report(path string, v any) error {
	write := func(w io.Writer) error {
		e := json.NewEncoder(w)
		e.SetIndent("", "  ")
		return e.Encode(v)
	}
	if path == "" {
		return nil
	}
	if path == "-" {
		return write(os.Stdout)
	}
	return writeFile(path, write)
}

func tell(list []finding.Finding) {
	for _, f := range list {
		fmt.Fprintf(os.Stderr, "%-6s  %s (%s)\n", f.Severity, f.Title, f.Code)
	}
}

func verdict(list []finding.Finding) error {
	if finding.Worst(list) == finding.Blocks {
		return errFindings
	}
	return nil
}

// placementFlags are --up and --scale of a command.
type placementFlags struct {
	up    string
	scale float64
}

func (p *placementFlags) add(c *cobra.Command, auto string) {
	c.Flags().StringVar(&p.up, "up", "", "up axis of the file: y, z or -z"+auto)
	c.Flags().Float64Var(&p.scale, "scale", 0, "metres per unit of the file"+auto)
}

func (p *placementFlags) given() bool { return p.up != "" || p.scale != 0 }

// over returns the guess with what was given instead.
func (p *placementFlags) over(g mesh.Placement) mesh.Placement {
	if p.up != "" {
		g.Up = p.up
	}
	if p.scale != 0 {
		g.Scale = p.scale
	}
	g.Stand = false
	return g
}

type checkReport struct {
	File     string            `json:"file"`
	Mesh     mesh.Facts        `json:"mesh"`
	Guess    mesh.Guess        `json:"guess"`
	Findings []finding.Finding `json:"findings"`
}

// addKind adds --kind to a command.
func addKind(c *cobra.Command, kind *string) {
	var names []string
	for _, k := range health.Kinds {
		names = append(names, k.Name)
	}
	c.Flags().StringVar(kind, "kind", "", "what kind of character it is: "+strings.Join(names, ", "))
}

func checkCommand() *cobra.Command {
	var out, kind string
	c := &cobra.Command{
		Use:   "check FILE…",
		Short: "Measure meshes and name what would harm a bind",
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
				facts, list := health.Check(s.Mesh.Surface(), kind)
				if list == nil {
					list = []finding.Finding{}
				}
				fmt.Fprintf(os.Stderr, "%s: %d vertices, %d faces, %d pieces, height %.3g\n", file, facts.Vertices, facts.Faces, facts.Pieces, facts.Height)
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

func fitCommand() *cobra.Command {
	var out, rep, starter, own, facing string
	var params map[string]string
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
  wisemarrow fit body.obj --own house.gltf --starter biped -o skeleton.gltf
  wisemarrow fit cow.off --starter quadruped --facing +x -o skeleton.gltf`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, files []string) error {
			chosen, err := starterParams(starter, params)
			if err != nil {
				return err
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
			conv := skeleton.DefaultConvention
			if work, err = run(c.Context(), work, "set_axes", studio.SetAxes{Convention: conv}); err != nil {
				return err
			}
			inFile := inFileFrame(work.Skeleton, p)
			if out != "" {
				if err := writeFile(out, func(w io.Writer) error { return gltf.EncodeSkeleton(w, inFile) }); err != nil {
					return err
				}
			}
			surface := work.Mesh.Surface()
			list := append(work.Skeleton.CheckPlacement(surface.Tree, work.Settings.Marks), health.Rings(surface, work.Skeleton)...)
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
	c.Flags().StringVar(&own, "own", "", "fit the skeleton of this file, like the starter: joints that both have stand where the starter's do")
	c.Flags().StringVar(&facing, "facing", "", "where the character looks once Y is up: +x, -x, +z or -z; found if not given")
	c.Flags().StringToStringVar(&params, "set", nil, "numbers of the starter, as spine=4,neck=2,jaw=true")
	c.Flags().StringVarP(&out, "output", "o", "", "write the skeleton to this .gltf")
	c.Flags().StringVar(&rep, "report", "", "write the report as JSON to this file, or to standard output for -")
	place.add(c, "; guessed if not given")
	return c
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

func bindCommand() *cobra.Command {
	var out, rep, skel, method string
	var influences int
	var trace, heat float64
	var mend bool
	var place placementFlags
	c := &cobra.Command{
		Use:   "bind FILE",
		Short: "Bind a mesh to a skeleton and report every joint and piece",
		Long: `Bind a mesh to a skeleton and write both as one GLB. The skeleton file is a glTF
whose joints are the nodes of its first skin, or all its nodes; it lies in the
coordinates of the mesh's file.`,
		Example: `  wisemarrow bind body.obj --skeleton skeleton.gltf --method heat --influences 4 -o bound.glb --report bind.json
  wisemarrow bind lamplighter.glb --skeleton skeleton.gltf --mend -o bound.glb`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, files []string) error {
			if method != "heat" {
				return fmt.Errorf("there is no method %q; there is: heat", method)
			}
			s, err := readMesh(files[0])
			if err != nil {
				return err
			}
			if s.Skeleton, err = readSkeleton(skel); err != nil {
				return err
			}
			if s.Mesh.Framed() {
				if s, err = run(c.Context(), s, "bake_transform", mesh.Placement{Scale: 1, Up: "y"}); err != nil {
					return err
				}
			}
			if place.given() {
				s.Mesh, s.Skeleton = placed(s.Mesh, s.Skeleton, place.over(mesh.Placement{Scale: 1, Up: "y"}))
			}
			if s, err = run(c.Context(), s, "bind_heat", map[string]any{"influences": influences, "trace": trace, "heat": heat}); err != nil {
				return err
			}
			if mend && len(s.Bind.Stray) > 0 {
				if s, err = run(c.Context(), s, "follow_beneath", map[string]any{"mode": "auto"}); err != nil {
					return err
				}
			}
			if out != "" {
				if err := writeFile(out, func(w io.Writer) error { return studio.Handoff(w, &s, "glb", influences) }); err != nil {
					return err
				}
			}
			list := s.Bind.Report.Findings()
			tell(list)
			if err := report(rep, s.Bind.Report); err != nil {
				return err
			}
			return verdict(list)
		},
	}
	c.Flags().StringVar(&skel, "skeleton", "", "the skeleton, a .gltf, .glb or .bvh (needed)")
	c.Flags().StringVar(&method, "method", "heat", "how weights are found: heat")
	c.Flags().IntVar(&influences, "influences", 4, "joints that may move one vertex, 1 to 8")
	c.Flags().Float64Var(&trace, "trace", 0.001, "weights below this are dropped")
	c.Flags().Float64Var(&heat, "heat", 1, "how strongly a vertex is held to its nearest bone")
	c.Flags().BoolVar(&mend, "mend", false, "let pieces without weights follow the surface beneath them")
	c.Flags().StringVarP(&out, "output", "o", "", "write mesh, skeleton and skin to this .glb")
	c.Flags().StringVar(&rep, "report", "", "write the report as JSON to this file, or to standard output for -")
	place.add(c, "; kept if not given")
	_ = c.MarkFlagRequired("skeleton")
	return c
}

func readSkeleton(path string) (*skeleton.Skeleton, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	s, _, err := formats.DecodeSkeleton(path, f, beside(path), reading.Default)
	return s, err
}

func starterNames() (out []string) {
	for _, k := range studio.Starters {
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
	var like studio.FitStarter
	if err := json.Unmarshal(raw, &like); err != nil {
		return nil, err
	}
	name := filepath.Base(path)
	return skeleton.NewOwn(strings.TrimSuffix(name, filepath.Ext(name)), like.Params, sk, skeleton.NameMaps)
}

// placed brings mesh and skeleton from the file's frame into Y up and metres.
func placed(m *mesh.Mesh, s *skeleton.Skeleton, p mesh.Placement) (*mesh.Mesh, *skeleton.Skeleton) {
	out := s.Clone()
	turn := mesh.UpTurn(p.Up)
	for i := range out.Joints {
		j := &out.Joints[i]
		j.Pos = geom.Rotate(turn, r3.Scale(p.Scale, j.Pos))
		j.Rot = geom.Normalise(quat.Mul(turn, j.Rot))
	}
	return m.Bake(p), out
}
