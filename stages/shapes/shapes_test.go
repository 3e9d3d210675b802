package shapes_test

import (
	"bytes"
	"context"
	"encoding/json"
	"math"
	"slices"
	"strings"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/formats/obj"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/shapes"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// added is what becomes of a state when files are added.
func added(t *testing.T, s studio.State, params map[string]any, u studio.Upload) (studio.State, studio.Outcome, error) {
	t.Helper()
	file, blobs := u.Blobs()
	params["file"] = file
	raw, err := json.Marshal(params)
	require.NoError(t, err)
	entry, op, err := studio.ParseOperation("add_targets", raw)
	require.NoError(t, err)
	studio.AttachFiles(op, func(hash string) ([]byte, error) {
		i := slices.IndexFunc(blobs, func(b studio.Blob) bool { return b.Hash == hash })
		return blobs[i].Data, nil
	}, reading.Default)
	return studio.Apply(context.Background(), entry, op, s, nil)
}

func asOBJ(t *testing.T, s studio.State, places []r3.Vec) []byte {
	m := *s.Mesh
	m.Points = places
	var b bytes.Buffer
	require.NoError(t, obj.Encode(&b, &m))
	return b.Bytes()
}

// grown is a state with a shape target on the left hand and arm, from a file.
func grown(t *testing.T) studio.State {
	s := studiotest.Bound(t)
	points := slices.Clone(s.Mesh.World())
	for v, p := range points {
		if p.X > 0.2 {
			points[v].Y += 0.05
		}
	}
	out, told, err := added(t, s, map[string]any{}, studio.Upload{Name: "lifted_l.obj", Data: asOBJ(t, s, points)})
	require.NoError(t, err)
	require.Equal(t, "Added 1 shape target from lifted_l.obj", told.Sentence)
	require.InDelta(t, 0.05, out.Mesh.Shapes[0].Offset[0].Y, 1e-6)
	return out
}

func places(t *testing.T, s studio.State, p pose.Pose) []r3.Vec {
	skin, err := s.Skin()
	require.NoError(t, err)
	return skin.Places(p)
}

func TestTargetsAreAddedSetAndChanged(t *testing.T) {
	s := grown(t)
	rest := places(t, s, nil)
	half := studiotest.Do(t, s, "set_target", `{"target":"lifted_l","value":0.5}`)
	v := s.Mesh.Shapes[0].Vertex[0]
	require.InDelta(t, rest[v].Y+0.025, places(t, half, nil)[v].Y, 1e-6)
	muted := studiotest.Do(t, half, "mute_targets", `{"targets":["lifted_l"],"muted":true}`)
	require.Equal(t, rest, places(t, muted, nil))

	named := studiotest.Do(t, half, "rename_target", `{"target":"lifted_l","name":"up_l"}`)
	require.Equal(t, 0.5, named.Rig().Targets[0].Value, "its value goes along")
	both := studiotest.Do(t, named, "mirror_targets", `{"targets":["up_l"]}`)
	require.Equal(t, "up_r", both.Mesh.Shapes[1].Name)
	require.InDelta(t, len(both.Mesh.Shapes[0].Vertex), len(both.Mesh.Shapes[1].Vertex), 0.1*float64(len(both.Mesh.Shapes[0].Vertex)))
	whole := 0
	for k, v := range both.Mesh.Shapes[1].Vertex {
		require.Less(t, both.Mesh.World()[v].X, -0.15)
		if d := both.Mesh.Shapes[1].Offset[k]; d.Y > 0.0499 && d.Y < 0.0501 {
			whole++
		}
	}
	require.Greater(t, whole, len(both.Mesh.Shapes[1].Vertex)*9/10, "but at the border, where the surface leads over")
	smaller := studiotest.Do(t, both, "scale_target", `{"target":"up_r","times":0.5}`)
	require.InDelta(t, both.Mesh.Shapes[1].Offset[0].Y/2, smaller.Mesh.Shapes[1].Offset[0].Y, 1e-6)
	require.Same(t, &both.Mesh.Shapes[0].Offset[0], &smaller.Mesh.Shapes[0].Offset[0], "others are shared")
	sum := studiotest.Do(t, both, "add_to_target", `{"target":"up_l","from":"up_r","times":-1}`)
	require.Greater(t, len(sum.Mesh.Shapes[0].Vertex), len(both.Mesh.Shapes[0].Vertex))
	locked := studiotest.Do(t, both, "lock_targets", `{"targets":["up_l"],"locked":true}`)
	for op, params := range map[string]string{
		"remove_targets": `{"targets":["up_l"]}`, "add_to_target": `{"target":"up_l","from":"up_r"}`, "scale_target": `{"target":"up_l","times":2}`,
		"mirror_targets": `{"targets":["up_r"]}`,
	} {
		_, _, err := studiotest.Try(locked, op, params)
		require.ErrorContains(t, err, "up_l is locked", op)
	}
	checked := studiotest.Do(t, both, "check_motion", `{"steps":1}`)
	require.True(t, studiotest.Do(t, checked, "set_target", `{"target":"up_r","value":1}`).Sheet.Stale, "a sheet is of before what is on")
	gone := studiotest.Do(t, both, "remove_targets", `{"targets":["up_l"]}`)
	require.Len(t, gone.Mesh.Shapes, 1)
	require.Len(t, gone.Shapes.Targets, 1)
	require.Len(t, shapes.Rows(&both), 2)

	for op, bad := range map[string][2]string{
		"set_target":     {`{"target":"nothing","value":1}`, "no shape target"},
		"rename_target":  {`{"target":"lifted_l","name":" "}`, "needs a name"},
		"remove_targets": {`{"targets":[]}`, "at least one"},
		"mirror_targets": {`{"targets":["nothing"]}`, "no shape target"},
		"scale_target":   {`{"target":"lifted_l","times":1}`, "no offset"},
		"split_target":   {`{"target":"lifted_l"}`, "on one side already"},
		"drive_target":   {`{"target":"lifted_l","joint":"nobody"}`, "no joint"},
		"place_between":  {`{"target":"lifted_l","of":"lifted_l","at":0.5}`, "depends on itself"},
	} {
		_, _, err := studiotest.Try(s, op, bad[0])
		require.ErrorContains(t, err, bad[1], op)
	}
	_, _, err := studiotest.Try(s, "set_target", `{"target":"lifted_l","value":2}`)
	require.ErrorContains(t, err, "widen its slider")
}

// A target of both sides is split into halves that sum to the whole, and joints bring targets on, on both sides alike.
func TestTargetsAreSplitAndDriven(t *testing.T) {
	s := studiotest.Bound(t)
	points := slices.Clone(s.Mesh.World())
	for v := range points {
		points[v].Z += 0.03
	}
	s, _, err := added(t, s, map[string]any{}, studio.Upload{Name: "puffed.obj", Data: asOBJ(t, s, points)})
	require.NoError(t, err)
	whole := s.Mesh.Shapes[0]
	halves := studiotest.Do(t, s, "split_target", `{"target":"puffed","soft":0.1}`)
	require.Equal(t, []string{"puffed_l", "puffed_r"}, []string{halves.Mesh.Shapes[0].Name, halves.Mesh.Shapes[1].Name})
	require.Equal(t, whole.Offset, shape.Sum(halves.Mesh.Shapes[0], halves.Mesh.Shapes[1], 1).Offset)

	driven := studiotest.Do(t, halves, "drive_target", `{"target":"puffed_l","joint":"forearm_l","axis":"bend","degrees":80}`)
	both := studiotest.Do(t, driven, "mirror_targets", `{"targets":["puffed_l"]}`)
	require.Equal(t, "forearm_r", both.Rig().Targets[1].Driver.Joint)
	e := both.Rig().For(both.Skeleton, both.Settings.Marks)
	for _, x := range both.Skeleton.Trials(both.Settings.Marks) {
		name := both.Skeleton.Joints[x.Joint].Name
		if x.Name == "bend" && strings.HasPrefix(name, "forearm") {
			got := e.Values(pose.Pose{name: pose.AboutWorld(both.Skeleton, x, 40)})
			require.InDelta(t, 0.5, got[0]+got[1], 1e-9, name)
		}
	}
	_, _, err = studiotest.Try(driven, "set_target", `{"target":"puffed_l","value":1}`)
	require.ErrorContains(t, err, "free it first")
	free := studiotest.Do(t, driven, "free_targets", `{"targets":["puffed_l"]}`)
	require.Nil(t, free.Rig().Targets[0].Driver)
	half, _, err := added(t, halves, map[string]any{}, studio.Upload{Name: "again.obj", Data: asOBJ(t, s, points)})
	require.NoError(t, err)
	met := studiotest.Do(t, half, "combine_targets", `{"target":"again","of":["puffed_l","puffed_r"]}`)
	require.NotNil(t, met.Rig().Targets[2].Meets)

	// A joint that goes leaves its target off, and that is found; a new name goes along.
	other := studiotest.Do(t, driven, "rename_joint", `{"joint":"forearm_l","name":"lower_arm_l"}`)
	require.Equal(t, "lower_arm_l", other.Rig().Targets[0].Driver.Joint)
	cut := studiotest.Do(t, driven, "remove_joints", `{"joints":["forearm_l"]}`)
	require.Equal(t, "lost_driver", studio.CheckOnly(&cut, "shapes")[0].Code)
}

// What was sculpted in a pose is taken back to rest, so that the pose shows it as it was sculpted; meshes of others are
// refused.
func TestWhatIsSculptedInAPoseIsTakenOutOfIt(t *testing.T) {
	s := studiotest.Bound(t)
	var bent pose.Pose
	for _, x := range s.Skeleton.Trials(s.Settings.Marks) {
		if s.Skeleton.Joints[x.Joint].Name == "forearm_l" && x.Name == "bend" {
			bent = pose.Pose{"forearm_l": pose.AboutWorld(s.Skeleton, x, 80)}
		}
	}
	at := deform.Bound(s.Mesh.World(), s.Weights, s.Skeleton, bent, nil)
	elbow := studiotest.At(t, s, "forearm_l")
	for v, p := range s.Mesh.World() {
		if r3.Norm(r3.Sub(p, elbow)) < 0.08 {
			at[v].Z += 0.01
		}
	}
	s.Poses = []*pose.Clip{pose.Saved("elbow", s.Skeleton, bent, r3.Vec{})}
	out, told, err := added(t, s, map[string]any{"posed": true}, studio.Upload{Name: "elbow.obj", Data: asOBJ(t, s, at)})
	require.NoError(t, err)
	require.Contains(t, strings.Join(told.Steps, "\n"), "in the kept pose of that name")
	on := studiotest.Do(t, out, "set_target", `{"target":"elbow","value":1}`)
	for v, p := range places(t, on, bent) {
		require.InDelta(t, 0, r3.Norm(r3.Sub(p, at[v])), 1e-5)
	}
	s.Poses = nil
	_, told, err = added(t, s, map[string]any{"posed": true}, studio.Upload{Name: "elbow.obj", Data: asOBJ(t, s, at)})
	require.NoError(t, err)
	require.Contains(t, strings.Join(told.Steps, "\n"), "the pose was found from the mesh")

	_, _, err = added(t, s, map[string]any{}, studio.Upload{Name: "same.obj", Data: asOBJ(t, s, s.Mesh.World())})
	require.ErrorContains(t, err, "moves a vertex")
	few := s
	m := *s.Mesh
	m.Points = append(slices.Clone(m.Points), r3.Vec{})
	few.Mesh = &m
	_, _, err = added(t, s, map[string]any{}, studio.Upload{Name: "other.obj", Data: asOBJ(t, few, m.Points)})
	require.ErrorContains(t, err, "the same vertices")
}

// Correctives measure better, spoil nothing, come on both sides, and go again with undo of the operation.
func TestCorrectivesAreComputed(t *testing.T) {
	s := studiotest.Bound(t)
	out, told, err := studiotest.Try(s, "propose_correctives", `{}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "correctives: average ratio to limit")
	require.Less(t, out.Sheet.Score, out.Sheet.Before.Score)
	require.Less(t, out.Sheet.Over, out.Sheet.Before.Over)
	names := map[string]bool{}
	for _, x := range out.Shapes.Targets {
		names[x.Name] = true
		require.NotNil(t, x.Driver)
		require.NotEmpty(t, x.Made)
	}
	for name := range names {
		partner, ok := s.Settings.Marks.Partner(name)
		require.True(t, ok)
		if !strings.Contains(name, "twist") { // whose angle has the other sign
			require.True(t, names[partner], "%s has %s", name, partner)
		}
	}
	require.Equal(t, places(t, s, nil), places(t, out, nil), "at rest nothing moves")
	require.Equal(t, s.Weights, out.Weights)
	_, _, err = studiotest.Try(s, "propose_correctives", `{"joints":["head"],"from":5}`)
	require.ErrorContains(t, err, "5 of its limit")
	away := s
	away.Skeleton = s.Skeleton.Clone()
	away.Skeleton.Joints[3].Pos.X += 0.05
	_, _, err = studiotest.Try(away, "propose_correctives", `{}`)
	require.ErrorContains(t, err, "at Bind pose")

	// A mesh operation takes them along, and so does the store.
	_, x, c := studiotest.Begun(t, out)
	rev, _, back, err := x.Head(context.Background(), c.ID)
	require.NoError(t, err)
	require.NotZero(t, rev.Head)
	require.Len(t, back.Mesh.Shapes, len(out.Mesh.Shapes))
	require.Equal(t, out.Shapes, back.Shapes)
}

// A mesh in another order is matched by its texture coordinates, one with other vertices by its surface; what has no partner is
// counted and named, and a way that does not fit the file says which does.
func TestMeshesOfOtherVerticesAreTargets(t *testing.T) {
	s := studiotest.Bound(t)
	own := *s.Mesh
	own.UV = make([][2]float32, len(own.Corner)) // a layout in which every vertex is at a place of its own
	side := 1 + int(math.Sqrt(float64(len(own.Points))))
	for c, v := range own.Corner {
		own.UV[c] = [2]float32{float32(int(v)%side) / float32(side), float32(int(v)/side) / float32(side)}
	}
	s.Mesh = &own
	other := own
	other.Points = slices.Clone(own.Points)
	for v, p := range own.World() {
		if p.X > 0.2 {
			other.Points[v].Y += 0.05
		}
	}
	n := int32(len(own.Points))
	other.Corner = slices.Clone(own.Corner)
	slices.Reverse(other.Points)
	for c, v := range own.Corner {
		other.Corner[c] = n - 1 - v
	}
	var b bytes.Buffer
	require.NoError(t, obj.Encode(&b, &other))
	file := studio.Upload{Name: "lifted_l.obj", Data: b.Bytes()}
	out, _, err := added(t, s, map[string]any{"match": "texture"}, file)
	require.NoError(t, err)
	for i, v := range out.Mesh.Shapes[0].Vertex {
		require.Greater(t, own.World()[v].X, 0.2)
		require.InDelta(t, 0.05, out.Mesh.Shapes[0].Offset[i].Y, 1e-5)
	}
	near, told, err := added(t, s, map[string]any{"match": "surface"}, file)
	require.NoError(t, err)
	require.NotEmpty(t, near.Mesh.Shapes[0].Vertex)
	require.Empty(t, told.Left)
	_, _, err = added(t, s, map[string]any{"match": "place"}, file)
	require.ErrorContains(t, err, "match a mesh alone by the order of its vertices, its texture coordinates, or its surface")
	s.Mesh = studiotest.Bound(t).Mesh
	_, _, err = added(t, s, map[string]any{"match": "texture"}, file)
	require.ErrorContains(t, err, "both meshes need texture coordinates")
}
