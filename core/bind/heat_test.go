package bind_test

import (
	"bufio"
	"context"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/finding"
	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/internal/solids"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/spatial/r3"
)

// chain returns joints a, b, c … from point to point.
func chain(at ...r3.Vec) *skeleton.Skeleton {
	s := &skeleton.Skeleton{}
	for i, p := range at {
		s.Joints = append(s.Joints, skeleton.Joint{Name: string(rune('a' + i)), Parent: i - 1, Pos: p, Rot: geom.Identity})
	}
	return s
}

func limb() (*mesh.Mesh, *skeleton.Skeleton) {
	return solids.Tube(2, 0.2, 40, 16), chain(r3.Vec{X: 0.02}, r3.Vec{X: 1}, r3.Vec{X: 1.98})
}

func heat(t *testing.T, m *mesh.Mesh, s *skeleton.Skeleton, o bind.Options) (*weights.Weights, *bind.Report) {
	t.Helper()
	w, r, err := bind.Heat(context.Background(), m, s, o, nil)
	require.NoError(t, err)
	require.NoError(t, w.Validate())
	return w, r
}

// Baran & Popović 2007: two bones of a cylinder share its middle evenly.
func TestTwoBonesShareTheMiddleOfACylinder(t *testing.T) {
	m, s := limb()
	w, r := heat(t, m, s, bind.DefaultOptions)
	for v, p := range m.Points {
		switch {
		case math.Abs(p.X-1) < 1e-9:
			require.InDelta(t, 0.5, w.Value(v, 0), 1e-6)
		case p.X < 0.6:
			require.Greater(t, w.Value(v, 0), 0.9)
		case p.X > 1.4:
			require.Greater(t, w.Value(v, 1), 0.9)
		}
	}
	require.Equal(t, bind.Solved, r.Joints[0].State)
	require.Equal(t, bind.Idle, r.Joints[2].State)
	require.Zero(t, r.Unweighted)
	require.Empty(t, r.Findings())
}

func TestWeightsDoNotDependOnTheScale(t *testing.T) {
	m, s := limb()
	want, _ := heat(t, m, s, bind.DefaultOptions)
	for _, k := range []float64{100, 0.01} {
		big, bones := *m, s.Clone()
		big.Points = nil
		for _, p := range m.Points {
			big.Points = append(big.Points, r3.Scale(k, p))
		}
		for i := range bones.Joints {
			bones.Joints[i].Pos = r3.Scale(k, bones.Joints[i].Pos)
		}
		got, _ := heat(t, &big, bones, bind.DefaultOptions)
		for v := range want.Of {
			require.InDelta(t, want.Value(v, 0), got.Value(v, 0), 1e-9)
		}
	}
}

// The whole method against a dense solve with gonum: the system is built here
// again from the paper's formula, visibility being total in a convex tube.
func TestSolutionEqualsADenseSolve(t *testing.T) {
	m := solids.Tube(2, 0.2, 12, 8)
	s := chain(r3.Vec{X: 0.02}, r3.Vec{X: 0.8}, r3.Vec{X: 1.98})
	w, _ := heat(t, m, s, bind.Options{Limits: weights.Limits{Cap: 8}, Heat: 1})
	tris, _ := m.Triangles()
	stiff, mass, _ := mesh.Laplacian(m.Points, tris)
	n := len(m.Points)
	a, b := mat.NewSymDense(n, nil), mat.NewDense(n, 2, nil)
	for i := range n {
		for k := stiff.Start[i]; k < stiff.Start[i+1]; k++ {
			a.SetSym(i, int(stiff.Col[k]), stiff.Val[k])
		}
	}
	for v, p := range m.Points {
		var d [2]float64
		for j := range 2 {
			q, _ := geom.ClosestOnSegment(p, s.Joints[j].Pos, s.Joints[j+1].Pos)
			d[j] = r3.Norm(r3.Sub(p, q))
		}
		least := math.Min(d[0], d[1])
		h := 1 / (least * least)
		near := 0.0
		for j := range 2 {
			if d[j] <= least*(1+1e-4) {
				near++
			}
		}
		for j := range 2 {
			if d[j] <= least*(1+1e-4) {
				b.Set(v, j, mass[v]*h/near)
			}
		}
		a.SetSym(v, v, a.At(v, v)+mass[v]*h)
	}
	var c mat.Cholesky
	require.True(t, c.Factorize(a))
	var x mat.Dense
	require.NoError(t, c.SolveTo(&x, b))
	for v := range n {
		p := math.Max(0, x.At(v, 0))
		q := math.Max(0, x.At(v, 1))
		require.InDelta(t, p/(p+q), w.Value(v, 0), 1e-9)
	}
}

func TestSameWeightsOnAnyCoreCount(t *testing.T) {
	m, s := limb()
	run := func(cores int) *weights.Weights {
		defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(cores))
		w, _ := heat(t, m, s, bind.DefaultOptions)
		return w
	}
	require.Equal(t, run(1), run(3))
}

func TestAPieceWithoutABoneIsAFindingAndCanFollow(t *testing.T) {
	m, s := limb()
	button := solids.Box(r3.Vec{X: 0.4, Y: 0.21, Z: -0.02}, r3.Vec{X: 0.44, Y: 0.24, Z: 0.02})
	cuff := solids.Tube(0.1, 0.26, 3, 16)
	for i := range cuff.Points {
		cuff.Points[i].X += 1.5
	}
	// A ring around the limb: the tube without its ends.
	open := &mesh.Mesh{Points: cuff.Points, Parts: cuff.Parts}
	for f := range 48 {
		open.AddFace(0, cuff.Face(f)...)
	}
	open, _ = open.DropLoose()
	whole := mesh.Join(m, button, open)
	w, r := heat(t, whole, s, bind.DefaultOptions)
	require.Equal(t, 8+len(open.Points), r.Unweighted)
	require.Equal(
		t,
		[]bind.State{bind.Solved, bind.Unsolved, bind.Unsolved},
		[]bind.State{r.Pieces[0].State, r.Pieces[1].State, r.Pieces[2].State},
	)
	require.Contains(t, r.Pieces[1].Cause, "no bone is visible")
	list := r.Findings()
	require.Equal(t, "unweighted_vertices", list[0].Code)
	require.Equal(t, finding.Blocks, list[0].Severity)
	require.Len(t, list[0].Where.Vertices, r.Unweighted)
	require.Empty(t, list[0].Remedies, "core names no operation")

	mended, given, err := bind.FollowBeneath(whole, s, w, bind.Auto, bind.DefaultOptions.Limits)
	require.NoError(t, err)
	require.NoError(t, mended.Validate())
	require.Equal(t, r.Unweighted, given)
	require.Empty(t, mended.Unweighted())
	first := len(m.Points)
	for v := first; v < first+8; v++ {
		require.Equal(t, mended.Of[first], mended.Of[v], "a button keeps its shape")
	}
	require.Greater(t, mended.Value(first, 0), 0.9)
	require.Greater(t, mended.Value(first+8, 1), 0.9)
	_, _, err = bind.FollowBeneath(whole, s, w, "loosely", bind.DefaultOptions.Limits)
	require.ErrorContains(t, err, "loosely")
}

func TestJointsWithoutASolutionSayWhy(t *testing.T) {
	m, _ := limb()
	at := []r3.Vec{{X: 0.02}, {X: 1}, {X: 1.98}, {X: 1.98, Y: 3}, {X: 1.98, Y: 4}}
	_, r := heat(t, m, chain(at...), bind.DefaultOptions)
	outside := r.Joints[3]
	require.Equal(t, bind.Unsolved, outside.State)
	require.Contains(t, outside.Cause, "outside the mesh")
	require.InDelta(t, 1, outside.Outside, 1e-9)
	_, r = heat(t, m, chain(r3.Vec{X: 0.02}, r3.Vec{X: 1}, r3.Vec{X: 1}, r3.Vec{X: 1.98}), bind.DefaultOptions)
	require.NotEqual(t, bind.Solved, r.Joints[1].State)
	require.NotEmpty(t, r.Joints[1].Cause)
	require.NotEmpty(t, r.Findings())
	// A wall between skin and bone: a closed box inside the tube around bone b. Both sides of
	// it are inside, so the tube sees through it; turned inside out it is a hollow.
	wall := solids.Box(r3.Vec{X: 0.9, Y: -0.1, Z: -0.1}, r3.Vec{X: 2, Y: 0.1, Z: 0.1})
	bones := chain(r3.Vec{X: 0.02}, r3.Vec{X: 0.8}, r3.Vec{X: 0.95}, r3.Vec{X: 1.9})
	_, r = heat(t, mesh.Join(m, wall), bones, bind.DefaultOptions)
	require.Equal(t, r.Joints[2].Nearest, r.Joints[2].Heated)
	for f := range wall.Faces() {
		slices.Reverse(wall.Face(f))
	}
	_, r = heat(t, mesh.Join(m, wall), bones, bind.DefaultOptions)
	require.Equal(t, bind.Solved, r.Joints[2].State, "the wall itself sees the bone")
	require.Less(t, r.Joints[2].Heated, r.Joints[2].Nearest, "the tube beyond does not")
	require.Zero(t, r.Joints[2].Outside, "a hollow is not outside")
}

func TestRefusals(t *testing.T) {
	m, s := limb()
	ctx := context.Background()
	_, _, err := bind.Heat(ctx, m, s, bind.Options{Limits: weights.Limits{Cap: 4}, Heat: 1, Deform: make([]bool, 3)}, nil)
	require.ErrorIs(t, err, bind.ErrNoBones)
	_, _, err = bind.Heat(ctx, m, s, bind.Options{}, nil)
	require.ErrorContains(t, err, "influence cap")
	_, _, err = bind.Heat(ctx, m, &skeleton.Skeleton{}, bind.DefaultOptions, nil)
	require.ErrorIs(t, err, skeleton.ErrEmpty)
	_, _, err = bind.Heat(ctx, &mesh.Mesh{}, s, bind.DefaultOptions, nil)
	require.ErrorContains(t, err, "no faces")
	gone, cancel := context.WithCancel(ctx)
	cancel()
	_, _, err = bind.Heat(gone, m, s, bind.DefaultOptions, nil)
	require.ErrorIs(t, err, context.Canceled)
}

func TestDegenerateAndLooseInputIsReportedNotLost(t *testing.T) {
	m, s := limb()
	n := len(m.Points)
	m.Points = append(m.Points, r3.Vec{X: 5}, r3.Vec{X: 1, Y: 0.3}, r3.Vec{X: 1, Y: 0.3}, r3.Vec{X: 1, Y: 0.3})
	m.AddFace(0, int32(n+1), int32(n+2), int32(n+3))
	_, r := heat(t, m, s, bind.DefaultOptions)
	require.Equal(t, []int32{int32(n), int32(n + 1), int32(n + 2), int32(n + 3)}, r.Stray)
}

// readOFF reads one of the real meshes, CGAL's examples in Debian's package
// libcgal-demo, unpacked by scripts/real-meshes.sh.
func readOFF(t *testing.T, name string) *mesh.Mesh {
	dir := os.Getenv("WISEMARROW_MESHES")
	f, err := os.Open(filepath.Join(dir, name+".off"))
	if err != nil {
		need.Skip(t, "WISEMARROW_MESHES has no %s", name)
	}
	defer f.Close()
	b := bufio.NewReader(f)
	var head string
	var nv, nf, ne int
	_, err = fmt.Fscan(b, &head, &nv, &nf, &ne)
	require.NoError(t, err)
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart(name)}, Points: make([]r3.Vec, nv)}
	for i := range m.Points {
		_, err = fmt.Fscan(b, &m.Points[i].X, &m.Points[i].Y, &m.Points[i].Z)
		require.NoError(t, err)
	}
	for range nf {
		var n, x, y, z int32
		_, err = fmt.Fscan(b, &n, &x, &y, &z)
		require.NoError(t, err)
		m.AddFace(0, x, y, z)
	}
	return m
}

// tree builds a skeleton from "name parent x y z".
func tree(t *testing.T, lines ...string) *skeleton.Skeleton {
	s := &skeleton.Skeleton{}
	for _, l := range lines {
		var name, parent string
		var p r3.Vec
		_, err := fmt.Sscan(l, &name, &parent, &p.X, &p.Y, &p.Z)
		require.NoError(t, err)
		s.Joints = append(s.Joints, skeleton.Joint{Name: name, Parent: s.Index(parent), Pos: p, Rot: geom.Identity})
	}
	require.NoError(t, s.Validate())
	return s
}

func fitted(t *testing.T, m *mesh.Mesh) *skeleton.Skeleton {
	t.Helper()
	s, _, err := fit.Fit(context.Background(), m, fit.Options{Params: skeleton.Kinds[0].Default}, nil)
	require.NoError(t, err)
	return s
}

// A bind that is cancelled within a step ends there: no later step is begun.
func TestABindIsCancelledWithinItsSteps(t *testing.T) {
	m, s := limb()
	for _, step := range []string{"Finding", "Factorising", "Solving"} {
		ctx, cancel := context.WithCancel(context.Background())
		after := map[string]bool{}
		hit := false
		_, _, err := bind.Heat(ctx, m, s, bind.DefaultOptions, func(what string, share float64) {
			if hit && !strings.HasPrefix(what, step) {
				after[what] = true
			}
			if strings.HasPrefix(what, step) {
				hit = true
				cancel()
			}
		})
		require.ErrorIs(t, err, context.Canceled, step)
		require.Empty(t, after, step)
	}
}

// Two equal binds leave equal records: nothing measured by a clock is in them.
func TestEqualBindsLeaveEqualReports(t *testing.T) {
	m, s := limb()
	_, a, err := bind.Heat(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	_, b, err := bind.Heat(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	require.Equal(t, a, b)
}

// Weights that came from elsewhere get the same account, as far as it can be known.
func TestAnAccountOfForeignWeights(t *testing.T) {
	m, s := limb()
	w, _, err := bind.Heat(context.Background(), m, s, bind.DefaultOptions, nil)
	require.NoError(t, err)
	for v := range w.Of { // the second joint gets nothing
		w.Of[v] = weights.Clean([]weights.Influence{{Joint: 0, Value: 1}}, weights.Limits{})
	}
	w.Of[3] = nil
	r := bind.Account(m, s, w, bind.Evidence{Method: "a file"})
	require.Equal(t, bind.Solved, r.Joints[0].State)
	require.Equal(t, bind.Unsolved, r.Joints[1].State)
	require.Equal(t, "no vertex was given to it", r.Joints[1].Cause)
	require.Equal(t, []int32{3}, r.Stray)
	require.Equal(t, bind.Weak, r.Pieces[0].State)
	require.Contains(t, r.Pieces[0].Cause, "1 of its vertices")
}

// A vertex on its bone is held as one a ten-thousandth of the size away is, not
// infinitely: a bone that lies in the surface gives no singular system.
func TestAVertexOnItsBoneIsHeldFinitely(t *testing.T) {
	m, s := limb()
	for i := range s.Joints { // along the skin
		s.Joints[i].Pos.Y = 0.2
	}
	w, r := heat(t, m, s, bind.DefaultOptions)
	require.Zero(t, r.Unweighted)
	for v := range w.Of {
		for _, x := range w.Of[v] {
			require.False(t, math.IsNaN(x.Value) || math.IsInf(x.Value, 0))
		}
	}
	require.Less(t, r.Overshoot, 0.5)
}

// A mesh that is inside out, one whose edges are not Delaunay, and one that both Laplacians
// solve: the same weights.
func TestHeatOfMeshesTurnedInsideOutAndOnTheRobustLaplacian(t *testing.T) {
	m, s := limb()
	want, _ := heat(t, m, s, bind.DefaultOptions)
	turned := mesh.Join(m)
	for f := range turned.Faces() {
		slices.Reverse(turned.Face(f))
	}
	got, r := heat(t, turned, s, bind.DefaultOptions)
	require.Zero(t, r.Unweighted)
	o := bind.DefaultOptions
	o.Robust = true
	robust, r := heat(t, m, s, o)
	require.Zero(t, r.Overshoot)
	require.Zero(t, r.Negative)
	for v := range m.Points {
		for j := range int32(len(want.Joints)) {
			require.InDelta(t, want.Value(v, j), got.Value(v, j), 1e-9)
			require.InDelta(t, want.Value(v, j), robust.Value(v, j), 0.02)
		}
	}
}

// A bone beside the skin and outside of it is seen by none, however near: the way to it leads out of the mesh.
func TestNoVertexSeesOutward(t *testing.T) {
	_, s := limb()
	m := solids.Tube(2, 0.2, 40, 64)
	s.Joints = append(
		s.Joints,
		skeleton.Joint{Name: "out", Parent: -1, Pos: r3.Vec{X: 0.3, Y: 0.27}, Rot: geom.Identity},
		skeleton.Joint{Name: "out_end", Parent: 3, Pos: r3.Vec{X: 1.7, Y: 0.27}, Rot: geom.Identity},
	)
	_, r := heat(t, m, s, bind.DefaultOptions)
	require.Equal(t, "out", r.Joints[3].Name)
	require.Greater(t, r.Joints[3].Nearest, 20, "it is nearest to the skin beside it")
	t.Logf("of %d nearest to it %d see it", r.Joints[3].Nearest, r.Joints[3].Heated)
	require.Less(t, r.Joints[3].Heated, r.Joints[3].Nearest/3, "but for those from which it lies along the skin")
}
