package bind

import (
	"context"
	"fmt"
	"slices"

	"wisemarrow/core/bind"
	"wisemarrow/core/weights"
	"wisemarrow/studio"
)

func init() {
	studio.Register(studio.Entry{Name: "give_pieces", Label: "Say what pieces follow", Stage: "bind", Words: "clothes armour rigid joint surface beneath parts layer button", From: studio.FromForm, Needs: []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights}, Long: studio.LargeMesh, New: func() studio.Operation { return &GivePieces{How: bind.Auto} }})
}

// GivePieces gives all vertices of some parts new weights: "follow" as the surface under each,
// "rigid" whole pieces as the place nearest to them, "auto" either as they lie, "joint" all
// to one joint. The surface is that of the other parts.
type GivePieces struct {
	Parts []string `json:"parts"`
	How   string   `json:"how"`
	Joint string   `json:"joint,omitempty"`
}

// Apply implements studio.Operation.
func (o *GivePieces) Apply(ctx context.Context, s studio.State, _ studio.Progress) (studio.State, studio.Outcome, error) {
	if len(o.Parts) == 0 {
		return s, studio.Outcome{}, studio.Wrong("name at least one part")
	}
	chosen := make([]bool, len(s.Mesh.Parts))
	for _, name := range o.Parts {
		i, err := s.Mesh.FindPart(name)
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		chosen[i] = true
	}
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
	next := &weights.Weights{Joints: s.Weights.Joints, Of: slices.Clone(s.Weights.Of)}
	var given []int32
	for v := range in {
		if in[v] && !beside[v] { // what another part shares stays with it
			next.Of[v] = nil
			given = append(given, int32(v))
		}
	}
	if o.How == "joint" {
		i, err := s.Skeleton.Find(o.Joint)
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		k := slices.Index(next.Joints, s.Skeleton.Joints[i].Name)
		if k < 0 {
			next.Joints = append(slices.Clip(next.Joints), s.Skeleton.Joints[i].Name)
			k = len(next.Joints) - 1
		}
		for _, v := range given {
			next.Of[v] = []weights.Influence{{Joint: int32(k), Value: 1}}
		}
	} else {
		beneath, _ := s.Mesh.Bindable()
		filled, _, err := bind.FollowBeneath(beneath, next, o.How, record.Limits)
		if err != nil {
			return s, studio.Outcome{}, studio.Wrong("%v", err)
		}
		for _, v := range given {
			next.Of[v] = filled.Of[v]
		}
	}
	before := s.Weights
	changed := 0
	for _, v := range given {
		if !slices.Equal(before.Of[v], next.Of[v]) {
			changed++
		}
	}
	var err error
	if s.Binding, err = s.FurtherBound(given); err != nil {
		return s, studio.Outcome{}, err
	}
	kind := map[string]string{bind.Follow: bind.KindCloth, bind.Rigid: bind.KindRigid, "joint": bind.KindRigid}[o.How]
	now := map[string]string{}
	for _, name := range o.Parts {
		if kind != "" {
			now[name] = kind
		}
	}
	surface, _ := s.Mesh.Bindable()
	if err := record.Report.Relayered(ctx, surface, s.Skeleton, next, s.Binding, now); err != nil {
		return s, studio.Outcome{}, err
	}
	s.Weights, s.Bind = next, &record
	s = s.Recounted()
	how := map[string]string{bind.Follow: "follow the surface under them", bind.Rigid: "follow whole, as the place nearest to them", bind.Auto: "follow what is under them", "joint": "follow " + o.Joint}[o.How]
	return s, studio.Outcome{Sentence: fmt.Sprintf("Let %s %s: %d of %d vertices changed", studio.Said(o.Parts), how, changed, len(given)), After: fmt.Sprint(changed)}, nil
}
