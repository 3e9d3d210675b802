package studio

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"path"
	"slices"
	"strings"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/wording"
	"wisemarrow/formats"
	"wisemarrow/formats/gltf"
	"wisemarrow/formats/reading"
)

// File is a file among the parameters of an operation: the blob with its content,
// and those of the files that came beside it. So a revision that read a file can be
// done again from the store alone.
type File struct {
	Name   string            `json:"name"`
	Blob   string            `json:"blob"`
	Beside map[string]string `json:"beside,omitempty"` // blobs by name

	read   func(hash string) ([]byte, error)
	limits reading.Limits
}

// FileReader is an operation that reads files.
type FileReader interface {
	Files() []*File
}

// AttachFiles lets the files of an operation be read; read returns a blob.
func AttachFiles(op Operation, read func(hash string) ([]byte, error), l reading.Limits) {
	if r, ok := op.(FileReader); ok {
		for _, f := range r.Files() {
			f.read, f.limits = read, l
		}
	}
}

// Given reports whether there is a file.
func (f *File) Given() bool { return f != nil && f.Blob != "" }

// Open returns the content, and what finds the files beside it. Reading ends with ctx: who has left waits for
// nothing.
func (f *File) Open(ctx context.Context) (io.Reader, gltf.Resolver, reading.Limits, error) {
	if f.read == nil {
		return nil, nil, f.limits, Wrong("the file %s is not available here", f.Name)
	}
	data, err := f.read(f.Blob)
	if errors.Is(err, ErrNotFound) {
		return nil, nil, f.limits, Wrong("the content of %s is not stored any more: bring the file again", f.Name)
	}
	if err != nil {
		return nil, nil, f.limits, fmt.Errorf("reading %s: %w", f.Name, err)
	}
	resolve := func(uri string) ([]byte, error) {
		hash, ok := f.Beside[path.Base(uri)]
		if !ok {
			return nil, ErrNotFound
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		return f.read(hash)
	}
	return reading.Until(ctx, bytes.NewReader(data)), resolve, f.limits, nil
}

// blobs returns the hashes of all that an operation reads.
func blobsOf(op Operation) []string {
	r, ok := op.(FileReader)
	if !ok {
		return nil
	}
	var out []string
	for _, f := range r.Files() {
		if f.Given() {
			out = append(out, f.Blob)
			out = append(out, slices.Sorted(maps.Values(f.Beside))...)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Upload is a file that a person has sent, with what came beside it.
type Upload struct {
	Name   string
	Data   []byte
	Beside map[string][]byte
}

// Blobs returns the file as it stands in parameters, and its content.
func (u Upload) Blobs() (File, []Blob) {
	b := newBlob(u.Data)
	f := File{Name: u.Name, Blob: b.Hash}
	out := []Blob{b}
	for _, name := range slices.Sorted(maps.Keys(u.Beside)) {
		b := newBlob(u.Beside[name])
		if f.Beside == nil {
			f.Beside = map[string]string{}
		}
		f.Beside[name] = b.Hash
		out = append(out, b)
	}
	return f, out
}

// TakeIn stores the content of an upload, to be named by an operation within a day.
func (x *Studio) TakeIn(ctx context.Context, u Upload) (File, error) {
	f, blobs := u.Blobs()
	return f, x.store.Stage(ctx, blobs)
}

// NamedMesh is a mesh of a file, and the name of that without its ending and with it.
type NamedMesh struct {
	Name, File string
	Mesh       *mesh.Mesh
}

// Meshes reads the mesh of a file, and those of all mesh files that came beside it, by name.
func (f *File) Meshes(ctx context.Context) ([]NamedMesh, error) {
	in, resolve, limits, err := f.Open(ctx)
	if err != nil {
		return nil, err
	}
	var out []NamedMesh
	read := func(name string, in io.Reader) error {
		x, err := formats.Decode(name, in, resolve, limits)
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if err != nil {
			return Wrong("%v", err)
		}
		if x.Mesh == nil {
			return Wrong("%s holds no mesh", name)
		}
		out = append(out, NamedMesh{strings.TrimSuffix(path.Base(name), path.Ext(name)), name, x.Mesh})
		return nil
	}
	if err := read(f.Name, in); err != nil {
		return nil, err
	}
	for _, name := range slices.Sorted(maps.Keys(f.Beside)) {
		if !slices.Contains(formats.Extensions, strings.ToLower(path.Ext(name))) {
			continue
		}
		data, err := resolve(name)
		if err != nil {
			return nil, fmt.Errorf("reading %s: %w", name, err)
		}
		if err := read(name, bytes.NewReader(data)); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// SameVertices reports why a mesh is not the one of a state with its vertices elsewhere.
func (x NamedMesh) SameVertices(s *State) error {
	if len(x.Mesh.Points) != len(s.Mesh.Points) {
		return Wrong(
			"%s has %s, and the character %s: it must have the same vertices in the same order",
			x.File,
			wording.Count(len(x.Mesh.Points), "vertex", "vertices"),
			wording.Thousands(len(s.Mesh.Points)),
		)
	}
	long, ours := geom.BoxOf(x.Mesh.World()).Diagonal(), geom.BoxOf(s.Mesh.World()).Diagonal()
	if long > otherScale*ours || ours > otherScale*long {
		return Wrong(
			"%s measures %s across, and the character %s: export it in the units of the character",
			x.File,
			wording.Length(long),
			wording.Length(ours),
		)
	}
	return nil
}

// otherScale is from what ratio of sizes on a mesh has another unit.
const otherScale = 3

// Skeleton reads the skeleton of a file, and its first motion if it has one.
func (f *File) Skeleton(ctx context.Context) (*skeleton.Skeleton, *pose.Clip, error) {
	r, resolve, limits, err := f.Open(ctx)
	if err != nil {
		return nil, nil, err
	}
	sk, clip, err := formats.DecodeSkeleton(f.Name, r, resolve, limits)
	if ctx.Err() != nil {
		return nil, nil, ctx.Err()
	}
	if err != nil {
		return nil, nil, Wrong("%v", err)
	}
	return sk, clip, nil
}
