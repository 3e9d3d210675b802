package skeleton

import "math"

// usual are the ranges of active motion in degrees of flexion from the neutral position
// (American Academy of Orthopaedic Surgeons, Joint Motion, 1965; values from memory).
// Ankle: dorsiflexion is positive. Toe: extension is positive.
var usual = map[Motion][2]float64{
	Elbow: {0, 150}, Wrist: {-70, 80}, Finger: {0, 100}, Thumb: {0, 80}, Hip: {-30, 120}, Knee: {0, 135}, Ankle: {-50, 20}, Toe: {-40, 70},
}

// UsualOf returns how far each joint of a person usually bends about its bend axis, in
// degrees from the rest pose; nil where nothing is known of it. Elbows, knees and fingers
// are counted from straight, others from rest.
func (s *Skeleton) UsualOf(x Marks) []*[2]float64 {
	b := s.body(x)
	out := make([]*[2]float64, len(s.Joints))
	for i := range out {
		if low, high, known := b.usual(i); known {
			out[i] = &[2]float64{low, high}
		}
	}
	return out
}

func (b *body) usual(i int) (low, high float64, known bool) {
	r, known := usual[b.motion[i]]
	if !known || b.lying || b.winged {
		return 0, 0, false
	}
	switch b.motion[i] {
	case Elbow, Knee, Finger:
		_, bent := b.fold(i)
		bent *= 180 / math.Pi
		return r[0] - bent, r[1] - bent, true
	}
	return r[0], r[1], true
}
