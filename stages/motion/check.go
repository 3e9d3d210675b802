package motion

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"wisemarrow/core/deform"
	"wisemarrow/core/finding"
	"wisemarrow/core/pose"
	"wisemarrow/core/weights"
	"wisemarrow/core/wording"
	"wisemarrow/studio"
)

func init() {
	needs := []studio.Need{studio.NeedMesh, studio.NeedSkeleton, studio.NeedWeights}
	studio.Register(
		studio.Entry{
			Name:  "check_motion",
			Label: "Run the test reel",
			Stage: "motion",
			Words: "range of motion test reel bend measure score deformation check",
			Needs: needs,
			Long:  studio.Always,
			New:   func() studio.Operation { return &CheckMotion{ReelRequest: studio.Usual} },
		},
	)
}

// CheckMotion measures every frame of the test reel and makes the score sheet of it; of a kept result with
// Kept, which gets its score.
type CheckMotion struct {
	studio.ReelRequest
	Kept string `json:"kept,omitempty"`
}

// Spot is one place of a sheet measured again.
type Spot struct {
	Was   string  `json:"was"`
	Seen  string  `json:"seen"` // "" where there is nothing any more
	Limit string  `json:"limit"`
	Times float64 `json:"times"` // of the limit, now
	Over  bool    `json:"over"`
}

// SpotRequest names a place of the sheet by its kind of fault and the frame in which it is worst.
type SpotRequest struct {
	Kind  string `json:"kind"`
	Frame int    `json:"frame"`
}

// MeasureSpot measures one place of the sheet in the frames of its own part of the reel, after a change: quick,
// where the whole reel takes long. The sheet stays as it is.
func MeasureSpot(ctx context.Context, s *studio.State, q SpotRequest) (*Spot, error) {
	if s.Sheet == nil || s.Weights == nil {
		return nil, studio.Wrong("no motion check yet: run the test reel, then its spots can be measured again")
	}
	at := slices.IndexFunc(s.Sheet.Faults, func(f deform.Fault) bool { return f.Kind == q.Kind && f.Frame == q.Frame })
	if at < 0 {
		return nil, studio.Wrong("the sheet has no such spot: run the test reel again")
	}
	reel := s.Reel(s.Sheet.Asked, true)
	if len(reel.Frames) != len(s.Sheet.Frames) {
		return nil, studio.Wrong("the joints changed since the last run, so the reel is different: run the test reel again")
	}
	skin, o, err := s.Tried(s.Sheet.Asked)
	if err != nil {
		return nil, err
	}
	now, err := skin.CheckSpot(ctx, reel, q.Kind, q.Frame, o)
	if err != nil {
		return nil, err
	}
	out := &Spot{Was: Seen(s.Sheet.Faults[at]), Limit: seen(q.Kind, deform.FaultLimit(q.Kind))}
	if now != nil {
		out.Seen, out.Times, out.Over = Seen(*now), studio.Rounded(now.Times), now.Times > 1
	}
	return out, nil
}

// Apply implements studio.Operation.
func (o *CheckMotion) Apply(ctx context.Context, s studio.State, progress studio.Progress) (studio.State, studio.Outcome, error) {
	of := &s
	if o.Kept != "" {
		var err error
		if of, err = s.WithKept(o.Kept); err != nil {
			return s, studio.Outcome{}, err
		}
	}
	sheet, err := studio.Measure(ctx, of, o.ReelRequest, func(share float64) { progress("Bending", share) })
	if err != nil {
		return s, studio.Outcome{}, err
	}
	told := studio.Outcome{Before: "not tested", After: fmt.Sprintf("%.2f", sheet.Score)}
	if o.Kept != "" {
		i := s.FindKept(o.Kept)
		s.Kept = slices.Clone(s.Kept)
		if r := s.Kept[i].Result; r != nil && r.Score != nil {
			told.Before = fmt.Sprintf("%.2f", r.Score.Score)
		}
		s.Kept[i] = scored(s.Kept[i], &sheet.Brief)
		told.Sentence = fmt.Sprintf("Tried the weights kept as %s in motion: %s", o.Kept, said(sheet))
		return s, told, nil
	}
	if was := s.Sheet; was != nil {
		told.Before = fmt.Sprintf("%.2f", was.Score)
		if same(was.Asked, sheet.Asked) {
			sheet.Before = &was.Brief
		}
	}
	s.Sheet = sheet
	if s.Bind != nil {
		bind := *s.Bind
		bind.Score = &sheet.Brief
		s.Bind = &bind
	}
	told.Sentence = "Motion check: " + said(sheet)
	if sheet.Before != nil {
		told.Sentence += fmt.Sprintf("; was %.2f, %d over", sheet.Before.Score, sheet.Before.Over)
	}
	return s, told, nil
}

func same(a, b studio.ReelRequest) bool {
	return a.Amount == b.Amount && a.Steps == b.Steps && slices.Equal(a.Kinds, b.Kinds) && slices.Equal(a.Joints, b.Joints)
}

func scored(k studio.Kept, b *studio.Brief) studio.Kept {
	r := studio.Result{}
	if k.Result != nil {
		r = *k.Result
	}
	r.Score = b
	k.Result = &r
	return k
}

func said(s *studio.Sheet) string {
	over := "nothing is over its limit"
	switch {
	case s.Over == 1:
		over = "1 spot is over its limit"
	case s.Over > 1:
		over = fmt.Sprintf("%d spots are over their limits", s.Over)
	}
	out := fmt.Sprintf("%d frames, average %.2f × the limit, %s", len(s.Frames), s.Score, over)
	if s.Left > 0 {
		out += fmt.Sprintf("; %d range ends skipped: too many joints", s.Left)
	}
	return out
}

// Place is a fault of a sheet, with what may mend it.
type Place struct {
	deform.Fault
	Seen     string           `json:"seen"`             // how large it is, in words
	By       string           `json:"by"`               // who is to blame, in words
	Advice   string           `json:"advice,omitempty"` // what no operation here mends
	Remedies []finding.Remedy `json:"remedies"`
}

// MostPlaces is how many places a page is told.
const MostPlaces = 40

// Places are the worst places of the sheet of a state.
func Places(s *studio.State) []Place {
	out := []Place{}
	if s.Sheet == nil {
		return out
	}
	var reel *pose.Reel
	if !s.Sheet.Stale && s.Skeleton != nil {
		reel = s.Reel(s.Sheet.Asked, true)
	}
	for _, f := range s.Sheet.Faults[:min(len(s.Sheet.Faults), MostPlaces)] {
		p := Place{f, Seen(f), by(s, f), advice(f), remedies(s, f)}
		if m, ok := corrective(f, reel); ok {
			p.Remedies = append(p.Remedies, m)
		}
		out = append(out, p)
	}
	return out
}

// corrected are the kinds of faults that a shape of the skin can mend; others are of weights.
var corrected = []string{deform.FaultStretch, deform.FaultCrush, deform.FaultPinch, deform.FaultFlip, deform.FaultVolume, deform.FaultCross}

// corrective computes one for a fault: for the range of the one joint that turns, else for the pose that it is in.
func corrective(f deform.Fault, reel *pose.Reel) (finding.Remedy, bool) {
	if !slices.Contains(corrected, f.Kind) || reel == nil || f.Frame < 0 || f.Frame >= len(reel.Frames) {
		return finding.Remedy{}, false
	}
	const label = "Compute a corrective"
	if f.Turned != "" {
		return studio.OfferOf(label, "propose_correctives", map[string]any{"joints": []string{f.Turned}, "from": max(0.1, min(0.7, f.Times))}), true
	}
	if len(reel.Frames[f.Frame].Pose) == 0 {
		return finding.Remedy{}, false
	}
	return studio.OfferOf(label, "correct_pose", map[string]any{"turns": studio.TurnsOf(reel.Frames[f.Frame].Pose)}), true
}

// by says who is to blame for a fault.
func by(s *studio.State, f deform.Fault) string {
	if len(f.Blame) == 0 {
		if int(f.Vertex) < len(s.Weights.Of) && len(s.Weights.Of[f.Vertex]) == 0 {
			return "No joint moves it: it has no weights."
		}
		return "Cause: joints next to its own."
	}
	var list []string
	for _, b := range f.Blame {
		if b.Share >= 0.005 {
			list = append(list, b.Joint+" "+wording.Percent(b.Share))
		}
	}
	return "By " + strings.Join(list, ", ") + "."
}

// advice is what helps where the weights are not to blame.
func advice(f deform.Fault) string {
	switch f.Kind {
	case deform.FaultPinch, deform.FaultFlip:
		return "If smoothing does not help, the mesh lacks rings of vertices to fold along: send it back to the modeler with the sheet's image."
	case deform.FaultVolume:
		if strings.Contains(f.Pose, " twist ") {
			return "A twist joint mid-bone would spread the rotation."
		}
	}
	return ""
}

// remedies are operations that may mend a fault; the same measure says whether they did.
func remedies(s *studio.State, f deform.Fault) []finding.Remedy {
	vertices := weights.Ranges(studio.Unite(f.Where, []int32{f.Vertex}))
	smooth := studio.OfferOf("Smooth there", "smooth_weights", map[string]any{"vertices": vertices, "passes": 4})
	again := studio.OfferOf("Rebind them", "bind_joints", map[string]any{"vertices": vertices})
	turned := f.Turned
	if turned == "" && len(f.Blame) > 0 {
		turned = f.Blame[0].Joint
	}
	dual := studio.OfferOf("Blend "+turned+" by dual quaternions", "set_blending", map[string]any{"joints": []string{turned}, "mix": 1})
	switch f.Kind {
	case deform.FaultSpill:
		if len(f.Blame) == 0 {
			return []finding.Remedy{again}
		}
		return []finding.Remedy{
			studio.OfferOf(
				"Remove from "+f.Blame[0].Joint,
				"free_weights",
				map[string]any{"joints": []string{f.Blame[0].Joint}, "vertices": vertices},
			),
			again,
		}
	case deform.FaultVolume:
		if i := s.Skeleton.Index(turned); i < 0 || s.Skeleton.Joints[i].Mix >= 1 {
			return nil
		}
		return []finding.Remedy{dual}
	case deform.FaultThrough:
		return []finding.Remedy{again}
	case deform.FaultRigid:
		if len(f.Blame) > 0 {
			return []finding.Remedy{
				studio.OfferOf(
					"Harden to "+f.Blame[0].Joint,
					"set_weights",
					map[string]any{"joint": f.Blame[0].Joint, "vertices": vertices, "value": 1},
				),
			}
		}
		return nil
	}
	return []finding.Remedy{smooth, again}
}
