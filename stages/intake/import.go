package intake

import (
	"context"
	"encoding/json"
	"fmt"
	"path/filepath"
	"strings"

	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/weights"
	"wisemarrow/formats"
	"wisemarrow/formats/gltf"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "import",
			Label: "Bring in a file",
			Stage: "intake",
			Words: "open load import upload new character",
			From:  studio.FromForm,
			New:   func() studio.Operation { return &Import{} },
		},
	)
}

// Import makes the first state of a character of a file.
type Import struct {
	File studio.File `json:"file"`
}

// Files implements studio.FileReader.
func (o *Import) Files() []*studio.File { return []*studio.File{&o.File} }

// Apply implements studio.Operation.
func (o *Import) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if s.Mesh != nil {
		return s, studio.Outcome{}, studio.Wrong(
			"the character has a mesh already: compare a newer file at Intake, or bring the file in as another character",
		)
	}
	out, err := readFile(ctx, &o.File)
	if err != nil {
		return s, studio.Outcome{}, err
	}
	return out, studio.Outcome{
		Sentence: fmt.Sprintf("Brought in %s: %d vertices, %d faces", o.File.Name, len(out.Mesh.Points), out.Mesh.Faces()),
	}, nil
}

// readFile reads a mesh file into a state of its own.
func readFile(ctx context.Context, f *studio.File) (studio.State, error) {
	r, resolve, limits, err := f.Open(ctx)
	if err != nil {
		return studio.State{}, err
	}
	scene, err := formats.Decode(f.Name, r, resolve, limits)
	if ctx.Err() != nil {
		return studio.State{}, ctx.Err()
	}
	if err != nil {
		return studio.State{}, studio.Wrong("%v", err)
	}
	if scene.Mesh == nil {
		return studio.State{}, studio.Wrong("%s holds no mesh", f.Name)
	}
	if scene.Mesh.Faces() == 0 {
		return studio.State{}, studio.Wrong("%s: %v", f.Name, NoFaces(scene.Mesh))
	}
	return StateOf(scene, f.Name), nil
}

// NoFaces says what a file without faces holds instead.
func NoFaces(m *mesh.Mesh) error {
	if len(m.Lines) > 0 {
		return fmt.Errorf(
			"it holds %d vertices and %d lines but no faces, so there is no surface to bind: export it with its faces",
			len(m.Points),
			len(m.Lines),
		)
	}
	return fmt.Errorf("it has %d vertices but no faces, so there is no surface to bind: export it with its faces", len(m.Points))
}

// StateOf returns the first state of what a file holds. A file that is bound gets an
// account of how it is bound.
func StateOf(scene *gltf.Scene, file string) studio.State {
	s := studio.State{Mesh: scene.Mesh, Settings: studio.DefaultSettings()}
	s.Settings.Source, s.Settings.Notes, s.Settings.Joined = file, scene.Notes, scene.Joined
	s.Shapes = scene.Shapes
	if !scene.Look.Empty() {
		s.Look = scene.Look
	}
	if scene.Skeleton == nil || len(scene.Skeleton.Joints) < 2 {
		return s
	}
	s.Skeleton, s.Weights, s.Binding = scene.Skeleton, scene.Weights, scene.Binding // as the file bound it
	s.Clips = studio.EachClip(scene.Clips, func(c *pose.Clip) *pose.Clip { return c.AboutWorld(s.Skeleton) })
	if s.Weights != nil {
		most := 1
		for _, list := range s.Weights.Of {
			most = max(most, len(list))
		}
		s.Bind = &studio.Result{Operation: "import", Limits: weights.Limits{Cap: most}, Skeleton: s.Skeleton,
			Report: *bind.Account(s.Mesh, s.Skeleton, s.Weights, bind.Evidence{Method: "as the file bound it"})}
	}
	return s
}

// Bring makes a new character of an uploaded file; its name is taken from the file
// if it has none, with a number where the production has one of that name.
func Bring(ctx context.Context, x *studio.Studio, c studio.Character, author string, u studio.Upload) (studio.Character, error) {
	if c.Name == "" {
		var err error
		if c.Name, err = x.FreeName(ctx, c.Production, strings.TrimSuffix(filepath.Base(u.Name), filepath.Ext(u.Name))); err != nil {
			return c, err
		}
	}
	f, blobs := u.Blobs()
	params, err := json.Marshal(Import{File: f})
	if err != nil {
		return c, err
	}
	return x.Bring(ctx, c, author, "import", params, blobs)
}
