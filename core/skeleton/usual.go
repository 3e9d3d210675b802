package skeleton

import "math"

// Ranges are how far a joint usually turns about its three axes, in degrees.
type Ranges struct{ Bend, Side, Twist [2]float64 }

// usual are the ranges of active motion in degrees from the neutral position (American
// Academy of Orthopaedic Surgeons, Joint Motion, 1965; values from memory). Bend is flexion,
// of the ankle dorsiflexion, of the toe extension; side is abduction; twist is turning
// inward, of the elbow the forearm's.
var usual = map[Motion]Ranges{
	Shoulder: {[2]float64{-60, 180}, [2]float64{-50, 180}, [2]float64{-90, 70}},
	Elbow:    {[2]float64{0, 150}, [2]float64{0, 0}, [2]float64{-80, 80}},
	Wrist:    {[2]float64{-70, 80}, [2]float64{-20, 30}, [2]float64{0, 0}},
	Finger:   {[2]float64{0, 100}, [2]float64{-15, 15}, [2]float64{0, 0}},
	Thumb:    {[2]float64{0, 80}, [2]float64{-35, 35}, [2]float64{0, 0}},
	Hip:      {[2]float64{-30, 120}, [2]float64{-30, 45}, [2]float64{-45, 45}},
	Knee:     {[2]float64{0, 135}, [2]float64{0, 0}, [2]float64{-10, 30}},
	Ankle:    {[2]float64{-50, 20}, [2]float64{-35, 20}, [2]float64{0, 0}},
	Toe:      {[2]float64{-40, 70}, [2]float64{0, 0}, [2]float64{0, 0}},
}

// UsualOf returns how far each joint of a person usually turns about its axes, in degrees
// from the rest pose; nil where nothing is known of it. Elbows, knees and fingers are
// counted from straight, others from rest; of a shoulder, whose rest may be any, the bend
// and the side are not told.
func (s *Skeleton) UsualOf(x Marks) []*Ranges {
	b := s.body(x)
	out := make([]*Ranges, len(s.Joints))
	for i := range out {
		r, known := b.ranges(i)
		if !known || b.motion[i] == Shoulder {
			continue
		}
		switch b.motion[i] {
		case Elbow, Knee, Finger:
			_, bent := b.fold(i)
			bent *= 180 / math.Pi
			r.Bend[0], r.Bend[1] = r.Bend[0]-bent, r.Bend[1]-bent
		}
		out[i] = &r
	}
	return out
}

// ranges returns the usual ranges of a joint of a person.
func (b *body) ranges(i int) (Ranges, bool) {
	r, known := usual[b.motion[i]]
	return r, known && !b.lying && !b.winged
}
