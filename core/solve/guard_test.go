package solve_test

import (
	"math"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/solve"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// What is over its limit is spoiled if it was not, or by a tenth less; lesser faults of a place count too.
func TestSpoiledIsWhatWasGood(t *testing.T) {
	before := map[string]float64{"spill": 0.5, "stretch": 1.5, "crush": 1.5, "volume": 0.2}
	list := []deform.Fault{
		{
			Kind:  "spill",
			Times: 1.2,
			Where: deform.Places{3, 4},
			Also:  []deform.Also{{Kind: "volume", Times: 1.1, Frame: 7}, {Kind: "pinch", Times: 0.9}},
		},
		{Kind: "stretch", Times: 1.6}, // by less than a tenth
		{Kind: "crush", Times: 1.7},
		{Kind: "flip", Times: 0.8},
	}
	out, err := solve.SpoiledBy(list, func(kind string, _ int) (float64, error) { return before[kind], nil })
	require.NoError(t, err)
	require.Len(t, out, 3)
	assert.Equal(t, "spill", out[0].Kind)
	assert.Equal(t, "volume", out[1].Kind)
	assert.Equal(t, 7, out[1].Frame)
	assert.Equal(t, deform.Places{3, 4}, out[1].Where)
	assert.Equal(t, "crush", out[2].Kind)
	assert.Equal(t, 1.5, out[2].Was)
}

// strip is a band along X of 2 m with a button above its end and one joint on each side; the last vertex is the button's.
func strip() (*mesh.Mesh, *skeleton.Skeleton) {
	m := &mesh.Mesh{Parts: []mesh.Part{{Name: "band", Frame: geom.IdentityMatrix}}, Start: []int32{0}}
	const n = 41
	for i := range n {
		x := 0.05*float64(i) - 1
		m.Points = append(m.Points, r3.Vec{X: x}, r3.Vec{X: x, Y: 1})
	}
	face := func(v ...int32) {
		m.Corner = append(m.Corner, v...)
		m.Start = append(m.Start, int32(len(m.Corner)))
		m.Part = append(m.Part, 0)
	}
	for i := range int32(n - 1) {
		face(2*i, 2*i+2, 2*i+3, 2*i+1)
	}
	b := int32(len(m.Points))
	m.Points = append(m.Points, r3.Vec{X: 0.94, Z: 0.01}, r3.Vec{X: 0.99, Z: 0.01}, r3.Vec{X: 0.99, Y: 0.05, Z: 0.01})
	face(b, b+1, b+2)
	s := &skeleton.Skeleton{Joints: []skeleton.Joint{
		{Name: "root", Parent: -1, Rot: geom.Identity},
		{Name: "arm_l", Parent: 0, Pos: r3.Vec{X: 0.5}, Rot: geom.Identity},
		{Name: "arm_r", Parent: 0, Pos: r3.Vec{X: -0.5}, Rot: geom.Identity},
	}}
	return m, s
}

// As much is given back as a place needs, and no more; softly, on both sides, things in one piece as one, and what did not
// change to the last bit.
func TestWhatIsSpoiledIsGivenBackAsFarAsNeeded(t *testing.T) {
	m, s := strip()
	n := len(m.Points)
	was, now := weights.New([]string{"root", "arm_l", "arm_r"}, n), weights.New([]string{"root", "arm_l", "arm_r"}, n)
	for v, p := range m.Points {
		side := int32(1)
		if p.X < 0 {
			side = 2
		}
		was.Of[v] = []weights.Influence{{Joint: 0, Value: 0.5}, {Joint: side, Value: 0.5}}
		now.Of[v] = []weights.Influence{{Joint: 0, Value: 0.9}, {Joint: side, Value: 0.1}}
		if math.Abs(p.X) < 0.3 {
			now.Of[v] = was.Of[v]
		}
	}
	// At the end of the left side half of what changed is too much.
	at := int32(2 * 40)
	limit := func(w *weights.Weights) float64 { return w.Value(int(at), 0) / 0.7 }
	checks := 0
	out, err := solve.Guard{
		Mesh: m, Skeleton: s, Marks: skeleton.DefaultMarks, Was: was, Cap: 4,
		Check: func(w *weights.Weights) ([]deform.Fault, error) {
			checks++
			return []deform.Fault{{Kind: "stretch", Times: limit(w), Vertex: at, Where: deform.Places{at}}}, nil
		},
		Before: func(string, int) (float64, error) { return limit(was), nil },
	}.Keep(now)
	require.NoError(t, err)
	require.Len(t, out.Spoiled, 1)
	require.Empty(t, out.Left)
	assert.Equal(t, 2, checks, "what is needed is known from how far it went")
	assert.InDelta(t, 0.7*0.97, out.Weights.Value(int(at), 0), 1e-6)
	assert.InDelta(t, out.Weights.Value(int(at), 0), out.Weights.Value(0, 0), 1e-9, "the other side")
	for v, p := range m.Points {
		switch {
		case math.Abs(p.X) < 0.3:
			assert.Equal(t, was.Of[v], out.Weights.Of[v])
		case math.Abs(p.X) < 0.9:
			assert.Equal(t, now.Of[v], out.Weights.Of[v], "far from it: vertex %d", v)
		}
	}
	assert.Equal(t, out.Weights.Of[n-1], out.Weights.Of[n-3], "a button is in one piece")
	assert.NotEqual(t, now.Of[n-1], out.Weights.Of[n-1])
	assert.Positive(t, out.Back)

	// What cannot be mended is told, and it ends.
	checks = 0
	out, err = solve.Guard{
		Mesh: m, Skeleton: s, Marks: skeleton.DefaultMarks, Was: was, Cap: 4,
		Check: func(*weights.Weights) ([]deform.Fault, error) {
			checks++
			return []deform.Fault{{Kind: "volume", Limb: "arm_l", Times: 2, Vertex: at}}, nil
		},
		Before: func(string, int) (float64, error) { return 0.5, nil },
	}.Keep(now)
	require.NoError(t, err)
	require.Len(t, out.Left, 1)
	assert.Less(t, checks, 10)
	assert.InDelta(t, 0.5, out.Weights.Value(int(at), 0), 0.02)
}
