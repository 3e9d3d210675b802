package placement

import (
	"wisemarrow/core/finding"
	"wisemarrow/core/skeleton"
	"wisemarrow/studio"

	"gonum.org/v1/gonum/spatial/r3"
)

// remedies returns what mends a finding of where joints stand.
func remedies(f finding.Finding) []finding.Remedy {
	joints := f.Where.Joints
	switch f.Code {
	case "joint_outside":
		return studio.Only("Move them inside", &CentreJoints{Joints: joints, Both: true})
	case "unsure_fit":
		return studio.Only("Accept them where they are", &AcceptJoints{Joints: joints})
	case "off_middle":
		return studio.Only("Center them in the volume", &CentreJoints{Joints: joints, Both: true})
	case "no_mesh_near":
		return studio.Only("Move them inside", &CentreJoints{Joints: joints, Both: true})
	case "bone_outside":
		ends, _ := f.Data.(skeleton.Ends)
		return studio.Only("Divide them, with the new joints inside", &InsertJoints{Joints: ends, Count: 1, Inside: true})
	case "shared_limb":
		return []finding.Remedy{{Label: "Show the tips", Opens: "tips"}}
	case "coincident_joints":
		return studio.Only("Remove them, keep their children", &RemoveJoints{Joints: joints})
	case "several_roots":
		return studio.Only("Parent all to "+joints[0], &OneRoot{Joint: joints[0]})
	case "odd_names":
		names, _ := f.Data.(skeleton.Names)
		return studio.Only("Clean up the names", &RenameJoints{Names: names})
	case "no_bend":
		return studio.Only("Bend them by 4°", &SlightBend{Joints: joints, Degrees: 4})
	case "wrong_bend":
		places, _ := f.Data.(skeleton.Places)
		op := &PlaceJoints{}
		for _, p := range places {
			op.Places = append(op.Places, Spot{Joint: p.Joint, To: placeOf(p.To)})
		}
		return studio.Only("Reverse the bend", op)
	case "no_partner":
		from := "left"
		if f.Data == skeleton.Right {
			from = "right"
		}
		return studio.Only("Mirror the skeleton from the "+from, &MakeOther{From: from, Tolerance: 0.005})
	case "sides_turned":
		turn, _ := f.Data.(skeleton.Turn)
		return []finding.Remedy{studio.OfferOf("Rotate to face front", "bake_transform", map[string]any{"turn": turn, "stand": true})}
	case "sides_differ":
		left, _ := f.Data.(skeleton.Lefts)
		if left == nil { // only posed differently
			return nil
		}
		return studio.Only("Match right to left", &CopyToPartner{Joints: left})
	case "pairs_hung_unlike":
		ways, _ := f.Data.(skeleton.Parents)
		var out []finding.Remedy
		for _, w := range ways {
			out = append(out, studio.Offer("Reparent "+w[0]+" to "+w[1], &ReparentJoint{Joints: []string{w[0]}, Parent: w[1]}))
		}
		return out
	}
	return nil
}

func placeOf(p r3.Vec) studio.Place { return studio.Place{p.X, p.Y, p.Z} }
