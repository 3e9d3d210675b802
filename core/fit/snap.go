package fit

import (
	"wisemarrow/core/geom"
	"wisemarrow/core/skeleton"
)

// Snap lays a starter over the joints of an existing skeleton: names says which
// joint of the starter (key) stands on which of theirs. Joints of the starter that
// no pair names are carried along and returned as missing, such as finger ends
// and toe tips, to be placed by hand or in the volume.
func Snap(p skeleton.Params, theirs *skeleton.Skeleton, names map[string]string) (s *skeleton.Skeleton, missing []string, err error) {
	starter, err := p.Build()
	if err != nil {
		return nil, nil, err
	}
	box := geom.EmptyBox()
	for _, j := range theirs.Joints {
		box = box.Add(j.Pos)
	}
	f := &fitter{joints: map[string]placed{}, floor: box.Min.Y, height: box.Size().Y}
	for _, j := range starter.Joints {
		if other, ok := names[j.Name]; ok {
			if k := theirs.Index(other); k >= 0 {
				f.put(j.Name, theirs.Joints[k].Pos, 1, "matches "+other)
				continue
			}
		}
		missing = append(missing, j.Name)
	}
	if len(missing) == len(starter.Joints) {
		return nil, missing, skeleton.NoJointError("that the map names")
	}
	f.carry(starter)
	s = starter.Clone()
	for i := range s.Joints {
		q := f.joints[s.Joints[i].Name]
		s.Joints[i].Pos, s.Joints[i].Confidence, s.Joints[i].Reason = q.at, q.confidence, q.reason
	}
	return s, missing, nil
}
