package bind_test

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"slices"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/demo"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// carried does carry_weights with a file that is at hand.
func carried(s studio.State, glb []byte, params string) (studio.State, studio.Outcome, error) {
	return withFile(s, "carry_weights", glb, params)
}

// withFile does an operation with a bound file that is at hand.
func withFile(s studio.State, op string, glb []byte, params string) (studio.State, studio.Outcome, error) {
	f, blobs := studio.Upload{Name: "bound.glb", Data: glb}.Blobs()
	entry, done, err := studio.ParseOperation(op, []byte(fmt.Sprintf(`{"file":{"name":%q,"blob":%q}%s}`, f.Name, f.Blob, params)))
	if err != nil {
		return s, studio.Outcome{}, err
	}
	studio.AttachFiles(done, func(string) ([]byte, error) { return blobs[0].Data, nil }, reading.Default)
	return studio.Apply(context.Background(), entry, done, s, nil)
}

// Weights of a bound file come onto the same mesh, a finer one, a subdivided and a shuffled
// one, joints under other names; what is too far is filled from its neighbours and told.
func TestWeightsAreCarriedOverFromAFile(t *testing.T) {
	need.Time(t)
	s := studiotest.Bound(t)
	var glb bytes.Buffer
	require.NoError(t, handoff.Write(&glb, &s, "glb", handoff.Options{}))
	off := func(a, b studio.State, same func(v int) int) float64 {
		sum := 0.0
		for v := range b.Mesh.Points {
			for j, name := range b.Weights.Joints {
				for i, other := range a.Weights.Joints {
					if other == name {
						sum += math.Abs(a.Weights.Value(same(v), int32(i)) - b.Weights.Value(v, int32(j)))
					}
				}
			}
		}
		return sum / 2 / float64(len(b.Mesh.Points))
	}
	bare := s
	bare.Weights, bare.Bind, bare.Binding = nil, nil, nil
	out, told, err := carried(bare, glb.Bytes(), "")
	require.NoError(t, err)
	require.Contains(t, told.Sentence, wording.Count(len(s.Mesh.Points), "vertex", "vertices"))
	require.Less(t, off(s, out, func(v int) int { return v }), 1e-3)
	require.NoError(t, out.Weights.Validate())
	require.Empty(t, out.Stray())

	// Finer, with a third of the vertices, and subdivided: held against the weights at the nearest vertex of the first.
	fine, few := bare, bare
	fine.Mesh, _ = demo.Odile(0.015)
	few.Mesh, _ = demo.Odile(0.045)
	require.Less(t, 2*len(few.Mesh.Points), len(s.Mesh.Points))
	sub := bare
	sub.Mesh = s.Mesh.CatmullClark(s.Mesh.Points)
	tree := geom.NewPointTree(s.Mesh.World())
	for what, x := range map[string]studio.State{"finer": fine, "with few": few, "subdivided": sub} {
		got, _, err := carried(x, glb.Bytes(), "")
		require.NoError(t, err, what)
		require.Empty(t, got.Stray(), what)
		points := x.Mesh.World()
		require.Less(
			t,
			off(s, got, func(v int) int { k, _, _ := tree.Nearest(points[v]); return int(k) }),
			0.06,
			what,
		) // a vertex is half an edge away
	}

	// Names and sizes differ: paired by meaning, and scaled.
	other := bare
	other.Mesh = s.Mesh.Bake(mesh.Placement{Scale: 10, Up: "y"})
	other.Skeleton = s.Skeleton.Clone()
	for i := range other.Skeleton.Joints {
		other.Skeleton.Joints[i].Name = "rig:" + other.Skeleton.Joints[i].Name
		other.Skeleton.Joints[i].Pos = r3.Scale(10, other.Skeleton.Joints[i].Pos)
	}
	got, told, err := carried(other, glb.Bytes(), `,"scale":10,"from":"vertex","within":0.5`)
	require.NoError(t, err)
	require.Empty(t, told.Left)
	require.Contains(t, got.Weights.Joints, "rig:head")
	require.Empty(t, got.Stray())

	// An arm held elsewhere is too far: filled along the surface, evenly, and told.
	away := bare
	moved := *s.Mesh
	moved.Points = append([]r3.Vec(nil), s.Mesh.Points...)
	hand := s.Skeleton.Joints[s.Skeleton.Index("hand_l")].Pos
	gone := 0
	for v, p := range moved.Points {
		if p.X > hand.X {
			moved.Points[v].Y += 0.3
			gone++
		}
	}
	away.Mesh = &moved
	got, told, err = carried(away, glb.Bytes(), `,"within":0.01`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "filled from their neighbors")
	require.Len(t, got.Bind.Report.Ways, 2)
	require.InDelta(t, gone, got.Bind.Report.Ways[1].Vertices, 40)
	require.Empty(t, got.Stray())
	require.NoError(t, got.Weights.Validate())

	for params, why := range map[string]string{`,"from":"above"`: "normal", `,"within":-1`: "at least 0 m", `,"scale":100,"within":0.01`: "give a scale"} {
		_, _, err := carried(bare, glb.Bytes(), params)
		require.True(t, studio.IsInput(err), params)
		require.ErrorContains(t, err, why)
	}
	_, _, err = carried(bare, []byte("no glb"), "")
	require.True(t, studio.IsInput(err))
	_, _, err = studiotest.Try(bare, "carry_weights", "")
	require.ErrorContains(t, err, "name the file")
}

// Weights come onto chosen vertices alone, from a file or from a part of the same mesh: what is not
// chosen stays exactly as it is, and so do hidden vertices and the shares of locked joints.
func TestWeightsAreCarriedOverOntoSome(t *testing.T) {
	s := studiotest.Bound(t)
	var glb bytes.Buffer
	require.NoError(t, handoff.Write(&glb, &s, "glb", handoff.Options{}))
	spoilt := studiotest.Do(t, s, "set_weights", `{"joint":"head","vertices":"100-400","value":1}`)
	spoilt = studiotest.Do(t, spoilt, "hide_vertices", `{"vertices":"390-400"}`)
	got, told, err := carried(spoilt, glb.Bytes(), `,"vertices":"200-400","from":"order","influences":16,"trace":0`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "201 vertices")
	require.NoError(t, got.Weights.Validate())
	for v := range s.Weights.Of {
		if v >= 200 && v < 390 {
			require.Less(t, apart(got, v, s, v), 1e-5, v)
		} else {
			require.Equal(t, spoilt.Weights.Of[v], got.Weights.Of[v], v)
		}
	}
	require.Subset(t, got.ByHand(), []int32{200, 389})
	locked := studiotest.Do(t, spoilt, "lock_weights", `{"joints":["head"],"locked":true}`)
	_, _, err = carried(locked, glb.Bytes(), `,"vertices":"200-380","from":"order"`)
	require.ErrorContains(t, err, "nothing changed")

	// From a part of the mesh to what lies beside it: a second body two centimetres off.
	two := s
	m := *s.Mesh
	m.Parts = append(m.Parts[:1:1], mesh.NewPart("other"))
	m.Part = make([]int32, 2*s.Mesh.Faces())
	m.Points, m.Corner, m.Start = append(
		m.Points[:len(m.Points):len(m.Points)],
		m.Points...), append(
		m.Corner[:len(m.Corner):len(m.Corner)],
		m.Corner...), m.Start[:len(m.Start):len(m.Start)]
	m.UV, m.Normal = nil, nil
	n := len(s.Mesh.Points)
	for v := n; v < 2*n; v++ {
		m.Points[v].Z += 0.02
	}
	for c := len(s.Mesh.Corner); c < len(m.Corner); c++ {
		m.Corner[c] += int32(n)
	}
	for f := range s.Mesh.Faces() {
		m.Start = append(m.Start, s.Mesh.Start[f+1]+int32(len(s.Mesh.Corner)))
		m.Part[s.Mesh.Faces()+f] = 1
	}
	m.Part = m.Part[:2*s.Mesh.Faces()]
	require.NoError(t, m.Validate())
	two.Mesh = &m
	two.Weights = weights.New(s.Weights.Joints, 2*n)
	copy(two.Weights.Of, s.Weights.Of)
	two.Binding = pose.Recorded(s.Skeleton)
	onto := studiotest.Do(
		t,
		two,
		"carry_weights",
		`{"parts":["`+m.Parts[0].Name+`"],"onto":["other"],"from":"vertex","influences":16,"trace":0}`,
	)
	require.Empty(t, onto.Weights.Unweighted())
	sum := 0.0
	for v := range n {
		require.Equal(t, s.Weights.Of[v], onto.Weights.Of[v])
		sum += apart(onto, n+v, s, v)
	}
	require.Less(t, sum/float64(n), 0.08, "two centimeters off")
	for params, why := range map[string]string{
		`{"parts":["` + m.Parts[0].Name + `"]}`:                                 "select the parts",
		`{"parts":["nothing"],"onto":["other"]}`:                                "nothing",
		`{"parts":["other"],"onto":["other"]}`:                                  "both give and get",
		`{"parts":["` + m.Parts[0].Name + `"],"onto":["other"],"from":"order"}`: "says nothing",
	} {
		_, _, err := studiotest.Try(two, "carry_weights", params)
		require.True(t, studio.IsInput(err), params)
		require.ErrorContains(t, err, why)
	}
}

// apart is how much of the influences of two vertices differs, 0 to 1.
func apart(a studio.State, v int, b studio.State, w int) float64 {
	sum := 0.0
	for j, name := range a.Weights.Joints {
		sum += math.Abs(a.Weights.Value(v, int32(j)) - b.Weights.Value(w, int32(slices.Index(b.Weights.Joints, name))))
	}
	return sum / 2
}

// What a character had at an earlier revision is kept under a name, by the order of vertices where
// the mesh is the same, else carried over, and can be compared and taken.
func TestTheWeightsOfAnEarlierRevisionAreKept(t *testing.T) {
	s := studiotest.Bound(t)
	var glb bytes.Buffer
	require.NoError(t, handoff.Write(&glb, &s, "glb", handoff.Options{}))
	now := studiotest.Do(t, s, "set_weights", `{"joint":"head","vertices":"100-400","value":1}`)
	kept, told, err := withFile(now, "keep_result", glb.Bytes(), `,"name":"then"`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "as then")
	require.Equal(t, now.Weights, kept.Weights, "those of now stay")
	back := studiotest.Do(t, kept, "take_result", `{"name":"then"}`)
	for v := range s.Weights.Of {
		require.Less(t, apart(back, v, s, v), 1e-5)
	}
	coarse := studiotest.Do(t, now, "drop_chosen", `{"faces":[0,1,2,3]}`)
	kept, _, err = withFile(coarse, "keep_result", glb.Bytes(), `,"name":"then"`)
	require.NoError(t, err)
	require.Len(t, kept.Kept[0].Weights.Of, len(coarse.Mesh.Points))
	require.Empty(t, kept.Kept[0].Weights.Unweighted())
	_, _, err = withFile(now, "keep_result", []byte("nothing"), `,"name":"then"`)
	require.True(t, studio.IsInput(err))
	bare := s
	bare.Weights, bare.Bind, bare.Binding = nil, nil, nil
	_, _, err = studiotest.Try(bare, "keep_result", `{"name":"then"}`)
	require.ErrorContains(t, err, "no weights to keep yet")
}
