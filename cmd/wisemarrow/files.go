package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"wisemarrow/core/finding"
	"wisemarrow/core/health"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"
	"wisemarrow/stages/intake"
	"wisemarrow/studio"

	"github.com/spf13/cobra"
)

// readScene reads a file with the buffers beside it.
func readScene(path string) (*gltf.Scene, error) {
	f, err := openFile(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return formats.Decode(path, f, beside(path), reading.Default)
}

// openFile opens a plain file: a device or a pipe would never end.
func openFile(path string) (*os.File, error) {
	info, err := os.Stat(path)
	if err != nil {
		return nil, err
	}
	if !info.Mode().IsRegular() {
		return nil, fmt.Errorf("%s is not a regular file", path)
	}
	return os.Open(path)
}

// beside reads what a file names, from its folder and nowhere else: a file that was
// sent must not lead to another that was not.
func beside(path string) gltf.Resolver {
	return func(uri string) ([]byte, error) {
		root, err := os.OpenRoot(filepath.Dir(path))
		if err != nil {
			return nil, err
		}
		defer root.Close()
		name := filepath.FromSlash(uri)
		info, err := root.Stat(name)
		if err != nil {
			return nil, err
		}
		if !info.Mode().IsRegular() || info.Size() > reading.Default.Bytes {
			return nil, fmt.Errorf("%s is not a regular file, or too large", uri)
		}
		return root.ReadFile(name)
	}
}

func readMesh(path string) (studio.State, error) {
	scene, err := readScene(path)
	if err != nil {
		return studio.State{}, err
	}
	if scene.Mesh == nil {
		return studio.State{}, fmt.Errorf("%s holds no mesh", path)
	}
	if scene.Mesh.Faces() == 0 {
		return studio.State{}, fmt.Errorf("%s: %w", path, intake.NoFaces(scene.Mesh))
	}
	return intake.StateOf(scene, filepath.Base(path)), nil
}

// run applies an operation of the registry to a state.
func run(ctx context.Context, s studio.State, op string, params any, files ...studio.Upload) (studio.State, error) {
	out, _, err := runTold(ctx, s, op, params, files...)
	return out, err
}

// runTold is run, and what the operation tells.
func runTold(ctx context.Context, s studio.State, op string, params any, files ...studio.Upload) (studio.State, studio.Outcome, error) {
	raw, err := json.Marshal(params)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	entry, parsed, err := studio.ParseOperation(op, raw)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	contents := map[string][]byte{}
	for _, f := range files {
		_, blobs := f.Blobs()
		for _, b := range blobs {
			contents[b.Hash] = b.Data
		}
	}
	studio.AttachFiles(parsed, func(hash string) ([]byte, error) {
		if data, ok := contents[hash]; ok {
			return data, nil
		}
		return nil, studio.ErrNotFound
	}, reading.Default)
	out, told, err := studio.Apply(ctx, entry, parsed, s, nil)
	if errors.Is(err, studio.ErrNothing) { // good: the file is written as it is
		return s, studio.Outcome{Sentence: "Nothing to change: " + err.Error()}, nil
	}
	if err != nil {
		return s, studio.Outcome{}, err
	}
	fmt.Fprintln(os.Stderr, told.Sentence)
	return out, told, nil
}

// readUpload reads a file that holds all that belongs to it; of a folder its first mesh, with all others beside it.
func readUpload(path string) (studio.Upload, error) {
	if info, err := os.Stat(path); err == nil && info.IsDir() {
		return readFolder(path)
	}
	f, err := openFile(path)
	if err != nil {
		return studio.Upload{}, err
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, reading.Default.Bytes+1))
	if err != nil {
		return studio.Upload{}, err
	}
	return studio.Upload{Name: filepath.Base(path), Data: data}, nil
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
	c.Flags().Float64Var(&p.scale, "scale", 0, "meters per unit of the file"+auto)
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

// addKind adds --kind to a command.
func addKind(c *cobra.Command, kind *string) {
	var names []string
	for _, k := range health.Kinds {
		names = append(names, k.Name)
	}
	c.Flags().StringVar(kind, "kind", "", "what kind of character it is: "+strings.Join(names, ", "))
}

func readSkeleton(path string) (*skeleton.Skeleton, error) {
	f, err := openFile(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	s, _, err := formats.DecodeSkeleton(path, f, beside(path), reading.Default)
	return s, err
}

// readFolder reads the mesh files of a folder, by name, and what they may name beside them.
func readFolder(path string) (studio.Upload, error) {
	entries, err := os.ReadDir(path)
	if err != nil {
		return studio.Upload{}, err
	}
	out := studio.Upload{Beside: map[string][]byte{}}
	total := int64(0)
	for _, e := range entries { // by name
		if !e.Type().IsRegular() {
			continue
		}
		one, err := readUpload(filepath.Join(path, e.Name()))
		if err != nil {
			return out, err
		}
		if total += int64(len(one.Data)); total > reading.Default.Bytes {
			return out, fmt.Errorf("the files in %s are larger than %d MB together", path, reading.Default.Bytes>>20)
		}
		if out.Name == "" && slices.Contains(formats.Extensions, strings.ToLower(filepath.Ext(e.Name()))) {
			out.Name, out.Data = one.Name, one.Data
			continue
		}
		out.Beside[one.Name] = one.Data
	}
	if out.Name == "" {
		return out, fmt.Errorf("%s holds no mesh file: one of %s", path, strings.Join(formats.Extensions, " "))
	}
	return out, nil
}
