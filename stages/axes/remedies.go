package axes

import (
	"wisemarrow/core/finding"
	"wisemarrow/core/skeleton"
	"wisemarrow/studio"
)

// remedies returns what mends a finding of the axes of a skeleton under a convention.
func remedies(sk *skeleton.Skeleton, c skeleton.Convention) func(f finding.Finding) []finding.Remedy {
	return func(f finding.Finding) []finding.Remedy {
		joints := f.Where.Joints
		// These alone, each by the convention of its chain; "bend": the world's way is what led here.
		orient := func(from string) finding.Remedy {
			convention := skeleton.DefaultConvention
			convention.From = from
			return studio.Offer("Orient these joints", &SetAxes{Convention: convention, Joints: joints, Own: true})
		}
		switch f.Code {
		case "axis_off_bone":
			if 2*len(joints) > len(sk.Joints) {
				return studio.Only("Orient all joints", &SetAxes{Convention: c})
			}
			return []finding.Remedy{orient("")}
		case "bends_backward", "bends_sideways", "bends_unlike_partner", "roll_jump", "bend_axis_off":
			return []finding.Remedy{orient("bend")}
		case "axes_unlike_partner":
			partners, _ := f.Data.(skeleton.Partners)
			return append(studio.Only("Mirror left to right", &CopyAxes{Joints: partners}), orient("bend"))
		case "twist_off_line":
			return studio.Only("Space them evenly", &AlignTwists{})
		case "limits_shut_out_rest":
			return append(
				studio.Only("Use typical limits", &LimitJoints{Joints: joints, Usual: true}),
				studio.Offer("Clear the limits", &FreeJoints{Joints: joints}),
			)
		case "goal_off":
			if len(joints) == 1 { // of one limb, so that its bones are known
				bones := sk.Joints[sk.Index(joints[0])].Keeps.Goal.Bones
				return studio.Only("Move it to the limb's end", &SetGoal{Joint: joints[0], Bones: bones})
			}
		case "gimbal_lock":
			orders, _ := f.Data.(skeleton.RotationOrders)
			return studio.Only("Use the safest rotation orders", &SetOrder{Orders: orders})
		}
		return nil
	}
}
