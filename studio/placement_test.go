package studio_test

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

	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/demo"
	"wisemarrow/formats"
	"wisemarrow/formats/bvh"
	"wisemarrow/formats/reading"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func at(t *testing.T, s studio.State, name string) r3.Vec {
	t.Helper()
	i := s.Skeleton.Index(name)
	require.GreaterOrEqual(t, i, 0, name)
	return s.Skeleton.Joints[i].Pos
}

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

func encoded(t *testing.T, v any) string {
	t.Helper()
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return string(b)
}

func TestFittingAPartLeavesTheRestAndItsWeights(t *testing.T) {
	s := bound(t)
	moved := do(t, s, "move_joint", fmt.Sprintf(`{"joint":"forearm_l","to":[%g,%g,0.1],"both":false}`, at(t, s, "forearm_l").X, at(t, s, "forearm_l").Y))
	require.Greater(t, r3.Norm(r3.Sub(at(t, moved, "forearm_l"), at(t, s, "forearm_l"))), 0.05)
	again := do(t, moved, "fit_starter", `{"starter":"biped","only":["forearm_l"]}`)
	require.Less(t, r3.Norm(r3.Sub(at(t, again, "forearm_l"), at(t, s, "forearm_l"))), 0.01)
	for _, name := range []string{"hand_l", "head", "forearm_r"} {
		require.Equal(t, at(t, moved, name), at(t, again, name), name)
	}
	require.NotNil(t, again.Weights)
	_, _, err := try(s, "fit_starter", `{"starter":"biped","only":["no_such"]}`)
	require.ErrorContains(t, err, "no_such")
}

func TestPinnedJointsStayAndShownTipsAreTaken(t *testing.T) {
	s := bound(t)
	p := at(t, s, "head")
	p.Y += 0.03
	s = do(t, s, "move_joint", fmt.Sprintf(`{"joint":"head","to":[%g,%g,%g],"branch":false}`, p.X, p.Y, p.Z))
	s = do(t, s, "mark_joints", `{"joints":["head"],"pinned":true}`)
	require.Equal(t, at(t, s, "head"), at(t, do(t, s, "fit_starter", `{"starter":"biped"}`), "head"))
	require.NotEqual(t, at(t, s, "head"), at(t, do(t, s, "fit_starter", `{"starter":"biped","free":true}`), "head"))

	var name string
	for name = range s.Fit.Tips {
		if strings.Contains(name, "hand") && strings.HasSuffix(name, "_l") {
			break
		}
	}
	old := vec(s.Fit.Tips[name])
	tip := r3.Add(old, r3.Scale(0.4, r3.Sub(at(t, s, "hand_l"), old)))
	shown := do(t, s, "fit_starter", fmt.Sprintf(`{"starter":"biped","shown":{%q:[%g,%g,%g]}}`, name, tip.X, tip.Y, tip.Z))
	require.Less(t, r3.Norm(r3.Sub(vec(shown.Fit.Tips[name]), tip)), 0.02, name)
	_, _, err := try(s, "fit_starter", `{"starter":"biped","shown":{"hand_l":[1e999,0,0]}}`)
	require.Error(t, err)
}

func TestEveryStarterIsShownAtTheSizeOfTheMesh(t *testing.T) {
	_, x, c := begun(t, meshed())
	for _, k := range studio.Starters {
		list, err := x.PreviewStarter(context.Background(), c.ID, &studio.FitStarter{Params: k.Default})
		require.NoError(t, err, k.Name)
		sk, err := k.Default.Build()
		require.NoError(t, err)
		require.Len(t, list, len(sk.Joints), k.Name)
	}
	long := studio.Starters[0].Default
	long.Spine = 40
	_, err := x.PreviewStarter(context.Background(), c.ID, &studio.FitStarter{Params: long})
	require.ErrorContains(t, err, "spine")
	list, err := x.PreviewStarter(context.Background(), c.ID, &studio.FitStarter{Params: studio.Starters[0].Default})
	require.NoError(t, err)
	high := 0.0
	for _, j := range list {
		high = max(high, j.Pos[1])
	}
	require.InDelta(t, meshed().Mesh.Measure().Height, high, 0.02)
}

func TestJointsAreMovedTogether(t *testing.T) {
	s := bound(t)
	hand := at(t, s, "hand_l")
	s2 := do(t, s, "place_joints", fmt.Sprintf(`{"places":[{"joint":"hand_l","to":[%g,%g,%g]}],"both":true}`, hand.X+0.02, hand.Y, hand.Z))
	plane := s.Skeleton.MirrorPlane(s.Settings.Marks)
	require.InDelta(t, 0, r3.Norm(r3.Sub(at(t, s2, "hand_r"), skeleton.Mirrored(at(t, s2, "hand_l"), plane))), 1e-12)
	require.Equal(t, at(t, s, "hand_end_l"), at(t, s2, "hand_end_l"), "children stay where they are")
	// The same joint twice: the last place counts.
	s3 := do(t, s, "place_joints", `{"places":[{"joint":"head","to":[9,9,9]},{"joint":"head","to":[0,1.5,0]},{"joint":"hand_l","to":[0.5,1,0]}]}`)
	require.Equal(t, r3.Vec{Y: 1.5}, at(t, s3, "head"))
	require.Equal(t, r3.Vec{X: 0.5, Y: 1}, at(t, s3, "hand_l"))

	stretched := do(t, s, "stretch_chain", `{"joint":"shank_l","factor":1.5,"both":true}`)
	for _, x := range []string{"_l", "_r"} {
		require.InDelta(t, 1.5*r3.Norm(r3.Sub(at(t, s, "foot"+x), at(t, s, "shank"+x))), r3.Norm(r3.Sub(at(t, stretched, "foot"+x), at(t, stretched, "shank"+x))), 1e-9)
	}
	turned := do(t, s, "swing_limb", `{"joint":"upper_arm_l","degrees":[0,0,30],"both":true}`)
	for _, x := range []string{"_l", "_r"} {
		a, b := at(t, s, "hand"+x), at(t, turned, "hand"+x)
		o := at(t, s, "upper_arm"+x)
		require.InDelta(t, r3.Norm(r3.Sub(a, o)), r3.Norm(r3.Sub(b, o)), 1e-9)
		require.InDelta(t, 30, math.Acos(r3.Cos(flat(r3.Sub(a, o)), flat(r3.Sub(b, o))))*180/math.Pi, 1e-6)
	}
}

func vec(p []float64) r3.Vec { return r3.Vec{X: p[0], Y: p[1], Z: p[2]} }

// A lock holds whatever would move the joint: its parent, its partner, a fit.
func TestLockedJointsStay(t *testing.T) {
	s := do(t, bound(t), "mark_joints", `{"joints":["hand_l"],"locked":true,"hidden":true}`)
	hand := at(t, s, "hand_l")
	for op, params := range map[string]string{
		"move_joint":      `{"joint":"forearm_l","to":[0.3,1,0],"branch":true}`,
		"place_joints":    `{"places":[{"joint":"hand_r","to":[-0.5,1,0]}],"both":true}`,
		"stretch_chain":   `{"joint":"forearm_r","factor":1.2,"both":true}`,
		"swing_limb":      `{"joint":"upper_arm_l","degrees":[0,0,10]}`,
		"slight_bend":     `{"joints":["hand_l"],"degrees":9}`,
		"copy_to_partner": `{"joints":["hand_r"]}`,
	} {
		if op == "copy_to_partner" { // elsewhere, so that the copy would move it
			s := do(t, s, "place_joints", `{"places":[{"joint":"hand_r","to":[-0.5,1,0]}]}`)
			_, _, err := try(s, op, params)
			require.ErrorContains(t, err, "hand_l is locked", op)
			continue
		}
		_, _, err := try(s, op, params)
		require.ErrorContains(t, err, "hand_l is locked", op)
	}
	moved := do(t, s, "move_joint", `{"joint":"forearm_l","to":[0.3,1,0],"branch":false,"both":false}`)
	again := do(t, moved, "fit_starter", `{"starter":"biped","free":true}`)
	require.Equal(t, hand, at(t, again, "hand_l"))
	j := again.Skeleton.Joints[again.Skeleton.Index("hand_l")]
	require.True(t, j.Locked && j.Hidden && !j.Pinned)
}

func flat(v r3.Vec) r3.Vec { return r3.Vec{X: v.X, Y: v.Y} }

// What stands off the middle is brought back into it, in every way there is.
func TestCentring(t *testing.T) {
	s := bound(t)
	want := at(t, s, "shank_l")
	off := do(t, s, "place_joints", fmt.Sprintf(`{"places":[{"joint":"shank_l","to":[%g,%g,%g]}],"both":true}`, want.X+0.025, want.Y, want.Z+0.02))
	for op, params := range map[string]string{
		"centre_joints": `{"joints":["shank_l"],"both":true}`,
		"centre_along":  fmt.Sprintf(`{"joint":"shank_l","from":[%g,%g,3],"way":[0,0,-1],"both":true}`, want.X, want.Y),
		"centre_ring":   fmt.Sprintf(`{"joint":"shank_l","vertex":%d,"both":true}`, nearest(s, want)),
	} {
		back := do(t, off, op, params)
		got := at(t, back, "shank_l")
		require.Less(t, math.Hypot(got.X-want.X, got.Z-want.Z), 0.02, op)
		require.InDelta(t, got.X, -at(t, back, "shank_r").X+2*s.Skeleton.MirrorPlane(s.Settings.Marks), 1e-9, op)
	}
	_, _, err := try(s, "centre_along", `{"joint":"shank_l","from":[9,9,3],"way":[0,0,-1]}`)
	require.ErrorContains(t, err, "no mesh under the pointer")
	_, _, err = try(s, "centre_ring", `{"joint":"shank_l"}`)
	require.ErrorContains(t, err, "choose a ring")
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
	s := bound(t)
	n := len(s.Skeleton.Joints)
	drawn := do(t, s, "draw_chain", `{"parent":"hips","name":"sash","places":[[0,0.9,-0.2],[0,0.8,-0.25],[0,0.7,-0.28]],"end":true}`)
	require.Len(t, drawn.Skeleton.Joints, n+3)
	require.Equal(t, s.Weights, drawn.Weights)

	divided := do(t, s, "insert_joints", `{"joints":["forearm_l"],"count":2}`)
	require.Len(t, divided.Skeleton.Joints, n+2)
	sums(t, divided)

	gone := do(t, s, "remove_joints", `{"joints":["forearm_l","hand_l"]}`)
	require.Len(t, gone.Skeleton.Joints, n-2)
	require.Equal(t, at(t, s, "hand_end_l"), at(t, gone, "hand_end_l"), "children keep their places")
	sums(t, gone)
	require.Less(t, gone.Skeleton.Index("forearm_l"), 0)
	for _, name := range gone.Weights.Joints {
		require.NotContains(t, []string{"forearm_l", "hand_l"}, name)
	}

	hung := do(t, drawn, "reparent_joint", `{"joints":["sash_1"],"parent":"spine_1"}`)
	require.Equal(t, hung.Skeleton.Index("spine_1"), hung.Skeleton.Joints[hung.Skeleton.Index("sash_1")].Parent)
	both, told, err := try(drawn, "reparent_joint", `{"joints":["hand_l","hand_r"],"parent":"head"}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "hand_l, hand_r hang from head now, not from forearm_l, forearm_r")
	for _, name := range []string{"hand_l", "hand_r"} {
		require.Equal(t, "head", both.Skeleton.Joints[both.Skeleton.Joints[both.Skeleton.Index(name)].Parent].Name)
		require.Equal(t, at(t, drawn, name), at(t, both, name))
	}
	_, _, err = try(s, "reparent_joint", `{"joints":["hips"],"parent":"head"}`)
	require.Error(t, err, "a joint cannot hang from what hangs from it")

	twice := do(t, drawn, "duplicate_branch", `{"joint":"sash_1","by":[0.1,0,0]}`)
	require.Len(t, twice.Skeleton.Joints, n+6)

	marked := do(t, s, "name_sides", `{"left":"_left","right":"_right"}`)
	require.GreaterOrEqual(t, marked.Skeleton.Index("hand_left"), 0)
	sums(t, marked)
	require.Contains(t, marked.Weights.Joints, "hand_left")
}

func TestTheOtherSideIsMadeFromOne(t *testing.T) {
	s := bound(t)
	half := do(t, s, "remove_joints", `{"joints":["upper_arm_r","forearm_r","hand_r","hand_end_r"]}`)
	whole, told, err := try(half, "make_other", `{"from":"left"}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "4 new")
	require.Len(t, whole.Skeleton.Joints, len(s.Skeleton.Joints))
	plane := s.Skeleton.MirrorPlane(s.Settings.Marks)
	for i, j := range whole.Skeleton.Joints {
		if k := whole.Skeleton.PartnerOf(i, s.Settings.Marks); k >= 0 {
			require.InDelta(t, 0, r3.Norm(r3.Sub(skeleton.Mirrored(j.Pos, plane), whole.Skeleton.Joints[k].Pos)), 1e-9, j.Name)
		}
	}
	_, _, err = try(s, "make_other", `{"from":"front"}`)
	require.ErrorContains(t, err, "left")
}

// A skeleton from a file finds its joints by name, parents and place, and those
// that are taken over stand where theirs stand.
func TestTakingOverASkeletonFromAFile(t *testing.T) {
	s := bound(t)
	theirs := s.Skeleton.Clone()
	for i := range theirs.Joints {
		theirs.Joints[i].Pos = r3.Add(theirs.Joints[i].Pos, r3.Vec{Y: 0.01})
		theirs.Joints[i].Name = strings.ToUpper(theirs.Joints[i].Name)
	}
	var file bytes.Buffer
	require.NoError(t, bvh.Encode(&file, theirs, nil))
	_, x, c := begun(t, s)
	m, err := x.MatchFile(context.Background(), c.ID, "bones.bvh", &file, nil)
	require.NoError(t, err)
	require.Greater(t, len(m.Matches), len(s.Skeleton.Joints)*3/4)
	match := map[string]string{}
	for _, p := range m.Matches {
		match[p.Theirs] = p.Ours
		if !strings.Contains(p.Ours, "_end") { // end sites have no names of their own
			require.Equal(t, strings.ToLower(p.Theirs), p.Ours)
		}
	}
	out := do(t, s, "adopt_skeleton", encoded(t, map[string]any{"theirs": m.Theirs, "source": m.Source, "match": match, "obsolete": "keep", "parenting": "keep"}))
	for _, name := range []string{"hips", "hand_l", "foot_r", "head"} {
		require.InDelta(t, at(t, s, name).Y+0.01, at(t, out, name).Y, 1e-6, name)
	}
	sums(t, out)
	_, err = x.MatchFile(context.Background(), c.ID, "bones.bvh", strings.NewReader("HIERARCHY\nROOT\n"), nil)
	require.ErrorContains(t, err, "line")
	var bad studio.ErrInput
	require.ErrorAs(t, err, &bad)
}

// The naming of H-Anim (ISO/IEC 19774) is known: a starter is laid over its
// joints.
func TestAStarterIsLaidOverJointsOfAKnownNaming(t *testing.T) {
	s := bound(t)
	m, err := skeleton.FindNameMap("hanim")
	require.NoError(t, err)
	named := map[string]string{}
	for ours, theirs := range m.Joints {
		if s.Skeleton.Index(ours) >= 0 {
			named[ours] = theirs
		}
	}
	require.Greater(t, len(named), 12)
	other := do(t, s, "rename_joints", encoded(t, map[string]any{"names": named}))
	back := do(t, other, "snap_starter", `{"starter":"biped","map":"hanim"}`)
	for ours := range named {
		require.InDelta(t, 0, r3.Norm(r3.Sub(at(t, s, ours), at(t, back, ours))), 1e-9, ours)
	}
	sums(t, back)
}

// The demo's chain is fitted, and so is a starter that does not suit: refused.
func TestStartersThatDoNotSuitAreRefused(t *testing.T) {
	m, _ := demo.KiteTail(0.02)
	s := studio.State{Mesh: m, Settings: studio.DefaultSettings()}
	out := do(t, s, "fit_starter", `{"starter":"chain","count":6}`)
	require.Len(t, out.Skeleton.Joints, 7)
	_, _, err := try(s, "fit_starter", `{"starter":"quadruped"}`)
	require.Error(t, err)
	_, _, err = try(s, "fit_starter", `{"starter":"centaur"}`)
	require.ErrorContains(t, err, "centaur")
}

// Meshes of CGAL's examples (Debian's libcgal-demo). Whoever rigged them is not
// known, so it is held against what any rigger would ask: joints inside, head in
// front, legs below the trunk, fingers beyond the wrist.
func TestRealMeshesAreFitted(t *testing.T) {
	real := func(name string) studio.State {
		f, err := os.Open(filepath.Join(os.Getenv("WISEMARROW_MESHES"), name+".off"))
		if err != nil {
			t.Skip("WISEMARROW_MESHES has no ", name)
		}
		defer f.Close()
		scene, err := formats.Decode(name+".off", f, nil, reading.Default)
		require.NoError(t, err)
		return studio.StateOf(scene, name+".off")
	}
	inside := func(s studio.State) {
		tree := s.Mesh.Surface().Tree
		for i, j := range s.Skeleton.Joints {
			if s.Skeleton.Deforming()[i] {
				require.Greater(t, tree.Winding(j.Pos), 0.5, j.Name)
			}
		}
	}
	cow := do(t, real("cow"), "fit_starter", `{"starter":"quadruped"}`)
	inside(cow)
	require.Greater(t, at(t, cow, "head").X, at(t, cow, "hips").X+0.5, "it looks along X")
	for _, x := range []string{"_l", "_r"} {
		require.Less(t, at(t, cow, "hand"+x).Y, at(t, cow, "upper_arm"+x).Y)
		require.Less(t, at(t, cow, "toe"+x).Y, at(t, cow, "thigh"+x).Y)
		require.Greater(t, at(t, cow, "hand"+x).X, at(t, cow, "foot"+x).X, "fore legs in front")
	}
	hand := do(t, real("hand"), "fit_starter", `{"starter":"hand"}`)
	inside(hand)
	wrist := at(t, hand, "hand")
	for _, finger := range []string{"thumb", "index", "middle", "ring", "little"} {
		before := 0.0
		for k := 1; k <= 3; k++ {
			far := r3.Norm(r3.Sub(at(t, hand, fmt.Sprintf("%s_%d", finger, k)), wrist))
			require.Greater(t, far, before, "%s_%d", finger, k)
			before = far
		}
	}
	// In mid-stride: turned and leaning, a fore foot in the air, a hind foot
	// stretched back; and walking, with its tail on the ground.
	elephant := do(t, real("elephant"), "fit_starter", `{"starter":"quadruped","tail":3}`)
	inside(elephant)
	diplodocus := do(t, real("diplodocus"), "fit_starter", `{"starter":"quadruped"}`)
	inside(diplodocus)
	for _, beast := range []studio.State{elephant, diplodocus} {
		require.Greater(t, at(t, beast, "head").X, at(t, beast, "hips").X+0.3, "it looks along X")
		require.Greater(t, at(t, beast, "head").Y, at(t, beast, "hips").Y+0.2)
		require.Less(t, at(t, beast, "tail_end").X, at(t, beast, "hips").X-0.1)
		for _, leg := range []string{"hand", "foot"} {
			require.Less(t, at(t, beast, leg+"_l").Z, at(t, beast, leg+"_r").Z, "left is -Z when looking along X")
		}
		for _, x := range []string{"_l", "_r"} {
			require.Less(t, at(t, beast, "hand"+x).Y, at(t, beast, "upper_arm"+x).Y)
			require.Less(t, at(t, beast, "toe"+x).Y, at(t, beast, "thigh"+x).Y)
			require.Greater(t, at(t, beast, "hand"+x).X, at(t, beast, "foot"+x).X, "fore legs in front")
		}
	}
	require.Greater(t, at(t, elephant, "hand_l").Y, at(t, elephant, "hand_r").Y+0.08, "the lifted foot")
	// Their sides do not lie along X: the remedy turns mesh and skeleton.
	_, x, c := begun(t, diplodocus)
	now, err := x.Store().Character(ctx, c.ID)
	require.NoError(t, err)
	head, err := x.Store().Revision(ctx, now.Head)
	require.NoError(t, err)
	turned := diplodocus
	for _, f := range findings(t, x, head, "placement") {
		if f.Code == "sides_turned" {
			turned = do(t, diplodocus, f.Remedies[0].Op, encoded(t, f.Remedies[0].Params))
		}
	}
	require.Greater(t, at(t, turned, "head").Z, at(t, turned, "hips").Z+0.3, "it looks along Z")
	require.Greater(t, at(t, turned, "hand_l").X, at(t, turned, "hand_r").X)
	inside(turned)
	require.Contains(t, strings.Join(elephant.Fit.Notes, " "), "laid along the trunk")
}

// A tip that is shown where it was found changes nothing; one shown elsewhere
// takes its limb along and leaves the others.
func TestShownTipsOfABeast(t *testing.T) {
	m, _ := demo.Sedge(0.02)
	s := studio.State{Mesh: m, Settings: studio.DefaultSettings()}
	s = do(t, s, "fit_starter", encoded(t, demo.OtterParams))
	show := func(name string, p []float64) studio.State {
		params := map[string]any{"shown": map[string][]float64{name: p}}
		raw, err := json.Marshal(demo.OtterParams)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(raw, &params))
		return do(t, s, "fit_starter", encoded(t, params))
	}
	same := show("tail", s.Fit.Tips["tail"])
	for _, j := range s.Skeleton.Joints {
		require.Less(t, r3.Norm(r3.Sub(at(t, same, j.Name), j.Pos)), 0.02, j.Name)
	}
	tail := vec(s.Fit.Tips["tail"])
	last := at(t, s, "tail_3")
	short := r3.Add(last, r3.Scale(0.4, r3.Sub(tail, last)))
	cut := show("tail", []float64{short.X, short.Y, short.Z})
	require.Less(t, r3.Norm(r3.Sub(vec(cut.Fit.Tips["tail"]), short)), 0.03)
	require.Greater(t, at(t, cut, "tail_end").Z, at(t, s, "tail_end").Z+0.02, "the tail ends where it was shown")
	for _, name := range []string{"hand_l", "foot_r", "head"} {
		require.Less(t, r3.Norm(r3.Sub(at(t, cut, name), at(t, s, name))), 0.02, name)
	}
}

// A production that marks sides in front of names gets them so from every fit, and
// refits by them.
func TestFitsFollowTheMarksOfTheProduction(t *testing.T) {
	m, _ := demo.Odile(0.02)
	s := studio.State{Mesh: m, Settings: studio.DefaultSettings()}
	plain := do(t, s, "fit_starter", `{"starter":"biped"}`)
	s = do(t, s, "name_sides", `{"left":"l_","right":"r_","before":true}`)
	fitted := do(t, s, "fit_starter", `{"starter":"biped"}`)
	require.Equal(t, at(t, plain, "hand_l"), at(t, fitted, "l_hand"))
	require.Less(t, fitted.Skeleton.Index("hand_l"), 0)
	hand := at(t, fitted, "l_hand")
	moved := do(t, fitted, "move_joint", encoded(t, map[string]any{"joint": "l_hand", "to": []float64{hand.X + 0.03, hand.Y, hand.Z}, "branch": false, "both": true}))
	require.InDelta(t, -0.03, at(t, moved, "r_hand").X-at(t, fitted, "r_hand").X, 1e-9, "the partner moves too")
	again := do(t, moved, "fit_starter", `{"starter":"biped","only":["l_hand","r_hand"]}`)
	require.InDelta(t, 0, r3.Norm(r3.Sub(hand, at(t, again, "l_hand"))), 1e-9)
	pinned := do(t, moved, "mark_joints", `{"joints":["l_hand"],"pinned":true}`)
	require.InDelta(t, 0, r3.Norm(r3.Sub(at(t, moved, "l_hand"), at(t, do(t, pinned, "fit_starter", `{"starter":"biped"}`), "l_hand"))), 1e-9)
	laid := do(t, fitted, "snap_starter", encoded(t, map[string]any{"starter": "biped", "names": map[string]string{"hips": "hips", "hand_l": "l_hand", "head": "head"}}))
	require.Equal(t, hand, at(t, laid, "l_hand"))
	require.GreaterOrEqual(t, laid.Skeleton.Index("r_hand"), 0)

	back := do(t, fitted, "name_sides", `{"left":"_l","right":"_r"}`)
	require.Equal(t, hand, at(t, back, "hand_l"))
	_, _, err := try(fitted, "name_sides", `{"left":"x","right":"x"}`)
	require.ErrorContains(t, err, "must differ")
	drawn := do(t, fitted, "draw_chain", `{"parent":"l_hand","places":[[0.5,1,0]]}`)
	require.GreaterOrEqual(t, drawn.Skeleton.Index("l_hand_branch"), 0)
}

// Where limbs begin, the middle plane and where the character looks are taken from
// a person who shows them.
func TestBeginningsPlaneAndFacingAreShown(t *testing.T) {
	m, _ := demo.Sedge(0.02)
	s := do(t, studio.State{Mesh: m, Settings: studio.DefaultSettings()}, "fit_starter", encoded(t, demo.OtterParams))
	again := func(s studio.State, more map[string]any) studio.State {
		raw, err := json.Marshal(s.Fit.Params)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(raw, &more))
		return do(t, s, "fit_starter", encoded(t, more))
	}
	shown := func(name string, p r3.Vec) map[string]any {
		return map[string]any{"shown": map[string][]float64{name: {p.X, p.Y, p.Z}}}
	}
	tail := r3.Scale(0.5, r3.Add(at(t, s, "tail_2"), at(t, s, "tail_3")))
	short := again(s, shown("begin tail", tail))
	require.Less(t, r3.Norm(r3.Sub(vec(short.Fit.Begin["tail"]), tail)), 0.03)
	require.Less(t, at(t, short, "tail_1").Z, at(t, s, "tail_1").Z-0.05)
	require.Equal(t, map[string][]float64{"begin tail": {tail.X, tail.Y, tail.Z}}, short.Fit.Shown, "kept for the next fit")
	leg := vec(s.Fit.Begin["leg_l"])
	leg.Y -= 0.05
	low := again(s, shown("begin leg_l", leg))
	require.InDelta(t, leg.Y, low.Fit.Begin["leg_l"][1], 0.012)
	require.InDelta(t, s.Fit.Begin["leg_r"][1], low.Fit.Begin["leg_r"][1], 1e-9, "the other leg is left alone")
	side := again(s, shown("middle plane", r3.Vec{X: 0.02, Y: 0.3}))
	require.InDelta(t, 0.02, side.Fit.Plane.X, 1e-9)
	require.InDelta(t, 0.02, at(t, side, "spine_2").X, 1e-9)
	back := again(s, map[string]any{"facing": "-z"})
	require.Equal(t, -1.0, math.Round(back.Fit.Facing.Z))
	require.Equal(t, "-z", back.Fit.Faced)
	require.InDelta(t, at(t, s, "foot_l").Z, at(t, back, "hand_r").Z, 0.1, "what was the left hind foot is the right fore foot")

	m, _ = demo.Odile(0.02)
	s = do(t, studio.State{Mesh: m, Settings: studio.DefaultSettings()}, "fit_starter", `{"starter":"biped"}`)
	require.Contains(t, s.Fit.Begin, "neck")
	require.Contains(t, s.Fit.Begin, "legs")
	neck := vec(s.Fit.Begin["neck"])
	neck.Y += 0.02
	require.InDelta(t, neck.Y, at(t, again(s, shown("begin neck", neck)), "neck").Y, 1e-9)
	crown := at(t, s, "head_end")
	crown.Y -= 0.07 // below the hat
	require.InDelta(t, crown.Y, at(t, again(s, shown("head", crown)), "head_end").Y, 1e-9)
	arm := r3.Scale(0.5, r3.Add(at(t, s, "forearm_l"), at(t, s, "upper_arm_l")))
	require.Less(t, r3.Norm(r3.Sub(arm, vec(again(s, shown("begin arm_l", arm)).Fit.Begin["arm_l"]))), 0.03)
	_, _, err := try(s, "fit_starter", `{"starter":"biped","facing":"up"}`)
	require.ErrorContains(t, err, "+x, -x, +z or -z")
}

// A body that lies is fitted as it lies, and told.
func TestABodyThatLiesIsTold(t *testing.T) {
	m, _ := demo.Odile(0.02)
	s := studio.State{Mesh: m.Bake(mesh.Placement{Scale: 1, Up: "-z"}), Settings: studio.DefaultSettings()} // now its Z is up
	out, told, err := try(s, "fit_starter", `{"starter":"biped"}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "seems to lie")
	require.Contains(t, strings.Join(out.Fit.Notes, " "), "stand it up at the intake")
	out, told, err = try(studio.State{Mesh: m, Settings: studio.DefaultSettings()}, "fit_starter", `{"starter":"biped"}`)
	require.NoError(t, err)
	require.NotContains(t, told.Sentence, "lie")
	require.Empty(t, out.Fit.Notes)
}
