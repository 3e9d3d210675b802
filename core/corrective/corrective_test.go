package corrective_test

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"wisemarrow/core/corrective"
	"wisemarrow/core/deform"
	"wisemarrow/core/geom"
	"wisemarrow/core/guide"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/shape"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// limb is a closed tube of two bones along X with an elbow at 1, blended over some width; mix is how far by dual quaternions.
func limb(mix float64) (*mesh.Mesh, *skeleton.Skeleton, *weights.Weights) {
	m := solids.Tube(2, 0.2, 40, 16)
	s := &skeleton.Skeleton{}
	for i, name := range []string{"upper_arm_l", "forearm_l", "hand_l"} {
		s.Joints = append(s.Joints, skeleton.Joint{Name: name, Parent: i - 1, Pos: r3.Vec{X: float64(i)}, Rot: geom.Identity, Mix: mix})
	}
	col := [][]float64{make([]float64, len(m.Points)), make([]float64, len(m.Points))}
	for v, p := range m.Points {
		col[1][v] = math.Max(0, math.Min(1, 0.5+(p.X-1)/0.4))
		col[0][v] = 1 - col[1][v]
	}
	return m, s, weights.FromColumns([]string{"upper_arm_l", "forearm_l"}, col, len(m.Points), weights.Limits{})
}

func skinOf(t *testing.T, m *mesh.Mesh, s *skeleton.Skeleton, w *weights.Weights) *deform.Skin {
	tris, _ := m.Triangles()
	skin, err := deform.NewSkin(m.World(), tris, w, s, nil)
	require.NoError(t, err)
	return skin
}

func randomTurn(rng *rand.Rand, most float64) quat.Number {
	axis := r3.Unit(r3.Vec{X: rng.NormFloat64(), Y: rng.NormFloat64(), Z: rng.NormFloat64()})
	return geom.AxisAngle(axis, most*(2*rng.Float64()-1))
}

// What was sculpted in a pose is where it was sculpted when the pose is applied: 200 random poses by linear, dual and mixed
// blending, 1e-6 of the height, wherever blending does not flatten the skin.
func TestWhatIsSculptedInAPoseComesBackInIt(t *testing.T) {
	rng := rand.New(rand.NewPCG(27, 0))
	for k := range 200 {
		m, s, w := limb([]float64{0, 1, 0.4}[k%3])
		skin := skinOf(t, m, s, w)
		points, _, _, _ := skin.Parts()
		height := geom.BoxOf(points).Size().Y
		p := pose.Pose{"upper_arm_l": randomTurn(rng, 2), "forearm_l": randomTurn(rng, 2.4)}
		want := skin.Places(p)
		for v := range want {
			want[v] = r3.Add(want[v], r3.Scale(0.05, r3.Vec{X: rng.NormFloat64(), Y: rng.NormFloat64(), Z: rng.NormFloat64()}))
		}
		offsets, flattened := corrective.Offsets(skin, p, want)
		lost := map[int32]bool{}
		for _, v := range flattened {
			lost[v] = true
		}
		require.Less(t, len(flattened), len(want)/10, "pose %d", k)
		target := mesh.Shape{Name: "sculpted"}
		for v, d := range offsets {
			target.Vertex, target.Offset = append(target.Vertex, int32(v)), append(target.Offset, d)
		}
		rig := &shape.Rig{Targets: []shape.Target{{Name: "sculpted", Value: 1}}}
		shaped := skin.Shaped([]mesh.Shape{target}, rig.For(s, skeleton.DefaultMarks))
		for v, at := range shaped.Places(p) {
			if !lost[int32(v)] {
				require.InDelta(t, 0, r3.Norm(r3.Sub(at, want[v])), 1e-6*height, "pose %d vertex %d", k, v)
			}
		}
	}
}

// Where linear blending folds a joint right back, the middle is flattened to a point: that is told, and the offsets stay
// finite and no longer than what is asked for allows.
func TestAFlattenedBlendIsSolvedByLeastSquares(t *testing.T) {
	m, s, w := limb(0)
	skin := skinOf(t, m, s, w)
	p := pose.Pose{"forearm_l": geom.AxisAngle(r3.Vec{X: 1}, math.Pi)} // a twist by half a turn
	want := skin.Places(p)
	for v := range want {
		want[v] = r3.Add(want[v], r3.Vec{X: 0.01, Y: 0.02})
	}
	offsets, flattened := corrective.Offsets(skin, p, want)
	require.NotEmpty(t, flattened)
	for _, v := range flattened {
		require.InDelta(t, 1, m.Points[v].X, 0.011, "in the middle")
		require.InDelta(t, 0.01, offsets[v].X, 1e-6, "along the bone nothing is lost")
		require.Less(t, r3.Norm(offsets[v]), 1.0)
	}
}

// A corrective for a bent tube brings it to the guide all the way, and what its ring encloses back: by the guide's own
// figures a tube bent by 120° loses 1% of its volume, by linear blending 7.6%.
func TestACorrectiveFollowsTheGuide(t *testing.T) {
	ctx := context.Background()
	m, s, w := limb(0)
	skin := skinOf(t, m, s, w)
	g, err := guide.NewSolid(ctx, m, w, s, guide.Options{})
	require.NoError(t, err)
	var bend skeleton.Trial
	for _, x := range s.Trials(skeleton.DefaultMarks) {
		if x.Joint == 1 && x.Name == "bend" {
			bend = x
		}
	}
	require.NotZero(t, bend.Axis)
	for _, degrees := range []float64{90, 120} {
		out, err := corrective.Propose(ctx, skin, m, g, bend, degrees, skeleton.DefaultMarks)
		require.NoError(t, err)
		require.NotNil(t, out)
		assert.Equal(t, fmt.Sprintf("forearm_bend_%.0f_l", degrees), out.Targets[0].Name)
		assert.Less(t, out.After, 0.3*out.Before)
		rig, targets := &shape.Rig{}, []mesh.Shape{}
		for _, x := range out.Targets {
			assert.Less(t, len(x.Vertex), len(m.Points), "what is far from the joint stays")
			for _, v := range x.Vertex {
				assert.InDelta(t, 1, m.Points[v].X, 0.25)
			}
			rig.Targets = append(rig.Targets, shape.Target{Name: x.Name, Driver: &x.Driver})
			targets = append(targets, x.Shape)
		}
		require.NoError(t, rig.Validate())
		shaped := skin.Shaped(targets, rig.For(s, skeleton.DefaultMarks))
		volume := func(k *deform.Skin, share float64) float64 {
			x := k.MeasurePose(pose.Pose{"forearm_l": pose.AboutWorld(s, bend, share*degrees)})
			return x.Volume/x.Rest - 1
		}
		for _, share := range []float64{0.4, 0.7, 1} {
			posed, err := g.Pose(ctx, pose.Pose{"forearm_l": pose.AboutWorld(s, bend, share*degrees)}, guide.Options{})
			require.NoError(t, err)
			aim := skin.MeasurePlaces(posed.Places(m.Points))
			want := aim.Volume/aim.Rest - 1
			assert.InDelta(t, want, volume(shaped, share), 0.003, "%g of %g°", share, degrees)
		}
		assert.Less(t, volume(skin, 1), -0.02)
		assert.InDelta(t, 0, volume(shaped, 1), 0.02)
		rest := shaped.Places(nil)
		for v, at := range skin.Places(nil) {
			require.Equal(t, at, rest[v], "at rest nothing moves")
		}
	}

	// A joint that bends nothing has none.
	only := weights.New([]string{"upper_arm_l"}, len(m.Points))
	for v := range only.Of {
		only.Of[v] = []weights.Influence{{Joint: 0, Value: 1}}
	}
	out, err := corrective.Propose(ctx, skinOf(t, m, s, only), m, g, bend, 90, skeleton.DefaultMarks)
	require.NoError(t, err)
	require.Nil(t, out)
}

func ExampleOffsets() {
	// A point that follows two joints by half and half, one of which turns by a right angle, is to be 1 farther out.
	s := &skeleton.Skeleton{
		Joints: []skeleton.Joint{{Name: "a", Parent: -1, Rot: geom.Identity}, {Name: "b", Parent: 0, Rot: geom.Identity}},
	}
	w := weights.New([]string{"a", "b"}, 1)
	w.Of[0] = []weights.Influence{{Joint: 0, Value: 0.5}, {Joint: 1, Value: 0.5}}
	skin, err := deform.NewSkin([]r3.Vec{{X: 2}}, nil, w, s, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	p := pose.Pose{"b": geom.AxisAngle(r3.Vec{Z: 1}, math.Pi/2)}
	at := skin.Places(p)[0]
	offsets, _ := corrective.Offsets(skin, p, []r3.Vec{{X: at.X + 1, Y: at.Y + 1}})
	fmt.Printf("%.1f\n", offsets[0].X)
	// Output: 2.0
}
