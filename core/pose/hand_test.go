package pose_test

import (
	"testing"

	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

// A hand that is drawn to where its arm reaches is there; beyond, the body follows while the feet stay
// within a millimetre; where the legs are spent too, it is said how far off it stays.
func TestABodyFollowsAHandThatIsPulled(t *testing.T) {
	s := skeleton.Biped(1.7)
	x := pose.NewPuller(s, skeleton.DefaultMarks)
	at := func(name string) r3.Vec { return s.Joints[s.Index(name)].Pos }
	feet := map[string]r3.Vec{"foot_l": at("foot_l"), "foot_r": at("foot_r")}
	for _, c := range []struct {
		to    r3.Vec
		whole bool
		off   [2]float64
	}{
		{r3.Add(at("upper_arm_l"), r3.Vec{X: 0.2, Z: 0.3}), false, [2]float64{0, 1e-6}},
		{r3.Add(at("hand_l"), r3.Vec{X: 0.4}), false, [2]float64{0.05, 0.4}},
		{r3.Add(at("hand_l"), r3.Vec{X: 0.3, Y: 0.1}), true, [2]float64{0, 2e-3}},
		{r3.Vec{X: 0.2, Y: 0.1, Z: 0.5}, true, [2]float64{0, 2e-3}}, // to the ground before the feet
		{r3.Vec{Y: 4}, true, [2]float64{0.5, 3}},
	} {
		p, move, off, slid, err := x.Pull(nil, r3.Vec{}, pose.Pull{Joint: "hand_l", To: c.to, Held: feet, Whole: c.whole})
		require.NoError(t, err)
		require.GreaterOrEqual(t, off, c.off[0], "%v", c.to)
		require.LessOrEqual(t, off, c.off[1], "%v", c.to)
		require.Less(t, slid, 1e-3, "%v", c.to)
		st := pose.NewStanding(s, p, move)
		for name, place := range feet {
			require.Less(t, r3.Norm(r3.Sub(st.At[s.Index(name)], place)), 1e-3, "%s, %v", name, c.to)
		}
		require.InDelta(t, off, r3.Norm(r3.Sub(st.At[s.Index("hand_l")], c.to)), 1e-9)
		for i, j := range s.Joints { // nothing is stretched
			if j.Parent >= 0 {
				require.InDelta(t, r3.Norm(r3.Sub(j.Pos, at(s.Joints[j.Parent].Name))), r3.Norm(r3.Sub(st.At[i], st.At[j.Parent])), 1e-9)
			}
		}
	}
	// Hips that are drawn down crouch over feet that stay, as far as the legs allow.
	p, move, off, slid, err := x.Pull(nil, r3.Vec{}, pose.Pull{Joint: "hips", To: r3.Add(at("hips"), r3.Vec{Y: -0.3}), Held: feet})
	require.NoError(t, err)
	require.Less(t, off+slid, 1e-6)
	st := pose.NewStanding(s, p, move)
	require.Greater(t, st.At[s.Index("shank_l")].Z, at("shank_l").Z+0.1)
	_, _, off, slid, err = x.Pull(nil, r3.Vec{}, pose.Pull{Joint: "hips", To: r3.Add(at("hips"), r3.Vec{Y: 0.3}), Held: feet})
	require.NoError(t, err)
	require.Greater(t, off, 0.2)
	require.Less(t, slid, 1e-3)
	_, _, _, _, err = x.Pull(nil, r3.Vec{}, pose.Pull{Joint: "nobody"})
	require.Error(t, err)
	_, _, _, _, err = x.Pull(nil, r3.Vec{}, pose.Pull{Joint: "hand_l", Held: map[string]r3.Vec{"nobody": {}}})
	require.Error(t, err)
	// The head is no end of a limb: its chain gives way.
	p, move, off, _, err = x.Pull(nil, r3.Vec{}, pose.Pull{Joint: "head", To: r3.Add(at("head"), r3.Vec{X: 0.1, Y: -0.05})})
	require.NoError(t, err)
	require.Less(t, off, 1e-3)
	require.Zero(t, move)
	require.NotEmpty(t, p)
}

// A pose that is mirrored twice is itself, and its joints stand at each other's mirror images.
func TestAPoseIsMirrored(t *testing.T) {
	s := skeleton.Biped(1.7)
	p := pose.Pose{
		"upper_arm_l": pose.Turn(20, 30, -10),
		"forearm_l":   pose.Turn(0, 50, 0),
		"spine_2":     pose.Turn(5, 10, 15),
		"thigh_r":     pose.Turn(40, 0, 5),
	}
	m := p.Mirrored(s, skeleton.DefaultMarks)
	a, b := pose.NewStanding(s, p, r3.Vec{}), pose.NewStanding(s, m, r3.Vec{})
	for i := range s.Joints {
		k := i
		if q := s.PartnerOf(i, skeleton.DefaultMarks); q >= 0 {
			k = q
		}
		image := a.At[i]
		image.X = -image.X
		require.InDelta(t, 0, r3.Norm(r3.Sub(image, b.At[k])), 1e-9, s.Joints[i].Name)
	}
	again := m.Mirrored(s, skeleton.DefaultMarks)
	for name, q := range p {
		require.InDelta(t, 1, q.Real*again[name].Real+q.Imag*again[name].Imag+q.Jmag*again[name].Jmag+q.Kmag*again[name].Kmag, 1e-12, name)
	}
}
