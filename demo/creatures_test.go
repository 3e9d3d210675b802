package demo

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"wisemarrow/core/fit"
	"wisemarrow/core/skeleton"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// Beings that no starter is like: every limb is found to its tip, none is named for the wrong side, and no reading is
// worse than the table of bench/ has it. Every other plan; bench/ reads all, and other seeds.
func TestCreaturesAreReadFromTheirShape(t *testing.T) {
	need.Time(t)
	table, err := ReadFits("../bench/tables/fits.csv")
	require.NoError(t, err)
	sure, near := 0, 0
	for i, c := range Creatures(1, 13) {
		if i%2 == 0 && i != 8 && i != 10 && i != 12 { // every other, the crab, the hand, and the table
			continue
		}
		m, truth := c.Make()
		require.NoError(t, m.Validate(), c.Name)
		s, _, err := fit.Fit(context.Background(), m, fit.Options{Params: CreatureParams}, nil)
		require.NoError(t, err, c.Name)
		require.NoError(t, s.Validate(), c.Name)
		r := Compare(m, s, truth)
		t.Logf("%-40s %d of %d limbs, mean %.1f %%, worst %.1f %% %v", c.Name, r.Found, r.Limbs, 100*r.Mean, 100*r.Worst, r.Wrong)
		require.True(t, table.Has(c.Name), c.Name)
		require.Empty(t, table.Worse(c.Name, r.Mean, r.Worst), c.Name)
		require.Equal(t, r.Limbs, r.Tips, "%s: every limb is there to its tip", c.Name)
		for _, w := range r.Wrong {
			require.NotContains(t, w, "is named", c.Name)
		}
		for _, j := range s.Joints {
			if j.Parent >= 0 {
				require.NotContains(t, s.Joints[j.Parent].Name, "_end", "%s: %s goes on from an end", c.Name, j.Name)
			}
		}
		sure, near = sure+r.Sure, near+r.SureNear
	}
	require.Greater(t, sure, 80)
	require.GreaterOrEqual(t, float64(near), 0.95*float64(sure), "%d sure, %d of them near", sure, near)
}

// The prompter of the troupe: both of a pair are each other's mirror image, the arms that carry are legs, and the dial
// gives as many joints as it says or one less, where one more would have a side only.
func TestThePromptersShapeIsReadWithADial(t *testing.T) {
	m, limbs := samphire(0.0155)
	s, report, err := fit.Fit(context.Background(), m, fit.Options{Params: CreatureParams}, nil)
	require.NoError(t, err)
	require.True(t, Compare(m, s, limbs).Good(), "%v", Compare(m, s, limbs).Wrong)
	for _, name := range []string{"arm_1_l", "leg_a_1_l", "leg_b_1_l", "arm_end_l", "leg_b_end_l", "head_end"} {
		require.GreaterOrEqual(t, s.Index(name), 0, name)
	}
	for _, j := range s.Joints {
		if stem, ok := strings.CutSuffix(j.Name, "_l"); ok {
			other := s.Joints[s.Index(stem+"_r")]
			require.Less(t, r3.Norm(r3.Sub(skeleton.Mirrored(j.Pos, report.Plane.X), other.Pos)), 0.02, j.Name)
		}
	}
	shape := report.Shape
	last := 0
	for n := shape.Least(); n <= shape.Most(); n += 3 {
		list, err := shape.Joints(n, nil)
		require.NoError(t, err)
		require.LessOrEqual(t, len(list), n)
		require.GreaterOrEqual(t, len(list), min(n-1, last), "no joint is lost by turning the dial up")
		last = len(list)
		seen := map[string]bool{}
		for i, j := range list {
			require.False(t, seen[j.Name], j.Name)
			seen[j.Name] = true
			require.Less(t, j.Parent, i)
		}
	}
	require.Greater(t, last, len(s.Joints))
}

// A starter that was made of a creature fits the next one of its kind, of other proportions, by its own plan: the same
// joints, each limb with as many as in the plan.
func TestAShapeThatWasKeptFitsTheNextOfItsKind(t *testing.T) {
	need.Time(t)
	list := Creatures(2, 16)
	first, next := list[1], list[14] // both have eight legs
	require.Equal(t, first.Plan, next.Plan)
	m, _ := first.Make()
	plan := CreatureParams
	plan.Joints = 60
	s, _, err := fit.Fit(context.Background(), m, fit.Options{Params: plan}, nil)
	require.NoError(t, err)
	own, err := skeleton.NewOwn("marsh spider", plan, s, nil)
	require.NoError(t, err)
	m, truth := next.Make()
	fitted, _, err := fit.Fit(context.Background(), m, fit.Options{Params: plan, Own: own}, nil)
	require.NoError(t, err)
	require.Len(t, fitted.Joints, len(s.Joints))
	for i, j := range fitted.Joints {
		require.Equal(t, s.Joints[i].Name, j.Name)
	}
	r := Compare(m, fitted, truth)
	require.Less(t, r.Mean, 0.03, fmt.Sprint(r.Wrong))
}
