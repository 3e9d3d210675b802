package main

import (
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"strings"

	"wisemarrow/core/wording"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

func doCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "do",
		Short: "Do any operation of the workbench to a file",
		Long: `Do any operation of the workbench to a file. The flags are the operation's parameters, with
their defaults and bounds; "wisemarrow do OPERATION --help" lists them.`,
		Example: `  wisemarrow do weld body.obj --distance 0.0001 -o welded.glb
  wisemarrow do roll_axes rigged.glb --joints forearm_l,forearm_r --degrees 15 -o rolled.glb
  wisemarrow do smooth_weights bound.glb --passes 3 -o soft.glb --report -`,
		Args: cobra.NoArgs,
	}
	for _, s := range studio.Stages() {
		c.AddGroup(&cobra.Group{ID: s.Name, Title: s.Title + ":"})
	}
	for _, e := range studio.Operations() {
		if e.Name == "import" { // that is what reading FILE does
			continue
		}
		o := operationCommand(e, e.Name)
		o.GroupID = e.Stage
		c.AddCommand(o)
	}
	return c
}

// operationCommand is the command of one operation under a name; its flags come from the operation's fields.
func operationCommand(e studio.Entry, name string) *cobra.Command {
	var out, rep string
	c := &cobra.Command{Use: name + " FILE", Short: e.Label, Args: cobra.ExactArgs(1)}
	var fill []func(params map[string]any, files *[]studio.Upload) error
	for _, f := range e.Fields() {
		fill = append(fill, fieldFlag(c.Flags(), f))
	}
	c.Flags().StringVarP(&out, "output", "o", "", "write the changed character to this .glb")
	c.Flags().StringVar(&rep, "report", "", "write what was done as JSON to this file, or to standard output for -")
	c.RunE = func(c *cobra.Command, args []string) error {
		s, err := readMesh(args[0])
		if err != nil {
			return err
		}
		params, files := map[string]any{}, []studio.Upload{}
		for _, f := range fill {
			if err := f(params, &files); err != nil {
				return err
			}
		}
		next, told, err := runTold(c.Context(), s, e.Name, params, files...)
		if err != nil {
			return fmt.Errorf("%s: %w", args[0], err)
		}
		if out != "" {
			if err := writeFile(out, func(w io.Writer) error { return handoff.Write(w, &next, "glb", handoff.Options{}) }); err != nil {
				return err
			}
		}
		return report(rep, told)
	}
	return c
}

// fieldFlag adds the flag of a parameter, and returns what puts its value among the parameters if it was given.
func fieldFlag(flags *pflag.FlagSet, f studio.Field) func(map[string]any, *[]studio.Upload) error {
	name := strings.ReplaceAll(f.Name, "_", "-")
	usage := strings.ToLower(f.Label[:1]) + f.Label[1:]
	if f.Help != "" {
		usage += ": " + f.Help
	}
	if len(f.Choices) > 0 {
		usage += " (" + wording.Or(f.Values()) + ")"
	}
	if f.Range != nil {
		usage += " (" + f.Range.Says(f.Unit) + ")"
	}
	var value func() (any, error)
	plain := func(v func() any) { value = func() (any, error) { return v(), nil } }
	had := func(to any) { // a default that the operation has
		if f.Default != nil {
			_ = json.Unmarshal(f.Default, to)
		}
	}
	switch f.Kind {
	case studio.KindNumber:
		var d float64
		had(&d)
		v := flags.Float64(name, d, usage)
		plain(func() any { return *v })
	case studio.KindWhole:
		var d int
		had(&d)
		v := flags.Int(name, d, usage)
		plain(func() any { return *v })
	case studio.KindYes:
		var d bool
		had(&d)
		v := flags.Bool(name, d, usage)
		plain(func() any { return *v })
	case studio.KindText, studio.KindJoint, studio.KindVertices:
		var d string
		had(&d)
		if f.Kind == studio.KindVertices {
			usage += " such as 0-14,20; default all"
		}
		v := flags.String(name, d, usage)
		plain(func() any { return *v })
	case studio.KindTexts, studio.KindJoints, studio.KindParts:
		v := flags.StringSlice(name, nil, usage)
		plain(func() any { return *v })
	case studio.KindFaces:
		v := flags.IntSlice(name, nil, usage+" by number")
		plain(func() any { return *v })
	case studio.KindPosition, studio.KindPair:
		n, what := 3, "x,y,z in meters"
		if f.Kind == studio.KindPair {
			n, what = 2, "from,to"
		} else if f.Unit != "" {
			what = "x,y,z"
		}
		v := flags.Float64Slice(name, nil, usage+", "+what)
		value = func() (any, error) {
			if len(*v) != n {
				return nil, fmt.Errorf("--%s takes %d numbers, not %d", name, n, len(*v))
			}
			return *v, nil
		}
	case studio.KindValues:
		v := flags.StringToString(name, nil, usage+", as name=0.5")
		value = func() (any, error) {
			out := map[string]float64{}
			for k, text := range *v {
				x, err := strconv.ParseFloat(text, 64)
				if err != nil {
					return nil, fmt.Errorf("--%s %s=%s is not a number", name, k, text)
				}
				out[k] = x
			}
			return out, nil
		}
	case studio.KindFile:
		v := flags.String(name, "", usage)
		return func(params map[string]any, files *[]studio.Upload) error {
			if *v == "" {
				return nil
			}
			up, err := readUpload(*v)
			if err != nil {
				return err
			}
			*files = append(*files, up)
			params[f.Name], _ = up.Blobs()
			return nil
		}
	default:
		v := flags.String(name, "", usage+", as JSON")
		value = func() (any, error) {
			if !json.Valid([]byte(*v)) {
				return nil, fmt.Errorf("--%s is not JSON: %s", name, *v)
			}
			return json.RawMessage(*v), nil
		}
	}
	return func(params map[string]any, _ *[]studio.Upload) error {
		if !flags.Changed(name) {
			return nil
		}
		v, err := value()
		params[f.Name] = v
		return err
	}
}
