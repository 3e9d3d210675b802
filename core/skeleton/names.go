package skeleton

import (
	"fmt"
	"strings"
)

// RenameMany gives joints other names at once, so that two may change names. The
// keys are the names that they have.
func (s *Skeleton) RenameMany(names map[string]string) (*Skeleton, error) {
	out := s.Clone()
	for old, name := range names {
		i, err := s.Find(old)
		if err != nil {
			return nil, err
		}
		if !legalName.MatchString(name) {
			return nil, fmt.Errorf(
				"%q is not a valid joint name: use letters, digits, underscores and dots, at most 63, and begin with a letter or an underscore",
				name,
			)
		}
		out.Joints[i].Name = name
	}
	seen := map[string]string{}
	for i, j := range out.Joints {
		if first, ok := seen[j.Name]; ok {
			return nil, fmt.Errorf(
				"%s and %s would both be named %q; %q is free",
				first,
				s.Joints[i].Name,
				j.Name,
				s.FreeName(j.Name, DefaultMarks),
			)
		}
		seen[j.Name] = s.Joints[i].Name
	}
	helpersRenamed(out.Joints, names)
	return out, nil
}

// Pattern makes names out of a pattern, for joints in the order given: # is a
// counter from 1 (## with a leading zero), * the name as it is, and the mark of
// the side stays last.
func (s *Skeleton) Pattern(which []int, pattern string, x Marks) (map[string]string, error) {
	if !strings.ContainsAny(pattern, "#*") && len(which) > 1 {
		return nil, fmt.Errorf("%q gives %d joints the same name: use # for a counter or * for the current name", pattern, len(which))
	}
	out := map[string]string{}
	count := map[Side]int{} // a counter a side
	for _, i := range which {
		stem, side := x.Split(s.Joints[i].Name)
		count[side]++
		name := strings.ReplaceAll(pattern, "*", stem)
		if k := strings.Count(name, "#"); k > 0 {
			first := strings.Index(name, "#")
			digits := fmt.Sprintf("%0*d", k, count[side])
			name = name[:first] + digits + strings.ReplaceAll(name[first:], "#", "")
		}
		out[s.Joints[i].Name] = x.Join(name, side)
	}
	return out, nil
}

// Replace makes names by putting one text for another.
func (s *Skeleton) Replace(which []int, search, with string) (map[string]string, error) {
	if search == "" {
		return nil, fmt.Errorf("enter the text to replace")
	}
	out := map[string]string{}
	for _, i := range which {
		if name := s.Joints[i].Name; strings.Contains(name, search) {
			out[name] = strings.ReplaceAll(name, search, with)
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("no selected joint has %q in its name", search)
	}
	return out, nil
}

// NameMap says which joint of ours another naming calls what: ours → theirs.
type NameMap struct {
	Name   string            `json:"name"`
	Source string            `json:"source"`
	Joints map[string]string `json:"joints"`
	// Marks are those of the sides in its names; zero is as ours are.
	Marks Marks `json:"marks,omitzero"`
}

// Ours returns the map turned round: theirs → ours.
func (m NameMap) Ours() map[string]string {
	out := map[string]string{}
	for ours, theirs := range m.Joints {
		out[theirs] = ours
	}
	return out
}

// NameMaps are the public namings of humanoid joints. The names of ISO/IEC 19774
// are those of its humanoid joint objects at level of articulation one and the
// ends of fingers; the names of VRM 1.0 are its humanoid bones. Both from memory
// of the published tables.
var NameMaps = []NameMap{
	{"hanim", "ISO/IEC 19774 (H-Anim)", both(map[string]string{
		"hips": "sacroiliac", "spine_1": "vl5", "spine_2": "vt12", "spine_3": "vt4", "neck": "vc4", "head": "skullbase", "jaw": "temporomandibular",
	}, map[string]string{
		"thigh": "*_hip", "shank": "*_knee", "foot": "*_talocrural", "toe": "*_metatarsophalangeal_2", "clavicle": "*_sternoclavicular",
		"upper_arm": "*_shoulder", "forearm": "*_elbow", "hand": "*_radiocarpal", "eye": "*_eyeball_joint",
		"thumb_1": "*_carpometacarpal_1", "thumb_2": "*_metacarpophalangeal_1", "thumb_3": "*_carpal_interphalangeal_1",
		"index_1": "*_metacarpophalangeal_2", "index_2": "*_carpal_proximal_interphalangeal_2", "index_3": "*_carpal_distal_interphalangeal_2",
		"middle_1": "*_metacarpophalangeal_3", "middle_2": "*_carpal_proximal_interphalangeal_3", "middle_3": "*_carpal_distal_interphalangeal_3",
		"ring_1": "*_metacarpophalangeal_4", "ring_2": "*_carpal_proximal_interphalangeal_4", "ring_3": "*_carpal_distal_interphalangeal_4",
		"little_1": "*_metacarpophalangeal_5", "little_2": "*_carpal_proximal_interphalangeal_5", "little_3": "*_carpal_distal_interphalangeal_5",
	}, "l", "r"), Marks{"l_", "r_", true}},
	{"vrm", "VRM 1.0 humanoid bones", both(map[string]string{
		"hips": "hips", "spine_1": "spine", "spine_2": "chest", "spine_3": "upperChest", "neck": "neck", "head": "head", "jaw": "jaw",
	}, map[string]string{
		"thigh": "*UpperLeg", "shank": "*LowerLeg", "foot": "*Foot", "toe": "*Toes", "clavicle": "*Shoulder",
		"upper_arm": "*UpperArm", "forearm": "*LowerArm", "hand": "*Hand", "eye": "*Eye",
		"thumb_1": "*ThumbMetacarpal", "thumb_2": "*ThumbProximal", "thumb_3": "*ThumbDistal",
		"index_1": "*IndexProximal", "index_2": "*IndexIntermediate", "index_3": "*IndexDistal",
		"middle_1": "*MiddleProximal", "middle_2": "*MiddleIntermediate", "middle_3": "*MiddleDistal",
		"ring_1": "*RingProximal", "ring_2": "*RingIntermediate", "ring_3": "*RingDistal",
		"little_1": "*LittleProximal", "little_2": "*LittleIntermediate", "little_3": "*LittleDistal",
	}, "left", "right"), Marks{"left", "right", true}},
}

// both spells out the two sides of a map; * stands for the word of the side.
func both(centre, pairs map[string]string, left, right string) map[string]string {
	out := map[string]string{}
	for ours, theirs := range centre {
		out[ours] = theirs
	}
	for ours, theirs := range pairs {
		out[DefaultMarks.Join(ours, Left)] = strings.ReplaceAll(theirs, "*", left)
		out[DefaultMarks.Join(ours, Right)] = strings.ReplaceAll(theirs, "*", right)
	}
	return out
}

// FindNameMap returns the map of that name.
func FindNameMap(name string) (NameMap, error) {
	var names []string
	for _, m := range NameMaps {
		if m.Name == name {
			return m, nil
		}
		names = append(names, m.Name)
	}
	return NameMap{}, fmt.Errorf("there is no name map %q; there are %s", name, strings.Join(names, ", "))
}
