package shapes_test

import (
	"encoding/json"
	"math"
	"slices"
	"testing"

	"wisemarrow/browser"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/sculpt"
	"wisemarrow/core/shape"
	"wisemarrow/core/weights"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/shapes"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// bent is a pose as operations and pages name it: the left elbow by 70° and the shoulder by 40°.
func bent() studio.Turns {
	return studio.TurnsOf(pose.Pose{"forearm_l": pose.Turn(0, 0, 70), "upper_arm_l": pose.Turn(10, 40, 0)})
}

func touchNear(s studio.State, x, y float64) sculpt.Touch {
	tris, _ := s.Mesh.Triangles()
	best, at := math.Inf(1), 0
	for i, tri := range tris {
		p := s.Mesh.Points[tri[0]]
		if d := math.Hypot(p.X-x, p.Y-y); d < best {
			best, at = d, i
		}
	}
	return sculpt.Touch{Touch: weights.Touch{Tri: int32(at), B: 0.3, C: 0.3, Pressure: 1}}
}

// What a page sculpts and what the server stores of the same strokes are the same bytes, with every brush, at rest and in a
// pose in which other targets are on, on both sides, for chosen and hidden vertices.
func TestThePageAndTheServerSculptTheSame(t *testing.T) {
	s := grown(t)
	s = studiotest.Do(t, s, "set_target", `{"target":"lifted_l","value":0.7}`)
	s = studiotest.Do(t, s, "hide_vertices", `{"vertices":"0-40"}`)
	s = studiotest.Do(t, s, "new_target", `{"name":"bump"}`)
	a, b := touchNear(s, 0.3, 1.3), touchNear(s, 0.35, 1.3)
	b.Pressure, b.Wide = 0.6, 1.3
	a.Move, b.Move = [3]float64{0.01, 0.03, 0.02}, [3]float64{0.01, 0.03, 0.02}
	for _, mode := range sculpt.Modes {
		for n, tip := range []weights.Tip{{}, {Both: true}, {Builds: true, Through: true}, {Both: true, Builds: true, Facing: true}} {
			o := shapes.Sculpt{
				There:   shapes.There{Target: "bump", Held: map[string]float64{"bump": 1}},
				Brush:   sculpt.Brush{Mode: mode, Strength: 0.8, Tip: tip, Other: "lifted_l", Normal: n == 1},
				Strokes: [][]sculpt.Touch{{a, b}, {b}},
			}
			if n%2 > 0 {
				o.Turns = bent()
			}
			if mode == sculpt.Relax || mode == sculpt.Even || mode == sculpt.Erase {
				o.Target, o.Held = "lifted_l", nil
			}
			o.Radius, o.Hard = 0.12, 0.3
			if mode == sculpt.Inflate {
				var odd []int32
				for v := range s.Mesh.Points {
					if v%3 > 0 {
						odd = append(odd, int32(v))
					}
				}
				o.Vertices = weights.Ranges(odd)
			}
			params, err := json.Marshal(o)
			require.NoError(t, err)
			stored, told, err := studiotest.Try(s, "sculpt_target", string(params))
			require.NoError(t, err, "%s %d", mode, n)
			require.Contains(t, told.Sentence, o.Target)

			d := studiotest.Desk(t, s)
			brush, _ := json.Marshal(o.Brush)
			there, _ := json.Marshal(browser.There{Target: o.Target, Turns: o.Turns, Held: o.Held})
			var chosen []uint32
			list, _ := s.VerticesOf(o.Vertices)
			for _, v := range list {
				chosen = append(chosen, uint32(v))
			}
			for _, list := range o.Strokes {
				require.NoError(t, d.BeginSculpting(string(brush), string(there), chosen))
				for _, x := range list { // as they come
					one, _ := json.Marshal([]sculpt.Touch{x})
					_, err := d.Touch(string(one))
					require.NoError(t, err)
				}
				d.End(false)
			}
			page, err := d.Target()
			require.NoError(t, err)
			k := slices.IndexFunc(stored.Mesh.Shapes, func(x mesh.Shape) bool { return x.Name == o.Target })
			require.NotEmpty(t, page.Vertex)
			require.Equal(t, stored.Mesh.WorldShapes()[k], page, "%s %d", mode, n)
			for _, v := range page.Vertex {
				require.True(t, v > 40 || o.Target != "bump", "hidden")
			}
			if n > 0 {
				continue
			}
			text, err := d.Sculpted(string(there))
			require.NoError(t, err)
			var m sculpt.Measures
			require.NoError(t, json.Unmarshal([]byte(text), &m))
			require.Equal(t, len(page.Vertex), m.Vertices)
		}
	}
}

// A corrective made here: an empty target that the pose brings on, by the joint that bends, or near a pose of several; what is
// sculpted there is there when the pose is, and not at rest.
func TestACorrectiveMadeHere(t *testing.T) {
	s := studiotest.Bound(t)
	p, bend := turned(s, map[string]map[string]float64{"forearm_l": {"bend": 70}})
	turns, _ := json.Marshal(bend)
	s, told, err := studiotest.Try(s, "new_target", `{"turns":`+string(turns)+`}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "forearm_pose_l")
	d := s.Shapes.Targets[0].Driver
	require.NotNil(t, d)
	require.Equal(t, "bend", d.Axis)
	require.InDelta(t, 70, d.Knots[0].Degrees, 0.01)
	q := bend["forearm_l"]
	other, _ := json.Marshal(studio.Turns{"forearm_l": {-q[0], -q[1], -q[2], -q[3]}}) // the same turn
	same := studiotest.Do(t, studiotest.Bound(t), "new_target", `{"turns":`+string(other)+`}`)
	require.Equal(t, d, same.Shapes.Targets[0].Driver)
	_, aside := turned(s, map[string]map[string]float64{"forearm_l": {"bend": 40, "twist": 40}})
	both, _ := json.Marshal(aside)
	two := studiotest.Do(t, studiotest.Bound(t), "new_target", `{"turns":`+string(both)+`}`)
	require.Nil(t, two.Shapes.Targets[0].Driver, "a turn about no one axis")
	require.NotNil(t, two.Shapes.Targets[0].Near)
	skin, err := s.Skin()
	require.NoError(t, err)
	before := skin.Places(p)
	rest := skin.Places(nil)
	x := touchNear(s, 0.4, 1.3)
	x.Move = [3]float64{0, 0.02, 0.01}
	params, _ := json.Marshal(shapes.Sculpt{
		There:   shapes.There{Target: "forearm_pose_l", Turns: bend},
		Brush:   sculpt.Brush{Mode: sculpt.Grab, Strength: 1, Tip: weights.Tip{Radius: 0.1, Hard: 0.5}},
		Strokes: [][]sculpt.Touch{{x}},
	})
	s = studiotest.Do(t, s, "sculpt_target", string(params))
	skin, err = s.Skin()
	require.NoError(t, err)
	most := 0.0
	for v, at := range skin.Places(p) {
		most = max(most, r3.Norm(r3.Sub(at, before[v])))
	}
	require.InDelta(t, r3.Norm(r3.Vec{Y: 0.02, Z: 0.01}), most, 1e-5)
	require.Equal(t, rest, skin.Places(nil))

	joints, _ := json.Marshal(bent())
	s = studiotest.Do(t, s, "new_target", `{"name":"both","turns":`+string(joints)+`}`)
	require.NotNil(t, s.Shapes.Targets[1].Near)
	_, _, err = studiotest.Try(s, "new_target", `{"name":"again","turns":`+string(joints)+`}`)
	require.ErrorContains(t, err, "another shape target is on in the same pose")
}

// Vertices go by a typed length, and what is refused says why.
func TestMovingVerticesOfATarget(t *testing.T) {
	s := studiotest.Do(t, studiotest.Bound(t), "new_target", `{}`)
	require.Equal(t, "target", s.Mesh.Shapes[0].Name)
	s, told, err := studiotest.Try(s, "move_vertices", `{"target":"target","held":{"target":1},"vertices":"100-102","move":[0,0.01,0]}`)
	require.NoError(t, err)
	require.Equal(t, "Moved vertices of target: 3 vertices changed, 10.0 mm at most, was 0 mm", told.Sentence)
	require.Len(t, s.Mesh.Shapes[0].Vertex, 3)
	soft := studiotest.Do(t, s, "move_vertices", `{"target":"target","held":{"target":1},"vertices":"100","move":[0,0.01,0],"soft":0.1}`)
	size, v := shape.Largest(soft.Mesh.Shapes[0])
	require.InDelta(t, 0.02, size, 1e-6)
	require.Equal(t, int32(100), v)
	require.Greater(t, len(soft.Mesh.Shapes[0].Vertex), 3)
	locked := studiotest.Do(t, s, "lock_targets", `{"targets":["target"],"locked":true}`)
	for _, x := range []struct {
		s          studio.State
		op, params string
		says       string
	}{
		{s, "move_vertices", `{"target":"target","vertices":"1","move":[0,1,0]}`, "not on in this pose"},
		{s, "move_vertices", `{"target":"target","held":{"target":1},"move":[0,1,0]}`, "select the vertices"},
		{s, "move_vertices", `{"target":"target","held":{"target":1},"vertices":"1","move":[0,0,0]}`, "changed nothing"},
		{locked, "move_vertices", `{"target":"target","held":{"target":1},"vertices":"1","move":[0,1,0]}`, "locked"},
		{s, "sculpt_target", `{"target":"target","mode":"grab","strength":1,"radius":0.1}`, "1 to 64 strokes"},
		{s, "sculpt_target", `{"target":"nobody","mode":"grab","radius":0.1,"strokes":[[{"t":1,"p":1}]]}`, "no shape target"},
		{s, "sculpt_target", `{"target":"target","held":{"target":1},"mode":"wish","radius":0.1,"strokes":[[{"t":1,"p":1}]]}`, "wish"},
		{s, "sculpt_target", `{"target":"target","held":{"target":1},"turns":{"nobody":[0,0,0,1]},"mode":"grab","radius":0.1,"strokes":[[{"t":1,"p":1}]]}`, "nobody"},
		{s, "sculpt_target", `{"target":"target","held":{"target":1},"mode":"grab","radius":0.1,"strokes":[[{"t":99999999,"p":1}]]}`, "triangle"},
		{s, "new_target", `{"name":"target"}`, "already"},
		{s, "new_target", `{"turns":{"forearm_l":[0,0,0,1]}}`, "no joint is turned"},
	} {
		_, _, err := studiotest.Try(x.s, x.op, x.params)
		require.ErrorContains(t, err, x.says, x.params)
	}
}

// What is shown as a target of its own does alone what all did together, in that pose; a copy does what the first does; values kept
// under a name forget a target that is removed.
func TestTargetsOfWhatIsShownAndCopies(t *testing.T) {
	s := grown(t)
	s = studiotest.Do(t, s, "new_target", `{"name":"bump"}`)
	s = studiotest.Do(t, s, "move_vertices", `{"target":"bump","held":{"bump":1},"vertices":"50-90","move":[0,0.01,0.02],"soft":0.05}`)
	s = studiotest.Do(t, s, "set_target", `{"target":"bump","value":0.5}`)
	s = studiotest.Do(t, s, "set_target", `{"target":"lifted_l","value":0.25}`)
	s = studiotest.Do(t, s, "keep_values", `{"name":"both"}`)
	together := places(t, s, pose.Pose{})
	s, told, err := studiotest.Try(s, "target_of_shown", `{}`)
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "0.25 × lifted_l, 0.50 × bump as shown")
	s = studiotest.Do(t, s, "reset_targets", `{}`)
	s = studiotest.Do(t, s, "set_target", `{"target":"shown","value":1}`)
	for v, at := range places(t, s, pose.Pose{}) {
		require.InDelta(t, 0, r3.Norm(r3.Sub(at, together[v])), 1e-9)
	}
	s = studiotest.Do(t, s, "duplicate_target", `{"target":"bump"}`)
	last := s.Mesh.Shapes[len(s.Mesh.Shapes)-1]
	require.Equal(t, "bump_2", last.Name)
	require.Equal(t, s.Mesh.Shapes[1].Offset, last.Offset)
	_, _, err = studiotest.Try(s, "duplicate_target", `{"target":"bump","name":"bump_2"}`)
	require.ErrorContains(t, err, "already")
	s = studiotest.Do(t, s, "reset_targets", `{}`)
	_, _, err = studiotest.Try(s, "target_of_shown", `{}`)
	require.ErrorContains(t, err, "no shape target is on")
	held := studiotest.Do(t, s, "target_of_shown", `{"name":"held","held":{"bump":1}}`)
	require.Equal(t, s.Mesh.Shapes[1].Offset, held.Mesh.Shapes[len(held.Mesh.Shapes)-1].Offset)
	require.Contains(t, s.Shapes.Sets[0].Values, "bump")
	before := s.Shapes.Sets[0].Values
	gone := studiotest.Do(t, s, "remove_targets", `{"targets":["bump"]}`)
	require.NotContains(t, gone.Shapes.Sets[0].Values, "bump")
	require.Contains(t, gone.Shapes.Sets[0].Values, "lifted_l")
	require.Contains(t, before, "bump", "the state before keeps its own")
}
