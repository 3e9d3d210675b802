package housestyle_test

import (
	"math"
	"testing"

	"wisemarrow/core/fit"
	"wisemarrow/core/geom"
	"wisemarrow/core/housestyle"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

// fitted is a biped as a fit left it: so tall, its limbs so thick, turned about the vertical, an arm swung.
func fitted(t *testing.T, height, thick, turn, swing float64) (*fit.Report, *skeleton.Skeleton) {
	t.Helper()
	p := skeleton.Kinds[0].Default
	p.Height = height
	s, err := p.Build()
	require.NoError(t, err)
	q := geom.AxisAngle(r3.Vec{Y: 1}, turn)
	s = s.Swing(s.Index("upper_arm_l"), geom.AxisAngle(r3.Vec{Z: 1}, swing)).
		Swing(s.Index("upper_arm_r"), geom.AxisAngle(r3.Vec{Z: 1}, -swing))
	r := &fit.Report{
		Starter: p.Starter,
		Params:  p,
		Height:  height,
		Left:    geom.Rotate(q, r3.Vec{X: 1}),
		Facing:  geom.Rotate(q, r3.Vec{Z: 1}),
		Fitted:  map[string]fit.Fitted{},
	}
	for i := range s.Joints {
		j := &s.Joints[i]
		j.Pos = geom.Rotate(q, j.Pos)
		r.Fitted[j.Name] = fit.Fitted{Kind: j.Name, Thickness: thick}
	}
	return r, s
}

// moved moves joints by so much and remembers it.
func moved(t *testing.T, r *fit.Report, s *skeleton.Skeleton, by map[string]r3.Vec) (*fit.Report, *skeleton.Skeleton) {
	t.Helper()
	to := map[int]r3.Vec{}
	for name, d := range by {
		i, err := s.Find(name)
		require.NoError(t, err)
		to[i] = r3.Add(s.Joints[i].Pos, d)
	}
	after, err := s.MoveAll(to)
	require.NoError(t, err)
	return housestyle.Corrected(r, s, after, func(i int) bool { _, is := to[i]; return is }), after
}

func near(t *testing.T, want, have r3.Vec, within float64) {
	t.Helper()
	require.InDelta(t, 0, r3.Norm(r3.Sub(want, have)), within, "%v, not %v", have, want)
}

// A correction made on characters of other size, build, facing and pose is the same one: on the next, the joint stands
// the same share of its limb's thickness to the same side of it.
func TestACorrectionGoesAlongWithItsLimb(t *testing.T) {
	var fits []*fit.Report
	for _, c := range []struct{ height, thick, turn, swing float64 }{{1.7, 0.05, 0, 0}, {0.9, 0.06, 1, 0.4}, {2.4, 0.04, -2.5, -0.6}} {
		r, s := fitted(t, c.height, c.thick, c.turn, c.swing)
		body := geom.AxisAngle(r3.Vec{Y: 1}, c.turn)
		forearm := func(side float64) r3.Vec { // a quarter of the thickness along the upper arm's own up
			return geom.Rotate(quat.Mul(body, geom.AxisAngle(r3.Vec{Z: 1}, side*c.swing)), r3.Vec{Y: 0.25 * c.thick})
		}
		r, _ = moved(t, r, s, map[string]r3.Vec{
			"shank_l": geom.Rotate(
				body,
				r3.Vec{X: 0.1 * c.thick, Z: 0.3 * c.thick},
			), "shank_r": geom.Rotate(body, r3.Vec{X: -0.1 * c.thick, Z: 0.3 * c.thick}),
			"forearm_l": forearm(1), "forearm_r": forearm(-1),
		})
		require.True(t, r.Fitted["shank_l"].ByHand)
		require.False(t, r.Fitted["foot_l"].ByHand)
		fits = append(fits, r)
	}
	style := housestyle.Learn(fits)
	require.NoError(t, style.Check())
	require.Len(t, style.Habits, 2)
	for _, h := range style.Habits {
		require.Equal(t, 3, h.Count, h.Joint)
		require.Equal(t, 3, h.Of, h.Joint)
		require.InDelta(t, 0, h.After, 1e-6, h.Joint)
	}
	r, s := fitted(t, 1.2, 0.1, 0.7, 0.5)
	places := style.Places(r, s)
	require.Len(t, places, 4)
	body := geom.AxisAngle(r3.Vec{Y: 1}, 0.7)
	for _, p := range places {
		by := r3.Sub(p.To, s.Joints[s.Index(p.Joint)].Pos)
		switch p.Joint {
		case "shank_l":
			near(t, geom.Rotate(body, r3.Vec{X: 0.01, Z: 0.03}), by, 1e-3)
			require.InDelta(t, 0.1*math.Hypot(0.1, 0.3), p.Before, 1e-3)
			require.InDelta(t, 0, p.After, 1e-6)
		case "shank_r":
			near(t, geom.Rotate(body, r3.Vec{X: -0.01, Z: 0.03}), by, 1e-3)
		case "forearm_l":
			near(t, geom.Rotate(quat.Mul(body, geom.AxisAngle(r3.Vec{Z: 1}, 0.5)), r3.Vec{Y: 0.025}), by, 1e-3)
		}
	}
}

// What was corrected once, what is corrected to either side, and what most characters did not need, is no habit.
func TestAHabitHelpsOnCharactersThatItWasNotLearnedFrom(t *testing.T) {
	forward, other := map[string]r3.Vec{"shank_l": {Z: 0.02}, "shank_r": {Z: 0.02}}, map[string]r3.Vec{"hand_l": {Y: 0.01}}
	back := map[string]r3.Vec{"shank_l": {Z: -0.02}}
	for _, c := range []struct {
		name  string
		all   []map[string]r3.Vec
		habit bool
	}{
		{"once", []map[string]r3.Vec{forward}, false},
		{"twice alike", []map[string]r3.Vec{forward, forward}, false},
		{"three times alike", []map[string]r3.Vec{forward, forward, forward}, true},
		{"to either side", []map[string]r3.Vec{forward, back, forward, back, forward, back}, false},
		{"where most needed none", []map[string]r3.Vec{forward, forward, forward, other, other, other, other}, false},
		{"where one of four needed none", []map[string]r3.Vec{forward, forward, forward, other}, true},
		{"nobody looked at the rest", []map[string]r3.Vec{forward, forward, forward, {}, {}, {}}, true},
		{"by less than is seen", []map[string]r3.Vec{{"shank_l": {Z: 0.001}}, {"shank_l": {Z: 0.001}}, {"shank_l": {Z: 0.001}}}, false},
	} {
		var fits []*fit.Report
		for _, by := range c.all {
			r, s := fitted(t, 1.7, 0.05, 0, 0)
			r, _ = moved(t, r, s, by)
			fits = append(fits, r)
		}
		has := false
		for _, h := range housestyle.Learn(fits).Habits {
			has = has || h.Joint == "shank"
			require.LessOrEqual(t, h.After, 0.9*h.Before, c.name)
		}
		require.Equal(t, c.habit, has, c.name)
	}
}

// A joint that a person has placed, pinned or locked stays; one that is brought back is where the fit had it.
func TestTheHouseStyleLeavesWhatAPersonPlaced(t *testing.T) {
	style := housestyle.Style{Habits: []housestyle.Habit{{Starter: "biped", Joint: "shank", Offset: r3.Vec{Z: 0.4}, Count: 2, Of: 2}}}
	r, s := fitted(t, 1.7, 0.05, 0, 0)
	require.Len(t, style.Places(r, s), 2)
	r2, s2 := moved(t, r, s, map[string]r3.Vec{"shank_l": {Y: 0.01}})
	require.Len(t, style.Places(r2, s2), 1)
	s.Joints[s.Index("shank_r")].Pinned = true
	require.Len(t, style.Places(r, s), 1)
	s.Joints[s.Index("shank_l")].Locked = true
	require.Empty(t, style.Places(r, s))
	r3back, _ := moved(t, r2, s2, map[string]r3.Vec{"shank_l": {Y: -0.01}})
	near(t, r3.Vec{}, r3back.Fitted["shank_l"].Moved, 1e-3)
	r.Starter = "quadruped"
	require.Empty(t, style.Places(r, s))
	r.Starter, r.Left = "biped", r3.Vec{}
	require.Empty(t, style.Places(r, s))
}

func TestAHostileStyleIsRefused(t *testing.T) {
	ok := housestyle.Habit{Starter: "biped", Joint: "shank", Count: 2, Of: 3}
	require.NoError(t, housestyle.Style{Habits: []housestyle.Habit{ok}}.Check())
	for name, spoil := range map[string]func(h *housestyle.Habit){
		"no joint": func(h *housestyle.Habit) { h.Joint = "" },
		"NaN":      func(h *housestyle.Habit) { h.Offset.Y = math.NaN() },
		"far":      func(h *housestyle.Habit) { h.Offset.Y = 1e9 },
		"count":    func(h *housestyle.Habit) { h.Count = 4 },
		"before":   func(h *housestyle.Habit) { h.Before = math.NaN() },
	} {
		h := ok
		spoil(&h)
		require.Error(t, housestyle.Style{Habits: []housestyle.Habit{h}}.Check(), name)
	}
	require.Error(t, housestyle.Style{Habits: make([]housestyle.Habit, 1001)}.Check())
}
