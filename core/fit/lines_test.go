package fit

import (
	"math"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

// stick is a body of blocks: a post that stands on the ground, with arms that
// leave it to both sides at the given height.
func stick(t require.TestingT, height float64) *fitter {
	m := &mesh.Mesh{Parts: []mesh.Part{mesh.NewPart("stick")}}
	block(m, r3.Vec{X: -0.2, Y: 0, Z: -0.2}, r3.Vec{X: 0.2, Y: 2, Z: 0.2})
	block(m, r3.Vec{X: -1, Y: height - 0.05, Z: -0.05}, r3.Vec{X: 1, Y: height + 0.05, Z: 0.05})
	f, err := newFitter(m, Shown{}, geom.Identity)
	require.NoError(t, err)
	return f
}

// Sections along a limb have its area, lie on its axis and end where the trunk
// begins, wherever on the trunk that is.
func TestALimbIsReadFromItsTipToTheTrunk(t *testing.T) {
	for _, height := range []float64{0.5, 1, 1.6} {
		f := stick(t, height)
		tip := f.nearestInside(r3.Vec{X: 1, Y: height})
		l, ok := f.read(tip, 1.5, 2.1, nil)
		require.True(t, ok)
		require.InDelta(t, 0.01, l.thin, 0.002, "ten centimeters square")
		require.InDelta(t, 0.2, l.line[l.join].at.X, 0.08)
		for _, s := range l.line[2 : l.join-1] {
			require.InDelta(t, height, s.at.Y, f.vox.Cell)
			require.InDelta(t, 0, s.at.Z, f.vox.Cell)
		}
		for k := 1; k <= l.join; k++ {
			require.Greater(t, l.line[k].arc, l.line[k-1].arc)
			require.Less(t, l.line[k].at.X, l.line[k-1].at.X+f.vox.Cell)
		}
		require.InDelta(t, 0.4, r3.Norm(r3.Sub(l.at(0.4), l.at(0))), 0.02)
		require.Equal(t, l.line[len(l.line)-1].at, l.at(99), "beyond its end a line stays there")
	}
	f := stick(t, 1)
	_, ok := f.read(f.nearestInside(r3.Vec{X: 1, Y: 1}), 0.02, 2, nil)
	require.False(t, ok, "too short a way holds no sections")
}

// The bend of a line is where it is farthest from the straight way, seen from the
// side that is asked for.
func TestTheBendOfALine(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		angle := rapid.Float64Range(0.1, 1.5).Draw(t, "angle")
		elbow := rapid.Float64Range(0.3, 0.7).Draw(t, "elbow")
		var l limb
		sin, cos := math.Sincos(angle)
		for k := range 101 {
			s := float64(k) / 100
			p := r3.Vec{Y: math.Min(s, elbow)}
			if s > elbow {
				p = r3.Add(p, r3.Vec{Y: (s - elbow) * cos, Z: (s - elbow) * sin})
			}
			l.line = append(l.line, station{at: p, arc: s})
		}
		arc, off := l.bend(0, 1, r3.Vec{})
		require.InDelta(t, elbow, arc, 0.011)
		require.Positive(t, off)
		// It bends towards +Z, so the corner itself lies towards -Z.
		back, far := l.bend(0, 1, r3.Vec{Z: -1})
		require.InDelta(t, elbow, back, 0.011)
		require.Positive(t, far)
		_, none := l.bend(0, 1, r3.Vec{Z: 1})
		require.InDelta(t, 0, none, 1e-9)
	})
	var straight limb
	for k := range 11 {
		straight.line = append(straight.line, station{at: r3.Vec{X: float64(k)}, arc: float64(k)})
	}
	arc, off := straight.bend(0, 10, r3.Vec{})
	require.Zero(t, off)
	require.Equal(t, 5.0, arc, "without a bend the middle")
}

// A leg is read from the ground to where the body begins, and a person may say
// that it begins earlier.
func TestALegRisesToTheBody(t *testing.T) {
	f, err := standing(table(0, 0), Shown{})
	require.NoError(t, err)
	l := f.legOf("leg_l", f.stands[1][0])
	require.InDelta(t, 0.5, l.top.Y-f.floor, 0.03)
	require.InDelta(t, 0.1, l.top.X, 0.02)
	require.InDelta(t, 0, l.floor, f.vox.Cell)
	require.Equal(t, 0.3, l.level(0.3).Y)
	f.given["begin leg_l"] = r3.Vec{X: 0.1, Y: 0.35, Z: -0.4}
	require.InDelta(t, 0.35, f.legOf("leg_l", f.stands[1][0]).top.Y, 1.5*f.vox.Cell)
	require.InDelta(t, 0.5, f.legOf("leg_r", f.stands[1][1]).top.Y, 0.03, "the other is left alone")
}

// The trunk's section is found over a crack, and not over a gap between two bodies.
func TestSectionsBridgeCracksOnly(t *testing.T) {
	f, err := standing(table(0, 0), Shown{})
	require.NoError(t, err)
	low, high, ok := f.section(0)
	require.True(t, ok)
	require.InDelta(t, 0.5, low, 2*f.vox.Cell)
	require.InDelta(t, 0.8, high, 2*f.vox.Cell)
	require.InDelta(t, 0.3*0.3, f.girth(-0.2, 0.2), 0.012)
	x, _, z := f.vox.Coords(f.vox.At(r3.Vec{X: f.plane, Y: 0.65}))
	clear := func(n int) {
		_, y, _ := f.vox.Coords(f.vox.At(r3.Vec{Y: 0.68}))
		for k := range n {
			f.vox.Inside[f.vox.Index(x, y+k, z)] = false
		}
	}
	clear(bridged)
	again, top, _ := f.section(0)
	require.Equal(t, low, again)
	require.Equal(t, high, top)
	clear(bridged + 1)
	_, top, _ = f.section(0)
	require.Less(t, top, 0.7)
	_, _, ok = f.section(50)
	require.False(t, ok, "there is no body there")
}

// Quarter turns come round: four of them change nothing, and places that were shown
// stay where they are in the world.
func TestQuarterTurnsComeRound(t *testing.T) {
	m := table(0, 0.1)
	shown := r3.Vec{X: 0.1, Y: 0.2, Z: 0.9}
	f, err := newFitter(m, Shown{Places: map[string]r3.Vec{"head": shown}}, geom.Identity)
	require.NoError(t, err)
	before := f.vox
	for k := 1; k <= 4; k++ {
		f.quarters(1)
		require.InDelta(t, 0, r3.Norm(r3.Sub(shown, geom.Rotate(f.back, f.given["head"]))), 1e-12)
		inside := f.vox.Inside[f.nearestInside(f.given["head"])]
		require.True(t, inside)
		if k < 4 {
			require.NotEqual(t, before.Origin, f.vox.Origin)
		}
	}
	require.Equal(t, before.Inside, f.vox.Inside)
	require.InDelta(t, 0, r3.Norm(r3.Sub(before.Origin, f.vox.Origin)), 1e-12)
}

// The similarity of carried joints keeps shares along a segment and turns with it.
func TestCarriedJointsKeepTheirShares(t *testing.T) {
	coordinate := rapid.Float64Range(-2, 2)
	rapid.Check(t, func(t *rapid.T) {
		draw := func(name string) r3.Vec {
			return r3.Vec{X: coordinate.Draw(t, name+".x"), Y: coordinate.Draw(t, name+".y"), Z: coordinate.Draw(t, name+".z")}
		}
		a, b, c, d := draw("a"), draw("b"), draw("c"), draw("d")
		if r3.Norm(r3.Sub(a, b)) < 0.1 || r3.Norm(r3.Sub(c, d)) < 0.1 {
			t.Skip("no segment")
		}
		share := rapid.Float64Range(-0.5, 1.5).Draw(t, "share")
		p := similar(a, b, c, d, r3.Add(a, r3.Scale(share, r3.Sub(b, a))))
		require.InDelta(t, 0, r3.Norm(r3.Sub(p, r3.Add(c, r3.Scale(share, r3.Sub(d, c))))), 1e-9)
		// What stands off the segment stands off by as many lengths of it.
		q := draw("q")
		from := func(p, a, b r3.Vec) float64 { return r3.Norm(r3.Sub(p, a)) / r3.Norm(r3.Sub(b, a)) }
		require.InDelta(t, from(q, a, b), from(similar(a, b, c, d, q), c, d), 1e-9)
	})
}

// Pairs on a mirrored body become each other's image; one that was set by hand, or
// that stands far elsewhere, is left.
func TestPairsAreEvenedWhereTheGrainIsAllThatDiffers(t *testing.T) {
	build := func(r r3.Vec, match float64, reason string) *fitter {
		f := &fitter{plane: 0.1, match: match, height: 1, joints: map[string]placed{}}
		f.put("hand_l", r3.Vec{X: 0.5, Y: 1}, 1, "found")
		f.put("hand_r", r, 1, reason)
		f.even()
		return f
	}
	near := r3.Vec{X: -0.31, Y: 1.01}
	f := build(near, 0.99, "found")
	l, r := f.joints["hand_l"].at, f.joints["hand_r"].at
	require.InDelta(t, 0.505, l.X, 1e-12)
	require.InDelta(t, -0.305, r.X, 1e-12)
	require.Equal(t, l.Y, r.Y)
	for name, f := range map[string]*fitter{"asymmetric": build(near, 0.8, "found"), "by hand": build(near, 0.99, pinnedReason),
		"elsewhere": build(r3.Vec{X: -0.5, Y: 0.7}, 0.99, "found")} {
		require.Equal(t, r3.Vec{X: 0.5, Y: 1}, f.joints["hand_l"].at, name)
	}
}

// Fitted anew, only the chosen joints move, and pinned ones among them stay.
func TestOnlyChosenJointsAreFittedAnew(t *testing.T) {
	kind := skeleton.Kinds[0]
	fitted, err := kind.Default.Build()
	require.NoError(t, err)
	current := fitted.Clone()
	for i := range current.Joints {
		current.Joints[i].Pos.X += 0.2
	}
	current.Joints[current.Index("hand_l")].Pinned = true
	out, err := keepOthers(fitted, Options{Only: []string{"hand_l", "hand_r"}, Current: current})
	require.NoError(t, err)
	for i, j := range out.Joints {
		want := current.Joints[i].Pos
		if j.Name == "hand_r" {
			want = fitted.Joints[i].Pos
		}
		require.Equal(t, want, j.Pos, j.Name)
	}
	_, err = keepOthers(fitted, Options{Only: []string{"tail_1"}, Current: current})
	require.ErrorContains(t, err, "none of the selected joints")
	_, err = keepOthers(fitted, Options{Only: []string{"hips"}})
	require.ErrorContains(t, err, "no skeleton")
}

// Joints that were not found keep to those that were: between two of them, beyond
// one, above one.
func TestJointsWithoutALandmarkAreCarried(t *testing.T) {
	s := &skeleton.Skeleton{}
	for i, p := range []r3.Vec{{}, {Y: 1}, {Y: 2}, {Y: 3}, {Y: 4}, {X: 1, Y: 1}} {
		parent := i - 1
		if i == 5 {
			parent = 1
		}
		s.Joints = append(s.Joints, skeleton.Joint{Name: string(rune('a' + i)), Parent: parent, Pos: p, Rot: geom.Identity})
	}
	f := &fitter{joints: map[string]placed{}, height: 4}
	f.put("b", r3.Vec{Y: 10}, 1, "found")
	f.put("d", r3.Vec{Y: 14}, 1, "found")
	f.carry(s)
	require.Equal(t, r3.Vec{Y: 12}, f.joints["c"].at, "between b and d")
	require.InDelta(t, 16, f.joints["e"].at.Y, 1e-12, "on by the last segment")
	require.InDelta(t, 2, f.joints["f"].at.X, 1e-12, "with the segment of its parent")
	require.Equal(t, r3.Vec{Y: 10}, f.joints["a"].at, "above b")
	require.Contains(t, f.joints["c"].reason, "between b and d")
	require.Less(t, f.joints["a"].confidence, f.joints["c"].confidence)
}

func TestDrawnIntoTheVolume(t *testing.T) {
	f := stick(t, 1)
	p, inside := f.drawIn(r3.Vec{Y: 0.5}, false)
	require.True(t, inside)
	require.Equal(t, r3.Vec{Y: 0.5}, p, "what is inside stays")
	p, inside = f.drawIn(r3.Vec{Y: 0.5, Z: 0.205}, false)
	require.True(t, inside, "a little off is no matter")
	require.Less(t, p.Z, 0.2)
	_, inside = f.drawIn(r3.Vec{Y: 0.5, Z: 1}, false)
	require.False(t, inside, "far off is told")
}
