package placement_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/core/geom"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"
	"wisemarrow/formats"
	"wisemarrow/formats/bvh"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/intake"
	"wisemarrow/stages/placement"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// sums are the weights of every vertex added up.
func sums(t *testing.T, s studio.State) {
	t.Helper()
	for v, list := range s.Weights.Of {
		sum := 0.0
		for _, in := range list {
			sum += float64(in.Value)
		}
		if len(list) > 0 {
			require.InDelta(t, 1, sum, 1e-5, "vertex %d", v)
		}
	}
}

func TestFittingAPartLeavesTheRestAndItsWeights(t *testing.T) {
	s := studiotest.Bound(t)
	moved := studiotest.Do(
		t,
		s,
		"move_joint",
		fmt.Sprintf(
			`{"joint":"forearm_l","to":[%g,%g,0.1],"both":false}`,
			studiotest.At(t, s, "forearm_l").X,
			studiotest.At(t, s, "forearm_l").Y,
		),
	)
	require.Greater(t, r3.Norm(r3.Sub(studiotest.At(t, moved, "forearm_l"), studiotest.At(t, s, "forearm_l"))), 0.05)
	again := studiotest.Do(t, moved, "fit_starter", `{"starter":"biped","only":["forearm_l"]}`)
	require.Less(t, r3.Norm(r3.Sub(studiotest.At(t, again, "forearm_l"), studiotest.At(t, s, "forearm_l"))), 0.01)
	for _, name := range []string{"hand_l", "head", "forearm_r"} {
		require.Equal(t, studiotest.At(t, moved, name), studiotest.At(t, again, name), name)
	}
	require.NotNil(t, again.Weights)
	_, _, err := studiotest.Try(s, "fit_starter", `{"starter":"biped","only":["no_such"]}`)
	require.ErrorContains(t, err, "no_such")
}

func TestPinnedJointsStayAndShownTipsAreTaken(t *testing.T) {
	need.Time(t)
	s := studiotest.Bound(t)
	p := studiotest.At(t, s, "head")
	p.Y += 0.03
	s = studiotest.Do(t, s, "move_joint", fmt.Sprintf(`{"joint":"head","to":[%g,%g,%g],"branch":false}`, p.X, p.Y, p.Z))
	s = studiotest.Do(t, s, "mark_joints", `{"joints":["head"],"pinned":true}`)
	require.Equal(t, studiotest.At(t, s, "head"), studiotest.At(t, studiotest.Do(t, s, "fit_starter", `{"starter":"biped"}`), "head"))
	require.NotEqual(
		t,
		studiotest.At(t, s, "head"),
		studiotest.At(t, studiotest.Do(t, s, "fit_starter", `{"starter":"biped","free":true}`), "head"),
	)

	var name string
	for name = range s.Fit.Tips {
		if strings.Contains(name, "hand") && strings.HasSuffix(name, "_l") {
			break
		}
	}
	old := vec(s.Fit.Tips[name])
	tip := r3.Add(old, r3.Scale(0.4, r3.Sub(studiotest.At(t, s, "hand_l"), old)))
	shown := studiotest.Do(t, s, "fit_starter", fmt.Sprintf(`{"starter":"biped","shown":{%q:[%g,%g,%g]}}`, name, tip.X, tip.Y, tip.Z))
	require.Less(t, r3.Norm(r3.Sub(vec(shown.Fit.Tips[name]), tip)), 0.02, name)
	_, _, err := studiotest.Try(s, "fit_starter", `{"starter":"biped","shown":{"hand_l":[1e999,0,0]}}`)
	require.Error(t, err)
}

func TestEveryStarterIsShownAtTheSizeOfTheMesh(t *testing.T) {
	_, x, c := studiotest.Begun(t, studiotest.Odile())
	for _, k := range placement.Starters {
		list, err := placement.PreviewStarter(context.Background(), x, c.ID, &placement.FitStarter{Params: k.Default})
		require.NoError(t, err, k.Name)
		sk, err := k.Default.Build()
		require.NoError(t, err)
		if k.Name == "shape" { // its joints are read by the fit
			require.NotNil(t, list)
			require.Empty(t, list)
			continue
		}
		require.Len(t, list, len(sk.Joints), k.Name)
	}
	long := placement.Starters[0].Default
	long.Spine = 40
	_, err := placement.PreviewStarter(context.Background(), x, c.ID, &placement.FitStarter{Params: long})
	require.ErrorContains(t, err, "spine")
	list, err := placement.PreviewStarter(context.Background(), x, c.ID, &placement.FitStarter{Params: placement.Starters[0].Default})
	require.NoError(t, err)
	high := 0.0
	for _, j := range list {
		high = max(high, j.Pos[1])
	}
	require.InDelta(t, studiotest.Odile().Mesh.Measure().Height, high, 0.02)
}

// A skeleton that is read from a shape has a dial: the preview stands where the fit then places the joints, and a
// starter that is kept of it fits with as many.
func TestASkeletonIsReadFromAShapeAndItsDialIsShown(t *testing.T) {
	need.Time(t)
	m, _ := demo.Samphire(0.0155)
	_, x, c := studiotest.Begun(t, studio.State{Mesh: m, Settings: studio.DefaultSettings()})
	ctx := context.Background()
	r, _, err := x.Do(ctx, c.ID, c.Head, "fit_starter", []byte(`{"starter":"shape"}`), "")
	require.NoError(t, err)
	_, _, s, err := x.Head(ctx, c.ID)
	require.NoError(t, err)
	read := len(s.Skeleton.Joints)
	params := s.Fit.Params
	params.Joints = read + 10
	shown, err := placement.PreviewStarter(ctx, x, c.ID, &placement.FitStarter{Params: params})
	require.NoError(t, err)
	require.Greater(t, len(shown), read)
	head := r.ID
	for op, off := range map[string]float64{"fit_starter": 0.03, "dial_joints": 1e-9} { // the fit draws what it must inside
		params := fmt.Appendf(nil, `{"joints":%d}`, read+10)
		if op == "fit_starter" {
			params = fmt.Appendf(nil, `{"starter":"shape","joints":%d}`, read+10)
		}
		done, _, err := x.Do(ctx, c.ID, head, op, params, "")
		require.NoError(t, err)
		head = done.ID
		_, _, s, err = x.Head(ctx, c.ID)
		require.NoError(t, err)
		require.Len(t, s.Skeleton.Joints, len(shown))
		require.Equal(t, read+10, s.Fit.Params.Joints)
		for i, j := range s.Skeleton.Joints {
			require.Equal(t, shown[i].Name, j.Name)
			at := r3.Vec{X: shown[i].Pos[0], Y: shown[i].Pos[1], Z: shown[i].Pos[2]}
			require.InDelta(t, 0, r3.Norm(r3.Sub(at, j.Pos)), off, j.Name)
		}
	}
	pinned := studiotest.Do(t, *s, "mark_joints", `{"joints":["arm_1_l"],"pinned":true}`)
	moved := pinned.Skeleton.Clone()
	moved.Joints[moved.Index("arm_1_l")].Pos.Y += 0.05
	pinned.Skeleton = moved
	require.Equal(
		t,
		studiotest.At(t, pinned, "arm_1_l"),
		studiotest.At(t, studiotest.Do(t, pinned, "dial_joints", `{"joints":30}`), "arm_1_l"),
	)
	_, _, err = studiotest.Try(studiotest.Bound(t), "dial_joints", `{"joints":30}`)
	require.ErrorContains(t, err, "was not read from the shape")
	own, err := placement.KeepStarter(ctx, x, c.ID, "marsh being", "shape")
	require.NoError(t, err)
	require.Equal(t, "shape", own.Like.Starter)
	params.Joints = 500
	_, err = placement.PreviewStarter(ctx, x, c.ID, &placement.FitStarter{Params: params})
	require.ErrorContains(t, err, "joints is 0 to 400")
}

// One look settles several: joints that a fit guessed are accepted together, and nothing moves.
func TestGuessesAreAcceptedTogether(t *testing.T) {
	s := studiotest.Bound(t)
	out := s.Skeleton.Clone()
	for _, name := range []string{"hand_end_l", "hand_end_r", "head_end"} {
		j := &out.Joints[out.Index(name)]
		j.Confidence, j.Reason = 0.5, "a guess"
	}
	s.Skeleton = out
	find := func(s studio.State) []finding.Finding {
		var list []finding.Finding
		for _, f := range studio.CheckOnly(&s, "placement") {
			if f.Code == "unsure_fit" {
				list = append(list, f)
			}
		}
		return list
	}
	before := find(s)
	require.Len(t, before, 1)
	require.Len(t, before[0].Remedies, 1)
	require.Equal(t, "accept_joints", before[0].Remedies[0].Op)
	after := studiotest.Do(t, s, "accept_joints", string(before[0].Remedies[0].Params))
	require.Empty(t, find(after))
	for i, j := range after.Skeleton.Joints {
		require.Equal(t, s.Skeleton.Joints[i].Pos, j.Pos)
	}
	require.NotNil(t, after.Weights, "weights stay")
	_, _, err := studiotest.Try(s, "accept_joints", `{"joints":["nobody"]}`)
	require.Error(t, err)
}

func TestJointsAreMovedTogether(t *testing.T) {
	s := studiotest.Bound(t)
	hand := studiotest.At(t, s, "hand_l")
	s2 := studiotest.Do(
		t,
		s,
		"place_joints",
		fmt.Sprintf(`{"places":[{"joint":"hand_l","to":[%g,%g,%g]}],"both":true}`, hand.X+0.02, hand.Y, hand.Z),
	)
	plane := s.Skeleton.MirrorPlane(s.Settings.Marks)
	require.InDelta(t, 0, r3.Norm(r3.Sub(studiotest.At(t, s2, "hand_r"), skeleton.Mirrored(studiotest.At(t, s2, "hand_l"), plane))), 1e-12)
	require.Equal(t, studiotest.At(t, s, "hand_end_l"), studiotest.At(t, s2, "hand_end_l"), "children stay where they are")
	// The same joint twice: the last place counts.
	s3 := studiotest.Do(
		t,
		s,
		"place_joints",
		`{"places":[{"joint":"head","to":[9,9,9]},{"joint":"head","to":[0,1.5,0]},{"joint":"hand_l","to":[0.5,1,0]}]}`,
	)
	require.Equal(t, r3.Vec{Y: 1.5}, studiotest.At(t, s3, "head"))
	require.Equal(t, r3.Vec{X: 0.5, Y: 1}, studiotest.At(t, s3, "hand_l"))

	stretched := studiotest.Do(t, s, "stretch_chain", `{"joint":"shank_l","factor":1.5,"both":true}`)
	for _, x := range []string{"_l", "_r"} {
		require.InDelta(
			t,
			1.5*r3.Norm(r3.Sub(studiotest.At(t, s, "foot"+x), studiotest.At(t, s, "shank"+x))),
			r3.Norm(r3.Sub(studiotest.At(t, stretched, "foot"+x), studiotest.At(t, stretched, "shank"+x))),
			1e-9,
		)
	}
	turned := studiotest.Do(t, s, "swing_limb", `{"joint":"upper_arm_l","degrees":[0,0,30],"both":true}`)
	for _, x := range []string{"_l", "_r"} {
		a, b := studiotest.At(t, s, "hand"+x), studiotest.At(t, turned, "hand"+x)
		o := studiotest.At(t, s, "upper_arm"+x)
		require.InDelta(t, r3.Norm(r3.Sub(a, o)), r3.Norm(r3.Sub(b, o)), 1e-9)
		require.InDelta(t, 30, math.Acos(r3.Cos(flat(r3.Sub(a, o)), flat(r3.Sub(b, o))))*180/math.Pi, 1e-6)
	}
}

func vec(p []float64) r3.Vec { return r3.Vec{X: p[0], Y: p[1], Z: p[2]} }

// A lock holds whatever would move the joint: its parent, its partner, a fit.
func TestLockedJointsStay(t *testing.T) {
	s := studiotest.Do(t, studiotest.Bound(t), "mark_joints", `{"joints":["hand_l"],"locked":true,"hidden":true}`)
	hand := studiotest.At(t, s, "hand_l")
	for op, params := range map[string]string{
		"move_joint":      `{"joint":"forearm_l","to":[0.3,1,0],"branch":true}`,
		"place_joints":    `{"places":[{"joint":"hand_r","to":[-0.5,1,0]}],"both":true}`,
		"stretch_chain":   `{"joint":"forearm_r","factor":1.2,"both":true}`,
		"swing_limb":      `{"joint":"upper_arm_l","degrees":[0,0,10]}`,
		"slight_bend":     `{"joints":["hand_l"],"degrees":9}`,
		"copy_to_partner": `{"joints":["hand_r"]}`,
	} {
		if op == "copy_to_partner" { // elsewhere, so that the copy would move it
			s := studiotest.Do(t, s, "place_joints", `{"places":[{"joint":"hand_r","to":[-0.5,1,0]}]}`)
			_, _, err := studiotest.Try(s, op, params)
			require.ErrorContains(t, err, "hand_l is locked", op)
			continue
		}
		_, _, err := studiotest.Try(s, op, params)
		require.ErrorContains(t, err, "hand_l is locked", op)
	}
	moved := studiotest.Do(t, s, "move_joint", `{"joint":"forearm_l","to":[0.3,1,0],"branch":false,"both":false}`)
	again := studiotest.Do(t, moved, "fit_starter", `{"starter":"biped","free":true}`)
	require.Equal(t, hand, studiotest.At(t, again, "hand_l"))
	j := again.Skeleton.Joints[again.Skeleton.Index("hand_l")]
	require.True(t, j.Locked && j.Hidden && !j.Pinned)
}

func flat(v r3.Vec) r3.Vec { return r3.Vec{X: v.X, Y: v.Y} }

// What stands off the middle is brought back into it, in every way there is.
func TestCentring(t *testing.T) {
	s := studiotest.Bound(t)
	want := studiotest.At(t, s, "shank_l")
	off := studiotest.Do(
		t,
		s,
		"place_joints",
		fmt.Sprintf(`{"places":[{"joint":"shank_l","to":[%g,%g,%g]}],"both":true}`, want.X+0.025, want.Y, want.Z+0.02),
	)
	for op, params := range map[string]string{
		"centre_joints": `{"joints":["shank_l"],"both":true}`,
		"centre_along":  fmt.Sprintf(`{"joint":"shank_l","from":[%g,%g,3],"way":[0,0,-1],"both":true}`, want.X, want.Y),
		"centre_ring":   fmt.Sprintf(`{"joint":"shank_l","vertex":%d,"both":true}`, nearest(s, want)),
	} {
		back := studiotest.Do(t, off, op, params)
		got := studiotest.At(t, back, "shank_l")
		require.Less(t, math.Hypot(got.X-want.X, got.Z-want.Z), 0.02, op)
		require.InDelta(t, got.X, -studiotest.At(t, back, "shank_r").X+2*s.Skeleton.MirrorPlane(s.Settings.Marks), 1e-9, op)
	}
	_, _, err := studiotest.Try(s, "centre_along", `{"joint":"shank_l","from":[9,9,3],"way":[0,0,-1]}`)
	require.ErrorContains(t, err, "no mesh under the pointer")
	_, _, err = studiotest.Try(s, "centre_ring", `{"joint":"shank_l"}`)
	require.ErrorContains(t, err, "select a loop")
}

func nearest(s studio.State, p r3.Vec) int {
	best, at := math.Inf(1), 0
	for i, v := range s.Mesh.Points {
		if d := r3.Norm(r3.Sub(v, p)); d < best {
			best, at = d, i
		}
	}
	return at
}

// Building keeps the weights of every vertex whole.
func TestBuildingCarriesTheWeights(t *testing.T) {
	s := studiotest.Bound(t)
	n := len(s.Skeleton.Joints)
	drawn := studiotest.Do(
		t,
		s,
		"draw_chain",
		`{"parent":"hips","name":"sash","places":[[0,0.9,-0.2],[0,0.8,-0.25],[0,0.7,-0.28]],"end":true}`,
	)
	require.Len(t, drawn.Skeleton.Joints, n+3)
	require.Equal(t, s.Weights, drawn.Weights)

	divided := studiotest.Do(t, s, "insert_joints", `{"joints":["forearm_l"],"count":2}`)
	require.Len(t, divided.Skeleton.Joints, n+2)
	sums(t, divided)

	gone := studiotest.Do(t, s, "remove_joints", `{"joints":["forearm_l","hand_l"]}`)
	require.Len(t, gone.Skeleton.Joints, n-2)
	require.Equal(t, studiotest.At(t, s, "hand_end_l"), studiotest.At(t, gone, "hand_end_l"), "children keep their places")
	sums(t, gone)
	require.Less(t, gone.Skeleton.Index("forearm_l"), 0)
	for _, name := range gone.Weights.Joints {
		require.NotContains(t, []string{"forearm_l", "hand_l"}, name)
	}

	hung := studiotest.Do(t, drawn, "reparent_joint", `{"joints":["sash_1"],"parent":"spine_1"}`)
	require.Equal(t, hung.Skeleton.Index("spine_1"), hung.Skeleton.Joints[hung.Skeleton.Index("sash_1")].Parent)
	both, told, err := studiotest.Try(drawn, "reparent_joint", `{"joints":["hand_l","hand_r"],"parent":"head"}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "Reparented hand_l, hand_r to head (was forearm_l, forearm_r)")
	for _, name := range []string{"hand_l", "hand_r"} {
		require.Equal(t, "head", both.Skeleton.Joints[both.Skeleton.Joints[both.Skeleton.Index(name)].Parent].Name)
		require.Equal(t, studiotest.At(t, drawn, name), studiotest.At(t, both, name))
	}
	_, told, err = studiotest.Try(drawn, "reparent_joint", `{"joints":["hand_l","hand_l"],"parent":"head"}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "Reparented hand_l to head", "one that is named twice is meant once")
	_, _, err = studiotest.Try(s, "reparent_joint", `{"joints":["hips"],"parent":"head"}`)
	require.Error(t, err, "a joint cannot hang from its own descendants")

	twice := studiotest.Do(t, drawn, "duplicate_branch", `{"joint":"sash_1","by":[0.1,0,0]}`)
	require.Len(t, twice.Skeleton.Joints, n+6)

	marked := studiotest.Do(t, s, "name_sides", `{"left":"_left","right":"_right"}`)
	require.GreaterOrEqual(t, marked.Skeleton.Index("hand_left"), 0)
	sums(t, marked)
	require.Contains(t, marked.Weights.Joints, "hand_left")
}

func TestTheOtherSideIsMadeFromOne(t *testing.T) {
	s := studiotest.Bound(t)
	half := studiotest.Do(t, s, "remove_joints", `{"joints":["upper_arm_r","forearm_r","hand_r","hand_end_r"]}`)
	whole, told, err := studiotest.Try(half, "make_other", `{"from":"left"}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "4 new")
	require.Len(t, whole.Skeleton.Joints, len(s.Skeleton.Joints))
	plane := s.Skeleton.MirrorPlane(s.Settings.Marks)
	for i, j := range whole.Skeleton.Joints {
		if k := whole.Skeleton.PartnerOf(i, s.Settings.Marks); k >= 0 {
			require.InDelta(t, 0, r3.Norm(r3.Sub(skeleton.Mirrored(j.Pos, plane), whole.Skeleton.Joints[k].Pos)), 1e-9, j.Name)
		}
	}
	_, _, err = studiotest.Try(s, "make_other", `{"from":"front"}`)
	require.ErrorContains(t, err, "left")
}

// A skeleton from a file finds its joints by name, parents and place, and those
// that are taken over stand where theirs stand.
func TestTakingOverASkeletonFromAFile(t *testing.T) {
	s := studiotest.Bound(t)
	theirs := s.Skeleton.Clone()
	for i := range theirs.Joints {
		theirs.Joints[i].Pos = r3.Add(theirs.Joints[i].Pos, r3.Vec{Y: 0.01})
		theirs.Joints[i].Name = strings.ToUpper(theirs.Joints[i].Name)
	}
	var file bytes.Buffer
	require.NoError(t, bvh.Encode(&file, theirs, nil))
	_, x, c := studiotest.Begun(t, s)
	m, err := matchFile(x, c, "bones.bvh", file.Bytes())
	require.NoError(t, err)
	require.Greater(t, len(m.Matches), len(s.Skeleton.Joints)*3/4)
	match := map[string]string{}
	for _, p := range m.Matches {
		match[p.Theirs] = p.Ours
		if !strings.Contains(p.Ours, "_end") { // end sites have no names of their own
			require.Equal(t, strings.ToLower(p.Theirs), p.Ours)
		}
	}
	out := studiotest.Do(
		t,
		s,
		"adopt_skeleton",
		studiotest.Encoded(
			t,
			map[string]any{"theirs": m.Theirs, "source": m.Source, "match": match, "obsolete": "keep", "parenting": "keep"},
		),
	)
	for _, name := range []string{"hips", "hand_l", "foot_r", "head"} {
		require.InDelta(t, studiotest.At(t, s, name).Y+0.01, studiotest.At(t, out, name).Y, 1e-6, name)
	}
	sums(t, out)
	_, err = matchFile(x, c, "bones.bvh", []byte("HIERARCHY\nROOT\n"))
	require.ErrorContains(t, err, "line")
	var bad studio.InputError
	require.ErrorAs(t, err, &bad)
}

// The naming of H-Anim (ISO/IEC 19774) is known: a starter is laid over its
// joints.
func TestAStarterIsLaidOverJointsOfAKnownNaming(t *testing.T) {
	s := studiotest.Bound(t)
	m, err := skeleton.FindNameMap("hanim")
	require.NoError(t, err)
	named := map[string]string{}
	for ours, theirs := range m.Joints {
		if s.Skeleton.Index(ours) >= 0 {
			named[ours] = theirs
		}
	}
	require.Greater(t, len(named), 12)
	other := studiotest.Do(t, s, "rename_joints", studiotest.Encoded(t, map[string]any{"names": named}))
	back := studiotest.Do(t, other, "snap_starter", `{"starter":"biped","map":"hanim"}`)
	for ours := range named {
		require.InDelta(t, 0, r3.Norm(r3.Sub(studiotest.At(t, s, ours), studiotest.At(t, back, ours))), 1e-9, ours)
	}
	sums(t, back)
}

// The demo's chain is fitted, and so is a starter that does not suit: refused.
func TestStartersThatDoNotSuitAreRefused(t *testing.T) {
	need.Time(t)
	m, _ := demo.KiteTail(0.02)
	s := studio.State{Mesh: m, Settings: studio.DefaultSettings()}
	out := studiotest.Do(t, s, "fit_starter", `{"starter":"chain","count":6}`)
	require.Len(t, out.Skeleton.Joints, 7)
	_, _, err := studiotest.Try(s, "fit_starter", `{"starter":"quadruped"}`)
	require.Error(t, err)
	_, _, err = studiotest.Try(s, "fit_starter", `{"starter":"centaur"}`)
	require.ErrorContains(t, err, "centaur")
}

// Meshes of CGAL's examples (Debian's libcgal-demo). Whoever rigged them is not
// known, so it is held against what any rigger would ask: joints inside, head in
// front, legs below the trunk, fingers beyond the wrist.
func TestRealMeshesAreFitted(t *testing.T) {
	need.Time(t)
	real := func(name string) studio.State {
		f, err := os.Open(filepath.Join(os.Getenv("WISEMARROW_MESHES"), name+".off"))
		if err != nil {
			need.Skip(t, "WISEMARROW_MESHES has no %s", name)
		}
		defer f.Close()
		scene, err := formats.Decode(name+".off", f, nil, reading.Default)
		require.NoError(t, err)
		return intake.StateOf(scene, name+".off")
	}
	inside := func(s studio.State) {
		tree := s.Mesh.Surface().Tree
		for i, j := range s.Skeleton.Joints {
			if s.Skeleton.Deforming()[i] {
				require.Greater(t, tree.Winding(j.Pos), 0.5, j.Name)
			}
		}
	}
	cow := studiotest.Do(t, real("cow"), "fit_starter", `{"starter":"quadruped"}`)
	inside(cow)
	require.Greater(t, studiotest.At(t, cow, "head").X, studiotest.At(t, cow, "hips").X+0.5, "it looks along X")
	for _, x := range []string{"_l", "_r"} {
		require.Less(t, studiotest.At(t, cow, "hand"+x).Y, studiotest.At(t, cow, "upper_arm"+x).Y)
		require.Less(t, studiotest.At(t, cow, "toe"+x).Y, studiotest.At(t, cow, "thigh"+x).Y)
		require.Greater(t, studiotest.At(t, cow, "hand"+x).X, studiotest.At(t, cow, "foot"+x).X, "fore legs in front")
	}
	hand := studiotest.Do(t, real("hand"), "fit_starter", `{"starter":"hand"}`)
	inside(hand)
	wrist := studiotest.At(t, hand, "hand")
	for _, finger := range []string{"thumb", "index", "middle", "ring", "little"} {
		before := 0.0
		for k := 1; k <= 3; k++ {
			far := r3.Norm(r3.Sub(studiotest.At(t, hand, fmt.Sprintf("%s_%d", finger, k)), wrist))
			require.Greater(t, far, before, "%s_%d", finger, k)
			before = far
		}
	}
	// In mid-stride: turned and leaning, a fore foot in the air, a hind foot
	// stretched back; and walking, with its tail on the ground.
	elephant := studiotest.Do(t, real("elephant"), "fit_starter", `{"starter":"quadruped","tail":3}`)
	inside(elephant)
	diplodocus := studiotest.Do(t, real("diplodocus"), "fit_starter", `{"starter":"quadruped"}`)
	inside(diplodocus)
	for _, beast := range []studio.State{elephant, diplodocus} {
		require.Greater(t, studiotest.At(t, beast, "head").X, studiotest.At(t, beast, "hips").X+0.3, "it looks along X")
		require.Greater(t, studiotest.At(t, beast, "head").Y, studiotest.At(t, beast, "hips").Y+0.2)
		require.Less(t, studiotest.At(t, beast, "tail_end").X, studiotest.At(t, beast, "hips").X-0.1)
		for _, leg := range []string{"hand", "foot"} {
			require.Less(t, studiotest.At(t, beast, leg+"_l").Z, studiotest.At(t, beast, leg+"_r").Z, "left is -Z when looking along X")
		}
		for _, x := range []string{"_l", "_r"} {
			require.Less(t, studiotest.At(t, beast, "hand"+x).Y, studiotest.At(t, beast, "upper_arm"+x).Y)
			require.Less(t, studiotest.At(t, beast, "toe"+x).Y, studiotest.At(t, beast, "thigh"+x).Y)
			require.Greater(t, studiotest.At(t, beast, "hand"+x).X, studiotest.At(t, beast, "foot"+x).X, "fore legs in front")
		}
	}
	require.Greater(t, studiotest.At(t, elephant, "hand_l").Y, studiotest.At(t, elephant, "hand_r").Y+0.08, "the lifted foot")
	// Their sides do not lie along X: the remedy turns mesh and skeleton.
	_, x, c := studiotest.Begun(t, diplodocus)
	now, err := x.Character(ctx, c.ID)
	require.NoError(t, err)
	head, err := x.Revision(ctx, now.Head)
	require.NoError(t, err)
	turned := diplodocus
	for _, f := range studiotest.Findings(t, x, head, "placement") {
		if f.Code == "sides_turned" {
			turned = studiotest.Do(t, diplodocus, f.Remedies[0].Op, string(f.Remedies[0].Params))
		}
	}
	require.Greater(t, studiotest.At(t, turned, "head").Z, studiotest.At(t, turned, "hips").Z+0.3, "it looks along Z")
	require.Greater(t, studiotest.At(t, turned, "hand_l").X, studiotest.At(t, turned, "hand_r").X)
	inside(turned)
	require.Contains(t, strings.Join(elephant.Fit.Notes, " "), "follows the torso")
}

// A tip that is shown where it was found changes nothing; one shown elsewhere
// takes its limb along and leaves the others.
func TestShownTipsOfABeast(t *testing.T) {
	need.Time(t)
	m, _ := demo.Sedge(0.02)
	s := studio.State{Mesh: m, Settings: studio.DefaultSettings()}
	s = studiotest.Do(t, s, "fit_starter", studiotest.Encoded(t, demo.OtterParams))
	show := func(name string, p []float64) studio.State {
		params := map[string]any{"shown": map[string][]float64{name: p}}
		raw, err := json.Marshal(demo.OtterParams)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(raw, &params))
		return studiotest.Do(t, s, "fit_starter", studiotest.Encoded(t, params))
	}
	same := show("tail", s.Fit.Tips["tail"])
	for _, j := range s.Skeleton.Joints {
		require.Less(t, r3.Norm(r3.Sub(studiotest.At(t, same, j.Name), j.Pos)), 0.02, j.Name)
	}
	tail := vec(s.Fit.Tips["tail"])
	last := studiotest.At(t, s, "tail_3")
	short := r3.Add(last, r3.Scale(0.4, r3.Sub(tail, last)))
	cut := show("tail", []float64{short.X, short.Y, short.Z})
	require.Less(t, r3.Norm(r3.Sub(vec(cut.Fit.Tips["tail"]), short)), 0.03)
	require.Greater(t, studiotest.At(t, cut, "tail_end").Z, studiotest.At(t, s, "tail_end").Z+0.02, "the tail ends where it was shown")
	for _, name := range []string{"hand_l", "foot_r", "head"} {
		require.Less(t, r3.Norm(r3.Sub(studiotest.At(t, cut, name), studiotest.At(t, s, name))), 0.02, name)
	}
}

// A production that marks sides in front of names gets them so from every fit, and
// refits by them.
func TestFitsFollowTheMarksOfTheProduction(t *testing.T) {
	need.Time(t)
	m, _ := demo.Odile(0.02)
	s := studio.State{Mesh: m, Settings: studio.DefaultSettings()}
	plain := studiotest.Do(t, s, "fit_starter", `{"starter":"biped"}`)
	s = studiotest.Do(t, s, "name_sides", `{"left":"l_","right":"r_","before":true}`)
	fitted := studiotest.Do(t, s, "fit_starter", `{"starter":"biped"}`)
	require.Equal(t, studiotest.At(t, plain, "hand_l"), studiotest.At(t, fitted, "l_hand"))
	require.Less(t, fitted.Skeleton.Index("hand_l"), 0)
	hand := studiotest.At(t, fitted, "l_hand")
	moved := studiotest.Do(
		t,
		fitted,
		"move_joint",
		studiotest.Encoded(
			t,
			map[string]any{"joint": "l_hand", "to": []float64{hand.X + 0.03, hand.Y, hand.Z}, "branch": false, "both": true},
		),
	)
	require.InDelta(t, -0.03, studiotest.At(t, moved, "r_hand").X-studiotest.At(t, fitted, "r_hand").X, 1e-9, "the partner moves too")
	again := studiotest.Do(t, moved, "fit_starter", `{"starter":"biped","only":["l_hand","r_hand"]}`)
	require.InDelta(t, 0, r3.Norm(r3.Sub(hand, studiotest.At(t, again, "l_hand"))), 1e-9)
	pinned := studiotest.Do(t, moved, "mark_joints", `{"joints":["l_hand"],"pinned":true}`)
	require.InDelta(
		t,
		0,
		r3.Norm(
			r3.Sub(
				studiotest.At(t, moved, "l_hand"),
				studiotest.At(t, studiotest.Do(t, pinned, "fit_starter", `{"starter":"biped"}`), "l_hand"),
			),
		),
		1e-9,
	)
	laid := studiotest.Do(
		t,
		fitted,
		"snap_starter",
		studiotest.Encoded(
			t,
			map[string]any{"starter": "biped", "names": map[string]string{"hips": "hips", "hand_l": "l_hand", "head": "head"}},
		),
	)
	require.Equal(t, hand, studiotest.At(t, laid, "l_hand"))
	require.GreaterOrEqual(t, laid.Skeleton.Index("r_hand"), 0)

	back := studiotest.Do(t, fitted, "name_sides", `{"left":"_l","right":"_r"}`)
	require.Equal(t, hand, studiotest.At(t, back, "hand_l"))
	_, _, err := studiotest.Try(fitted, "name_sides", `{"left":"x","right":"x"}`)
	require.ErrorContains(t, err, "must differ")
	drawn := studiotest.Do(t, fitted, "draw_chain", `{"parent":"l_hand","places":[[0.5,1,0]]}`)
	require.GreaterOrEqual(t, drawn.Skeleton.Index("l_hand_branch"), 0)
}

// Where limbs begin, the middle plane and where the character looks are taken from
// a person who shows them.
func TestBeginningsPlaneAndFacingAreShown(t *testing.T) {
	need.Time(t)
	m, _ := demo.Sedge(0.02)
	s := studiotest.Do(t, studio.State{Mesh: m, Settings: studio.DefaultSettings()}, "fit_starter", studiotest.Encoded(t, demo.OtterParams))
	again := func(s studio.State, more map[string]any) studio.State {
		raw, err := json.Marshal(s.Fit.Params)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(raw, &more))
		return studiotest.Do(t, s, "fit_starter", studiotest.Encoded(t, more))
	}
	shown := func(name string, p r3.Vec) map[string]any {
		return map[string]any{"shown": map[string][]float64{name: {p.X, p.Y, p.Z}}}
	}
	tail := r3.Scale(0.5, r3.Add(studiotest.At(t, s, "tail_2"), studiotest.At(t, s, "tail_3")))
	short := again(s, shown("begin tail", tail))
	require.Less(t, r3.Norm(r3.Sub(vec(short.Fit.Begin["tail"]), tail)), 0.03)
	require.Less(t, studiotest.At(t, short, "tail_1").Z, studiotest.At(t, s, "tail_1").Z-0.05)
	require.Equal(t, map[string][]float64{"begin tail": {tail.X, tail.Y, tail.Z}}, short.Fit.Shown, "kept for the next fit")
	leg := vec(s.Fit.Begin["leg_l"])
	leg.Y -= 0.05
	low := again(s, shown("begin leg_l", leg))
	require.InDelta(t, leg.Y, low.Fit.Begin["leg_l"][1], 0.012)
	require.InDelta(t, s.Fit.Begin["leg_r"][1], low.Fit.Begin["leg_r"][1], 1e-9, "the other leg is left alone")
	side := again(s, shown("middle plane", r3.Vec{X: 0.02, Y: 0.3}))
	require.InDelta(t, 0.02, side.Fit.Plane.X, 1e-9)
	require.InDelta(t, 0.02, studiotest.At(t, side, "spine_2").X, 1e-9)
	back := again(s, map[string]any{"facing": "-z"})
	require.Equal(t, -1.0, math.Round(back.Fit.Facing.Z))
	require.Equal(t, "-z", back.Fit.Faced)
	require.InDelta(
		t,
		studiotest.At(t, s, "foot_l").Z,
		studiotest.At(t, back, "hand_r").Z,
		0.1,
		"what was the left hind foot is the right fore foot",
	)

	m, _ = demo.Odile(0.02)
	s = studiotest.Do(t, studio.State{Mesh: m, Settings: studio.DefaultSettings()}, "fit_starter", `{"starter":"biped"}`)
	require.Contains(t, s.Fit.Begin, "neck")
	require.Contains(t, s.Fit.Begin, "legs")
	neck := vec(s.Fit.Begin["neck"])
	neck.Y += 0.02
	require.InDelta(t, neck.Y, studiotest.At(t, again(s, shown("begin neck", neck)), "neck").Y, 1e-9)
	crown := studiotest.At(t, s, "head_end")
	crown.Y -= 0.07 // below the hat
	require.InDelta(t, crown.Y, studiotest.At(t, again(s, shown("head", crown)), "head_end").Y, 1e-9)
	arm := r3.Scale(0.5, r3.Add(studiotest.At(t, s, "forearm_l"), studiotest.At(t, s, "upper_arm_l")))
	require.Less(t, r3.Norm(r3.Sub(arm, vec(again(s, shown("begin arm_l", arm)).Fit.Begin["arm_l"]))), 0.03)
	_, _, err := studiotest.Try(s, "fit_starter", `{"starter":"biped","facing":"up"}`)
	require.ErrorContains(t, err, "+x, -x, +z or -z")
}

// A body that lies is fitted as one that stands, is told to lie, and obeys a tip that is shown.
func TestABodyThatLiesIsTold(t *testing.T) {
	need.Time(t)
	m, _ := demo.Odile(0.02)
	turn := mesh.Placement{Scale: 1, Up: "-z"}
	lying := studio.State{Mesh: m.Bake(turn), Settings: studio.DefaultSettings()} // now its Z is up
	up := studiotest.Do(t, studio.State{Mesh: m, Settings: studio.DefaultSettings()}, "fit_starter", `{"starter":"biped"}`)
	require.Empty(t, up.Fit.Notes)
	out := studiotest.Do(t, lying, "fit_starter", `{"starter":"biped"}`)
	require.Contains(t, strings.Join(out.Fit.Notes, " "), "lying")
	for _, j := range up.Skeleton.Joints {
		at := geom.Rotate(turn.Rotation(), j.Pos)
		require.Less(t, r3.Norm(r3.Sub(at, studiotest.At(t, out, j.Name))), 0.04*up.Fit.Height, j.Name)
	}
	hand := r3.Add(studiotest.At(t, out, "hand_end_l"), r3.Vec{X: 0.01})
	params, err := json.Marshal(map[string]any{"starter": "biped", "shown": map[string]any{"hand_l": []float64{hand.X, hand.Y, hand.Z}}})
	require.NoError(t, err)
	shown := studiotest.Do(t, out, "fit_starter", string(params))
	require.InDelta(t, 0, r3.Norm(r3.Sub(hand, studiotest.At(t, shown, "hand_end_l"))), 0.02*up.Fit.Height)
}

// A body that sits with its arms apart is fitted, and not offered to have one side laid over the other.
func TestAFittedPoseIsNotOfferedToBeMirrored(t *testing.T) {
	need.Time(t)
	m, _ := demo.Poses(8, 7)[6].Make()
	s := studiotest.Do(t, studio.State{Mesh: m, Settings: studio.DefaultSettings()}, "fit_starter", `{"starter":"biped"}`)
	found := false
	for _, f := range studio.CheckOnly(&s, "placement") {
		if f.Code == "sides_differ" {
			found = true
			require.Contains(t, f.Title, "posed differently")
			require.Empty(t, f.Remedies)
		}
	}
	require.True(t, found)
}
