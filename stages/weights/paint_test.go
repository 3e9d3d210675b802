package weights_test

import (
	"encoding/json"
	"slices"
	"testing"

	core "wisemarrow/core/weights"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/weights"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// What a page paints and what the server stores of the same strokes are the same bytes, in every
// mode, with locks, hidden vertices and choices.
func TestThePageAndTheServerPaintTheSame(t *testing.T) {
	s := studiotest.Bound(t)
	s = studiotest.Do(t, s, "lock_weights", `{"joints":["spine_2"],"locked":true}`)
	s = studiotest.Do(t, s, "hide_vertices", `{"vertices":"0-40"}`)
	tris, _ := s.Mesh.Triangles()
	near := func(x, y float64) int32 {
		best, at := 1e9, int32(0)
		for i, tri := range tris {
			p := s.Mesh.Points[tri[0]]
			if d := (p.X-x)*(p.X-x) + (p.Y-y)*(p.Y-y); d < best {
				best, at = d, int32(i)
			}
		}
		return at
	}
	stroke := []core.Touch{
		{Tri: near(0.2, 1.3), B: 0.3, C: 0.3, Pressure: 1},
		{Tri: near(0.25, 1.25), B: 0.1, C: 0.5, Pressure: 0.6, Wide: 1.3},
		{Tri: near(0.3, 1.2), B: 0.2, C: 0.2, Pressure: 1},
	}
	for _, mode := range []string{core.BrushSet, core.BrushAdd, core.BrushTake, core.BrushScale, core.BrushSmooth, core.BrushEven} {
		for _, more := range []core.Tip{{}, {Both: true}, {Builds: true, Through: true}, {Both: true, Builds: true, Facing: true}} {
			brush := core.Brush{Tip: more}
			brush.Joint, brush.Mode, brush.Value, brush.Opacity, brush.Radius, brush.Hard = "upper_arm_l", mode, 0.6, 0.8, 0.12, 0.3
			painting := weights.Paint{Brush: brush, Strokes: [][]core.Touch{stroke, stroke[1:]}}
			if mode == core.BrushAdd {
				painting.Vertices = "100-100000"
				painting.Vertices = core.Ranges(func() (out []int32) {
					for v := range s.Mesh.Points {
						if v%3 > 0 {
							out = append(out, int32(v))
						}
					}
					return out
				}())
			}
			params, err := json.Marshal(painting)
			require.NoError(t, err)
			stored, _, err := studiotest.Try(s, "paint_weights", string(params))
			require.NoError(t, err, mode)
			require.NoError(t, stored.Weights.Validate())

			d := studiotest.Desk(t, s)
			text, _ := json.Marshal(brush)
			var chosen []uint32
			if list, _ := s.VerticesOf(painting.Vertices); list != nil {
				for _, v := range list {
					chosen = append(chosen, uint32(v))
				}
			}
			for _, list := range painting.Strokes {
				require.NoError(t, d.Begin(string(text), chosen, false))
				for _, x := range list { // as they come
					one, _ := json.Marshal([]core.Touch{x})
					_, err := d.Touch(string(one))
					require.NoError(t, err)
				}
				d.End(false)
			}
			page := d.Weights()
			require.Equal(t, stored.Weights.Joints, page.Joints)
			changed := 0
			for v := range stored.Weights.Of {
				if !slices.Equal(stored.Weights.Of[v], s.Weights.Of[v]) {
					changed++
					require.Equal(t, stored.Weights.Of[v], page.Of[v], "%s, vertex %d", mode, v)
				}
				if v <= 40 {
					require.Equal(t, s.Weights.Of[v], stored.Weights.Of[v], "hidden")
				}
				k := int32(slices.Index(s.Weights.Joints, "spine_2"))
				require.InDelta(t, s.Weights.Value(v, k), stored.Weights.Value(v, k), 1e-7, "locked")
			}
			require.Positive(t, changed, mode)
			require.NotEmpty(t, stored.ByHand())
		}
	}
	for _, bad := range []string{`{}`, `{"strokes":[[]]}`, `{"joint":"upper_arm_l","mode":"set","value":1,"opacity":1,"radius":0.1,"strokes":[[{"t":99999999,"p":1}]]}`,
		`{"joint":"nobody","mode":"set","value":1,"opacity":1,"radius":0.1,"strokes":[[{"t":1,"p":1}]]}`, `{"joint":"spine_2","mode":"set","value":1,"opacity":1,"radius":0.1,"strokes":[[{"t":1,"p":1}]]}`} {
		_, _, err := studiotest.Try(s, "paint_weights", bad)
		require.True(t, studio.IsInput(err), "%s: %v", bad, err)
	}
}

// A stroke under way is taken back; choices, maps and the ledger answer as the weights are.
func TestTheDesk(t *testing.T) {
	s := studiotest.Bound(t)
	d := studiotest.Desk(t, s)
	before := slices.Clone(d.Weights().Of)
	require.Error(t, d.Begin(`{"mode":"wipe"}`, nil, false))
	_, err := d.Touch(`[]`)
	require.Error(t, err, "nothing was begun")
	require.NoError(t, d.Begin(`{"joint":"head","mode":"set","value":1,"opacity":1,"radius":0.2}`, nil, false))
	p, err := d.Touch(`[{"t":10,"b":0.3,"c":0.3,"p":1}]`)
	require.NoError(t, err)
	require.NotEmpty(t, p.Vertex)
	require.Len(t, p.Value, p.Width*len(p.Vertex))
	require.Equal(t, p.Vertex, d.End(true).Vertex)
	for _, v := range p.Vertex {
		for k, x := range before[v] {
			require.InDelta(t, x.Value, d.Weights().Of[v][k].Value, 1e-7)
		}
	}
	some, err := d.Choose("by", nil, "forearm_l", 0.5, 1)
	require.NoError(t, err)
	require.NotEmpty(t, some)
	grown, err := d.Choose("grow", some, "", 0, 0)
	require.NoError(t, err)
	require.Greater(t, len(grown), len(some))
	other, err := d.Choose("mirror", some, "", 0, 0)
	require.NoError(t, err)
	for _, v := range other {
		require.Negative(t, s.Mesh.Points[v].X)
	}
	_, err = d.Choose("wish", some, "", 0, 0)
	require.Error(t, err)
	_, err = d.Choose("grow", []uint32{1 << 30}, "", 0, 0)
	require.Error(t, err)
	text, err := d.Ledger(some)
	require.NoError(t, err)
	require.Contains(t, text, `"joint":"forearm_l"`)
	moved, err := d.Motion("forearm_l")
	require.NoError(t, err)
	k := int32(slices.Index(s.Weights.Joints, "forearm_l"))
	for v := range moved { // what neither it nor its descendants move is exactly still
		hand := s.Weights.Value(v, int32(slices.Index(s.Weights.Joints, "hand_l")))
		if s.Weights.Value(v, k) == 0 && hand == 0 {
			require.Zero(t, moved[v])
		}
		if s.Weights.Value(v, k) > 0.5 {
			require.Positive(t, moved[v])
		}
	}
	kind, size, err := d.Problems()
	require.NoError(t, err)
	require.Len(t, size, len(kind))
}

// A joint that has no weights yet is painted like any other, on both sides, in the page as on the server.
func TestAJointWithoutWeightsIsPainted(t *testing.T) {
	s := studiotest.Bound(t)
	sk := s.Skeleton.Clone() // joints that came after the bind
	for _, side := range []string{"_l", "_r"} {
		j := sk.Joints[sk.Index("hand"+side)]
		j.Name, j.Parent = "thumb"+side, sk.Index("hand"+side)
		sk.Joints = append(sk.Joints, j)
	}
	s = s.WithSkeleton(sk, nil, nil)
	require.NotContains(t, s.Weights.Joints, "thumb_l")
	hand := by(s, "hand_l")[0]
	tris, _ := s.Mesh.Triangles()
	at := int32(slices.IndexFunc(tris, func(x [3]int32) bool { return x[0] == hand }))
	brush := core.Brush{Joint: "thumb_l", Mode: core.BrushAdd, Value: 0.5, Opacity: 1, Tip: core.Tip{Radius: 0.05, Both: true}}
	stroke := []core.Touch{{Tri: at, B: 0.3, C: 0.3, Pressure: 1}}
	params, err := json.Marshal(weights.Paint{Brush: brush, Strokes: [][]core.Touch{stroke}})
	require.NoError(t, err)
	stored := studiotest.Do(t, s, "paint_weights", string(params))
	require.NotEmpty(t, stored.Weights.By(int32(slices.Index(stored.Weights.Joints, "thumb_l")), 0.1, 1))
	require.NotEmpty(
		t,
		stored.Weights.By(int32(slices.Index(stored.Weights.Joints, "thumb_r")), 0.1, 1),
		"its own partner gets the other side",
	)
	d := studiotest.Desk(t, s)
	text, _ := json.Marshal(brush)
	touches, _ := json.Marshal(stroke)
	require.NoError(t, d.Begin(string(text), nil, false))
	painted, err := d.Touch(string(touches))
	require.NoError(t, err)
	require.NotEmpty(t, painted.Vertex)
	d.End(false)
	require.Equal(t, stored.Weights.Joints, d.Weights().Joints)
	page := d.Weights()
	for _, v := range painted.Vertex {
		require.Equal(t, stored.Weights.Of[v], page.Of[v], "vertex %d", v)
	}
	brush.Joint = "nobody"
	text, _ = json.Marshal(brush)
	require.Error(t, d.Begin(string(text), nil, false))
}
