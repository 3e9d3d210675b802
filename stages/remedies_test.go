package stages_test

import (
	"math/rand/v2"
	"testing"

	"wisemarrow/core/skeleton"
	"wisemarrow/demo"
	"wisemarrow/internal/need"
	"wisemarrow/internal/spoils"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// Whatever is found, at any stage, of bodies that are spoiled in every way we know and of skeletons that
// are: each remedy has a label, and opens something or is an operation whose parameters are within bounds.
func TestEveryRemedyOnOfferCanBeDone(t *testing.T) {
	need.Time(t)
	clean, _ := demo.Odile(0.06)
	offered := map[string]bool{}
	look := func(s studio.State, what string) {
		for _, st := range studio.Stages() {
			for _, f := range studio.CheckOnly(&s, st.Name) {
				for _, m := range f.Remedies {
					require.NotEmpty(t, m.Label, "%s: %s", what, f.Code)
					if m.Op == "" {
						require.NotEmpty(t, m.Opens, "%s: %s", what, f.Code)
						continue
					}
					_, _, err := studio.ParseOperation(m.Op, m.Params)
					require.NoError(t, err, "%s: %s: %s %s", what, f.Code, m.Op, m.Params)
					offered[m.Op] = true
				}
			}
		}
	}
	for i, spoil := range spoils.All {
		m, s := spoil.Do(clean, skeleton.Biped(1.7), rand.New(rand.NewPCG(uint64(i), 7)))
		look(studio.State{Mesh: m, Skeleton: s, Settings: studio.DefaultSettings()}, spoil.Name)
	}
	for name, spoil := range map[string]func(s *skeleton.Skeleton){
		"two roots":       func(s *skeleton.Skeleton) { s.Joints[s.Index("neck")].Parent = -1 },
		"odd names":       func(s *skeleton.Skeleton) { s.Joints[3].Name = "a name: with signs" },
		"knees backward":  func(s *skeleton.Skeleton) { s.Joints[s.Index("shank_l")].Pos.Z -= 0.2 },
		"an arm hung low": func(s *skeleton.Skeleton) { s.Joints[s.Index("hand_l")].Parent = s.Index("upper_arm_l") },
		"one leg":         func(s *skeleton.Skeleton) { s.Joints[s.Index("shank_r")].Name = "peg" },
		"turned": func(s *skeleton.Skeleton) {
			for i := range s.Joints {
				p := &s.Joints[i].Pos
				p.X, p.Z = p.Z, -p.X
			}
		},
	} {
		s := skeleton.Biped(1.7)
		spoil(s)
		look(studio.State{Mesh: clean, Skeleton: s, Settings: studio.DefaultSettings()}, name)
	}
	for _, op := range []string{"weld", "split_ties", "make_outward", "drop_faces", "bake_transform", "fill_holes", "drop_crumbs", "centre_joints", "insert_joints",
		"one_root", "rename_joints", "place_joints", "reparent_joint", "copy_to_partner", "set_axes"} {
		require.True(t, offered[op], op)
	}
}
