package bind

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

func init() {
	studio.Register(
		studio.Entry{
			Name:  "give_pieces",
			Label: "Set what pieces follow",
			Stage: "bind",
			Words: "clothes armour rigid joint surface beneath parts layer button",
			From:  studio.FromForm,
			Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton},
			Long:  studio.LargeMesh,
			New:   func() studio.Operation { return &GivePieces{How: bind.Auto} },
		},
	)
}

// GivePieces says what the vertices of some parts follow, and gives them new weights if there
// are weights: "follow" as the surface under each, "rigid" whole pieces as the place nearest to
// them, "joint" all to one joint, "auto" as they lie. The surface is that of the other parts.
// "bind" has them go with the bones, at the next bind. Every bind keeps to it.
type GivePieces struct {
	Parts []string `json:"parts"`
	How   string   `json:"how" as:"Mode" one:"auto,bind,rigid,follow,joint"`
	Joint string   `json:"joint,omitempty" help:"that they follow rigidly"`
}

// Apply implements studio.Operation.
func (o *GivePieces) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if len(o.Parts) == 0 {
		return s, studio.Outcome{}, studio.Wrong("select at least one part")
	}
	how, ok := map[string]string{bind.Follow: "follow the surface under them", bind.Rigid: "follow whole, as the place nearest to them", bind.Auto: "follow as they lie", mesh.FollowJoint: "follow " + o.Joint, mesh.FollowBones: "go with the bones at the next bind"}[o.How]
	if !ok {
		return s, studio.Outcome{}, studio.Wrong(
			"a piece is told to \"follow\", or to be \"rigid\", to follow a \"joint\", to \"bind\" or \"auto\", not %q",
			o.How,
		)
	}
	if o.How == mesh.FollowJoint {
		if _, err := s.Skeleton.Find(o.Joint); err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
	}
	chosen := make([]bool, len(s.Mesh.Parts))
	next := *s.Mesh
	next.Parts = slices.Clone(s.Mesh.Parts)
	for _, name := range o.Parts {
		i, err := s.Mesh.FindPart(name)
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		chosen[i] = true
		next.Parts[i].Follows, next.Parts[i].Leader = o.How, ""
		switch o.How {
		case bind.Auto:
			next.Parts[i].Follows = ""
		case mesh.FollowJoint:
			next.Parts[i].Leader = o.Joint
		}
	}
	if !slices.ContainsFunc(next.Parts, func(p mesh.Part) bool { return !p.Out && (p.Follows == "" || p.Follows == mesh.FollowBones) }) {
		return s, studio.Outcome{}, studio.Wrong("some part must stay bound to bones for these to follow")
	}
	s = s.WithMesh(&next, nil)
	if s.Weights == nil || o.How == mesh.FollowBones {
		return s, studio.Outcome{Sentence: fmt.Sprintf("Let %s %s", studio.Said(o.Parts), how)}, nil
	}
	return regiven(ctx, s, chosen, o, how)
}

// regiven gives the vertices of chosen parts weights by what they follow.
func regiven(ctx context.Context, s studio.State, chosen []bool, o *GivePieces, how string) (studio.State, studio.Outcome, error) {
	in, beside := make([]bool, len(s.Mesh.Points)), make([]bool, len(s.Mesh.Points))
	for f := range s.Mesh.Faces() {
		for _, v := range s.Mesh.Face(f) {
			if chosen[s.Mesh.PartOf(f)] {
				in[v] = true
			} else {
				beside[v] = true
			}
		}
	}
	record := account(s)
	bare := &weights.Weights{Joints: s.Weights.Joints, Of: slices.Clone(s.Weights.Of), Mix: s.Weights.Mix}
	var given []int32
	for v := range in {
		if in[v] && !beside[v] { // what another part shares stays with it
			bare.Of[v] = nil
			given = append(given, int32(v))
		}
	}
	surface, _ := s.Mesh.Bindable()
	filled, _, err := bind.FollowBeneath(surface, s.Skeleton, bare, bind.Auto, record.Limits)
	if err != nil {
		return s, studio.Outcome{}, studio.Wrong("%v", err)
	}
	bare.Joints = filled.Joints
	changed := 0
	for _, v := range given {
		bare.Of[v] = filled.Of[v]
		if !slices.Equal(s.Weights.Of[v], bare.Of[v]) {
			changed++
		}
	}
	if s.Binding, err = s.FurtherBound(given); err != nil {
		return s, studio.Outcome{}, err
	}
	kind := map[string]string{bind.Follow: bind.KindCloth, bind.Rigid: bind.KindRigid, mesh.FollowJoint: bind.KindRigid}[o.How]
	now := map[string]string{}
	for _, name := range o.Parts {
		if kind != "" {
			now[name] = kind
		}
	}
	if err := record.Report.Relayered(ctx, surface, s.Skeleton, bare, s.Binding, now); err != nil {
		return s, studio.Outcome{}, err
	}
	s.Weights, s.Bind = bare, &record
	s = s.Recounted()
	return s, studio.Outcome{
		Sentence: fmt.Sprintf("Set %s to %s: %d of %d vertices changed", studio.Said(o.Parts), how, changed, len(given)),
		After:    fmt.Sprint(changed),
	}, nil
}

// Told says what a part is told to follow, for a panel; "" where it goes as it lies.
func Told(s *studio.State, part string) string {
	i, err := s.Mesh.FindPart(part)
	if err != nil {
		return ""
	}
	switch p := s.Mesh.Parts[i]; p.Follows {
	case mesh.FollowSurface:
		return "told to follow the surface"
	case mesh.FollowWhole:
		return "keeps its shape"
	case mesh.FollowJoint:
		return "told to follow " + p.Leader
	case mesh.FollowBones:
		return "told to go with the bones"
	}
	return ""
}
