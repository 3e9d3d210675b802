package skeleton_test

import (
	"fmt"
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
	"pgregory.net/rapid"
)

// Joints of another size and place, most under names that say nothing, are paired
// by place once a few are known by name; no left joint with a right one, and none
// above its parent's pair.
func TestJointsArePairedByPlaceWhateverTheScale(t *testing.T) {
	ours := skeleton.Biped(1.7)
	rapid.Check(t, func(t *rapid.T) {
		scale := rapid.Float64Range(0.02, 50).Draw(t, "scale")
		move := r3.Vec{
			X: rapid.Float64Range(-5, 5).Draw(t, "x"),
			Y: rapid.Float64Range(-5, 5).Draw(t, "y"),
			Z: rapid.Float64Range(-5, 5).Draw(t, "z"),
		}
		theirs := ours.Clone()
		known := map[string]string{}
		truth := map[string]string{}
		for i := range theirs.Joints {
			j := &theirs.Joints[i]
			name := fmt.Sprintf("q%d", i)
			if j.Name == "hips" || j.Name == "head" || j.Name == "hand_l" || j.Name == "hand_r" {
				known[name] = j.Name
			}
			truth[name] = j.Name
			j.Name, j.Pos = name, r3.Add(r3.Scale(scale, j.Pos), move)
		}
		byPlace := 0
		for _, m := range skeleton.MatchJoints(ours, theirs, known) {
			require.Equal(t, truth[m.Theirs], m.Ours)
			if m.How == "place" {
				byPlace++
			}
		}
		require.Equal(t, len(ours.Joints)-len(known), byPlace, "all the others")
	})
}

// What lies in the same place on the other side, or under another limb, is no pair.
func TestPlacesOfOtherSidesAndLimbsAreNoPairs(t *testing.T) {
	ours := skeleton.Biped(1.7)
	theirs, _, err := ours.Remove([]int{find(t, ours, "thigh_l"), find(t, ours, "shank_l")})
	require.NoError(t, err)
	k := theirs.Index("thigh_r")
	theirs.Joints[k].Name = "strange"
	theirs.Joints[k].Pos.X = -theirs.Joints[k].Pos.X // on the left now, with the right knee below it
	for _, m := range skeleton.MatchJoints(ours, theirs, nil) {
		require.NotEqual(t, "shank_l", m.Ours)
		if m.Theirs == "strange" {
			require.NotEqual(t, "thigh_r", m.Ours)
		}
	}
}

// Taking over a skeleton that is one's own changes nothing, and what is dropped,
// added or moved is told joint by joint, once each.
func TestTheTableOfATakeoverNamesEveryJointOnce(t *testing.T) {
	ours := skeleton.Biped(1.7)
	all := map[string]string{}
	for _, j := range ours.Joints {
		all[j.Name] = j.Name
	}
	same, table, err := ours.Adopt(ours, skeleton.Adoption{Match: all, Obsolete: "drop", Parenting: "take"})
	require.NoError(t, err)
	require.Equal(t, ours, same)
	for _, r := range table {
		require.Equal(t, "untouched", r.What, r.Joint)
	}
	rapid.Check(t, func(t *rapid.T) {
		theirs := ours.Clone()
		match := map[string]string{}
		for i := range theirs.Joints {
			j := &theirs.Joints[i]
			switch rapid.IntRange(0, 2).Draw(t, j.Name) {
			case 0:
				match[j.Name] = j.Name
			case 1:
				j.Pos = r3.Add(j.Pos, r3.Vec{Y: 0.01})
				match[j.Name] = j.Name
			}
		}
		obsolete := rapid.SampledFrom([]string{"keep", "drop"}).Draw(t, "obsolete")
		out, table, err := ours.Adopt(
			theirs,
			skeleton.Adoption{
				Match:     match,
				Obsolete:  obsolete,
				Parenting: rapid.SampledFrom([]string{"keep", "take"}).Draw(t, "parenting"),
			},
		)
		if len(match) == 0 && obsolete == "drop" {
			require.Error(t, err)
			return
		}
		require.NoError(t, err)
		require.NoError(t, out.Validate())
		seen := map[string]bool{}
		stays := 0
		for _, r := range table {
			require.False(t, seen[r.Joint], "%s is told twice", r.Joint)
			seen[r.Joint] = true
			if r.What == "dropped" {
				require.Less(t, out.Index(r.Joint), 0)
				if r.To != "" {
					require.GreaterOrEqual(t, out.Index(r.To), 0, "weights go to a joint that is there")
				}
				continue
			}
			stays++
			require.GreaterOrEqual(t, out.Index(r.Joint), 0)
		}
		require.Len(t, out.Joints, stays)
		for theirsName, name := range match {
			require.Equal(t, theirs.Joints[theirs.Index(theirsName)].Pos, out.Joints[out.Index(name)].Pos)
		}
	})
	_, _, err = ours.Adopt(
		ours,
		skeleton.Adoption{Match: map[string]string{"hips": "head", "head": "head"}, Obsolete: "keep", Parenting: "keep"},
	)
	require.ErrorContains(t, err, "two joints are matched with head")
	_, _, err = ours.Adopt(ours, skeleton.Adoption{Match: all, Obsolete: "burn", Parenting: "keep"})
	require.ErrorContains(t, err, "burn")
	_, _, err = ours.Adopt(ours, skeleton.Adoption{Match: all, Obsolete: "keep", Parenting: "adopt"})
	require.ErrorContains(t, err, "adopt")
}

// A parenting that would close a circle is refused.
func TestATakeoverThatWouldCloseACircleIsRefused(t *testing.T) {
	chain := func(names ...string) *skeleton.Skeleton {
		s := &skeleton.Skeleton{}
		for i, n := range names {
			s.Joints = append(s.Joints, skeleton.Joint{Name: n, Parent: i - 1, Pos: r3.Vec{Y: float64(i)}, Rot: geom.Identity})
		}
		return s
	}
	ours, theirs := chain("a", "b", "c"), chain("c", "a")
	out, _, err := ours.Adopt(theirs, skeleton.Adoption{Match: map[string]string{"c": "c", "a": "a"}, Obsolete: "keep", Parenting: "take"})
	if err == nil { // b hangs from a, which hangs from c: then c is a root
		require.NoError(t, out.Validate())
		require.Equal(t, -1, out.Joints[out.Index("c")].Parent)
	}
	ours, theirs = chain("a", "b"), chain("b", "x", "a")
	out, table, err := ours.Adopt(
		theirs,
		skeleton.Adoption{Match: map[string]string{"b": "b", "a": "a"}, Obsolete: "keep", Parenting: "take"},
	)
	require.NoError(t, err)
	require.Equal(t, "x", out.Joints[out.Joints[out.Index("a")].Parent].Name)
	require.Equal(t, -1, out.Joints[out.Index("b")].Parent)
	require.Contains(t, fmt.Sprint(table), "b from a to none")
}

func ExampleAdopted_String() {
	fmt.Println(skeleton.Adopted{Joint: "hand_l", What: "moved", By: 0.013})
	fmt.Println(skeleton.Adopted{Joint: "jaw", What: "dropped", To: "head"})
	fmt.Println(skeleton.Adopted{Joint: "toe_l", What: "reparented", From: "foot_l"})
	// Output:
	// hand_l moved 1.3 cm
	// jaw removed, its weights go to head
	// toe_l from foot_l to none
}
