package motion

import (
	"fmt"
	"slices"

	"wisemarrow/core/deform"
	"wisemarrow/core/mesh"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/formats/bundle"
	"wisemarrow/studio"
)

// Reeled is the test reel as a page shows it, with what its sheet says.
type Reeled struct {
	Segments []pose.Segment `json:"segments"`
	Names    []string       `json:"names"` // of the frames
	Frames   []float64      `json:"frames"`
	Seen     []string       `json:"seen"` // by frame: how large the worst of it is, in words
	Kinds    []int          `json:"kinds"`
	Faults   []string       `json:"faults"` // the kinds of faults, as Kinds numbers them
	Worst    []string       `json:"worst"`  // by kind: how large the worst is, in words
	Short    []string       `json:"short"`  // the same in a few signs
	Limits   []string       `json:"limits"` // by kind: how large one may be, in words
	Places   []Place        `json:"places"`
	Sheet    *studio.Brief  `json:"sheet"`
	Before   *studio.Brief  `json:"before"`
	Stale    bool           `json:"stale"`
	Crossed  int            `json:"crossed"`
	Layers   int            `json:"layers"`
	// Kept are the scores of results that are kept beside, by name.
	Kept map[string]*studio.Brief `json:"kept"`
}

// Shown is the reel of a state with its score sheet. A sheet of another reel than the one that it has now, as of
// other joints, keeps its numbers but not its frames and places.
func Shown(s *studio.State) Reeled {
	reel := s.TestReel()
	out := Reeled{
		Segments: reel.Segments,
		Names:    []string{},
		Faults:   deform.FaultKinds,
		Places:   []Place{},
		Kept:     map[string]*studio.Brief{},
	}
	for _, k := range s.Kept {
		if k.Result != nil && k.Result.Score != nil {
			out.Kept[k.Name] = k.Result.Score
		}
	}
	for _, kind := range deform.FaultKinds {
		out.Limits = append(out.Limits, seen(kind, deform.FaultLimit(kind)))
		if s.Sheet != nil {
			size := s.Sheet.Worst[kind] * deform.FaultLimit(kind)
			out.Worst, out.Short = append(out.Worst, seen(kind, size)), append(out.Short, short(kind, size))
		}
	}
	for _, f := range reel.Frames {
		out.Names = append(out.Names, f.Name)
	}
	if x := s.Sheet; x != nil {
		out.Sheet, out.Before, out.Stale, out.Crossed, out.Layers = &x.Brief, x.Before, x.Stale, x.Crossed, x.Layers
		if len(x.Frames) == len(reel.Frames) {
			out.Frames, out.Kinds, out.Places = x.Frames, x.Kinds, Places(s)
			for f, k := range x.Kinds {
				text := ""
				if k >= 0 && k < len(deform.FaultKinds) {
					text = seen(deform.FaultKinds[k], x.Frames[f]*deform.FaultLimit(deform.FaultKinds[k]))
				}
				out.Seen = append(out.Seen, text)
			}
		}
	}
	return out
}

// ReelBundle packs the poses of the reel for a page.
func ReelBundle(s *studio.State) ([]byte, error) {
	return bundle.Clips([]*pose.Clip{s.TestReel().Clip(s.Skeleton, "reel")})
}

// Handed does to a pose what a hand asks.
func Handed(s *studio.State, q pose.HandRequest) (*pose.Handed, error) {
	if s.Skeleton == nil {
		return nil, studio.Wrong("no skeleton yet")
	}
	out, err := pose.NewHand(s.Built(), s.Settings.Marks).Do(q)
	if err != nil {
		return nil, studio.Wrong("%v", err)
	}
	return out, nil
}

// HandRequest is what a hand asks.
type HandRequest = pose.HandRequest

// Feet tells by joint whether it is one that a standing limb ends at: what one holds when hips move.
func Feet(s *studio.State) []bool {
	acts, _ := s.Skeleton.Acts(s.Settings.Marks)
	out := make([]bool, len(acts))
	for i, j := range s.Skeleton.Joints {
		out[i] = acts[i] == skeleton.Ankle && (j.Parent < 0 || acts[j.Parent] != skeleton.Ankle)
	}
	return out
}

// KindRow is how a kind of fault came out.
type KindRow struct {
	Title       string
	Times       float64
	Seen, Limit string
	Measured    bool
}

// KindRows are those of a sheet, each kind in its words.
func KindRows(x *studio.Sheet) (out []KindRow) {
	for _, k := range deform.FaultKinds {
		measured := k == deform.FaultCross && x.Crossed > 0 || (k == deform.FaultThrough || k == deform.FaultRigid) && x.Layers > 0 ||
			k != deform.FaultCross && k != deform.FaultThrough && k != deform.FaultRigid
		out = append(
			out,
			KindRow{Says[k].Title, x.Worst[k], seen(k, x.Worst[k]*deform.FaultLimit(k)), seen(k, deform.FaultLimit(k)), measured},
		)
	}
	return out
}

// Posed is the mesh of a state in a frame of its reel, nil if it has no such frame.
func Posed(s *studio.State, frame int) *mesh.Mesh {
	reel := s.TestReel()
	if frame < 0 || frame >= len(reel.Frames) {
		return nil
	}
	skin, err := s.Skin()
	if err != nil {
		return nil
	}
	return s.Mesh.Placed(skin.Places(reel.Frames[frame].Pose))
}

// BuildRow is a build that can be measured too, and whether it was.
type BuildRow struct {
	Name     string
	Measured bool
}

// Builds are sets of slider values, and shape targets that the skeleton follows.
func Builds(s *studio.State) (out []BuildRow) {
	rig := s.Rig()
	put := func(name string) {
		out = append(out, BuildRow{name, s.Sheet != nil && slices.Contains(s.Sheet.Asked.Builds, name)})
	}
	for _, x := range rig.Sets {
		put(x.Name)
	}
	for i := range rig.Targets {
		if t := &rig.Targets[i]; t.ByHand() && len(t.Joints) > 0 && !t.Muted {
			put(t.Name)
		}
	}
	return out[:min(len(out), studio.MostBuilds)]
}

// WorstOf says what is worst of a sheet, in a few words.
func WorstOf(b studio.Brief) string {
	worst := ""
	for _, k := range deform.FaultKinds {
		if b.Worst[k] > b.Worst[worst] {
			worst = k
		}
	}
	if worst == "" {
		return "nothing"
	}
	return fmt.Sprintf("%s, %.2f × its limit", Says[worst].Title, b.Worst[worst])
}
