package shapes_test

import (
	"context"
	"encoding/json"
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/motion"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
)

// turned is a pose of joints by degrees about named axes, and its turns as an operation takes them.
func turned(s studio.State, by map[string]map[string]float64) (pose.Pose, studio.Turns) {
	p, turns := pose.Pose{}, studio.Turns{}
	for _, t := range s.Skeleton.Trials(s.Settings.Marks) {
		name := s.Skeleton.Joints[t.Joint].Name
		if degrees := by[name][t.Name]; degrees != 0 {
			q, ok := p[name]
			if !ok {
				q = quat.Number{Real: 1}
			}
			p[name] = quat.Mul(pose.AboutWorld(s.Skeleton, t, degrees), q)
		}
	}
	for name, q := range p {
		turns[name] = [4]float64{q.Imag, q.Jmag, q.Kmag, q.Real}
	}
	return p, turns
}

func asked(t *testing.T, what map[string]any) string {
	raw, err := json.Marshal(what)
	require.NoError(t, err)
	return string(raw)
}

// A pose of several joints gets a corrective of its own: on in that pose, off at rest and with either joint alone far from it,
// measured better, and mirrored with its pose.
func TestACorrectiveForAPoseOfSeveralJoints(t *testing.T) {
	s := studiotest.Bound(t)
	p, turns := turned(s, map[string]map[string]float64{"thigh_l": {"bend": -100}, "shank_l": {"bend": 110}})
	if len(p) < 2 {
		p, turns = turned(s, map[string]map[string]float64{"thigh_l": {"bend": 100}, "shank_l": {"bend": 110}})
	}
	require.Len(t, p, 2)
	out, told, err := studiotest.Try(s, "correct_pose", asked(t, map[string]any{"turns": turns, "name": "crouch_l"}))
	require.NoError(t, err)
	require.Contains(t, told.Sentence, "Added crouch_l")
	values := func(s studio.State, p pose.Pose) []float64 {
		return s.Rig().For(s.Skeleton, s.Settings.Marks).Values(p)
	}
	require.InDelta(t, 1, values(out, p)[0], 1e-9)
	require.Equal(t, []float64{0}, values(out, nil))
	alone := values(out, pose.Pose{"shank_l": p["shank_l"]})[0]
	require.Less(t, alone, 0.6)
	require.Equal(t, "a pose of shank_l, thigh_l", out.Rig().Targets[0].By())

	both := studiotest.Do(t, out, "mirror_targets", `{"targets":["crouch_l"]}`)
	require.InDelta(t, 1, values(both, p.Mirrored(s.Skeleton, skeleton.DefaultMarks))[1], 1e-6)

	// The same pose twice has no answer.
	_, _, err = studiotest.Try(out, "correct_pose", asked(t, map[string]any{"turns": turns}))
	require.Error(t, err)
	g := grown(t)
	free := studiotest.Do(t, g, "drive_by_pose", asked(t, map[string]any{"target": "lifted_l", "turns": turns}))
	require.InDelta(t, 1, values(free, p)[0], 1e-9)
	freed := studiotest.Do(t, free, "free_targets", `{"targets":["lifted_l"]}`)
	require.True(t, freed.Rig().Targets[0].ByHand())
	for _, bad := range []map[string]any{
		{"target": "lifted_l", "turns": map[string]any{}},
		{"target": "lifted_l", "turns": map[string]any{"hand_l": []float64{0, 0, 0, 1}}},
		{"target": "lifted_l", "turns": map[string]any{"tail": []float64{1, 0, 0, 0}}},
		{"target": "lifted_l", "turns": map[string]any{"hand_l": []float64{0, 0, 0, 0}}},
		{"target": "none", "turns": turns},
		{"target": "lifted_l", "turns": turns, "reach": -4},
	} {
		_, _, err := studiotest.Try(g, "drive_by_pose", asked(t, bad))
		require.Error(t, err, bad)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	entry, op, err := studio.ParseOperation("correct_pose", json.RawMessage(asked(t, map[string]any{"turns": turns})))
	require.NoError(t, err)
	_, _, err = studio.Apply(ctx, entry, op, s, nil)
	require.Error(t, err)
}

// Every spot of the motion check that a shape can mend offers a corrective; each is taken, or says that it does not measure
// better. Spots of weights offer none, and neither does a sheet of former weights.
func TestSpotsOfferCorrectives(t *testing.T) {
	s := studiotest.Do(t, studiotest.Bound(t), "check_motion", `{"steps":2}`)
	offered, added := 0, 0
	seen := map[string]bool{}
	for _, p := range motion.Places(&s) {
		var m *finding.Remedy
		for i := range p.Remedies {
			if p.Remedies[i].Label == "Compute a corrective" {
				m = &p.Remedies[i]
			}
		}
		if m == nil {
			require.Contains(t, []string{deform.FaultSpill, deform.FaultRigid, deform.FaultThrough}, p.Kind)
			continue
		}
		offered++
		key := m.Op + string(m.Params)
		if seen[key] || len(seen) > 4 {
			continue
		}
		seen[key] = true
		next, told, err := studiotest.Try(s, m.Op, string(m.Params))
		if err != nil {
			require.ErrorIs(t, err, studio.ErrNothing, p.Pose)
			continue
		}
		if len(next.Mesh.Shapes) > 0 {
			added++
			require.Contains(t, told.Sentence, "Added")
		}
	}
	require.Positive(t, offered)
	require.Positive(t, added)
	old := studiotest.Do(t, s, "set_blending", `{"mix":1}`)
	for _, p := range motion.Places(&old) {
		for _, m := range p.Remedies {
			require.NotEqual(t, "Compute a corrective", m.Label)
		}
	}
}
