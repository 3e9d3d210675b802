package skeleton_test

import (
	"encoding/json"
	"strings"
	"testing"

	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func TestAnOwnStarterKnowsTheKindsJoints(t *testing.T) {
	like := skeleton.Kinds[0].Default
	s, err := like.Build()
	require.NoError(t, err)
	s.Joints[0].Pinned, s.Joints[0].Reason = true, "set by hand"
	s, names, err := s.AddChain(s.Index("head"), "plume", []r3.Vec{{Y: 1.8}, {Y: 1.9}}, true, skeleton.DefaultMarks)
	require.NoError(t, err)
	require.Len(t, names, 2)
	o, err := skeleton.NewOwn(" Plumed ", like, s, nil)
	require.NoError(t, err)
	require.Equal(t, "Plumed", o.Name)
	require.Empty(t, o.Names)
	require.False(t, o.Skeleton.Joints[0].Pinned, "what was said of the joints of one character is not kept")
	require.InDelta(t, 0, lowest(o.Standing()), 1e-12)

	// Stored and read again it is the same.
	data, err := json.Marshal(o)
	require.NoError(t, err)
	var again skeleton.Own
	require.NoError(t, json.Unmarshal(data, &again))
	require.Equal(t, o.Skeleton, again.Skeleton)
	require.Equal(t, o.Like, again.Like)

	// Under the names of VRM it is still known.
	vrm, err := skeleton.FindNameMap("vrm")
	require.NoError(t, err)
	there := map[string]string{}
	for ours, theirs := range vrm.Joints {
		if s.Index(ours) >= 0 {
			there[ours] = theirs
		}
	}
	renamed, err := s.RenameMany(there)
	require.NoError(t, err)
	o, err = skeleton.NewOwn("Plumed", like, renamed, skeleton.NameMaps)
	require.NoError(t, err)
	require.Equal(t, "leftUpperArm", o.NameOf("upper_arm_l"))
	require.Equal(t, "upper_arm_l", o.Kind()["leftUpperArm"])
}

func TestStartersThatCannotBeFittedAreRefused(t *testing.T) {
	like := skeleton.Kinds[0].Default
	chain, err := skeleton.Params{Starter: "chain", Height: 1, Count: 4}.Build()
	require.NoError(t, err)
	_, err = skeleton.NewOwn("Rope", like, chain, skeleton.NameMaps)
	require.ErrorContains(t, err, "too few joints")
	whole, err := like.Build()
	require.NoError(t, err)
	_, err = skeleton.NewOwn("", like, whole, nil)
	require.ErrorContains(t, err, "a name of 1 to 63")
	_, err = skeleton.NewOwn(strings.Repeat("x", 64), like, whole, nil)
	require.Error(t, err)
	_, err = skeleton.NewOwn("x", skeleton.Params{Starter: "centaur"}, whole, nil)
	require.ErrorContains(t, err, "centaur")
	require.ErrorContains(t, (&skeleton.Own{Name: "x", Like: like}).Check(), "at most")
}

func lowest(s *skeleton.Skeleton) float64 {
	low := s.Joints[0].Pos.Y
	for _, j := range s.Joints {
		low = min(low, j.Pos.Y)
	}
	return low
}
