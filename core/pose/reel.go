package pose

import (
	"fmt"

	"wisemarrow/core/skeleton"
)

// Reel is a range-of-motion test: frames that each turn one joint, part of the way to an end of one
// of its trials.
type Reel struct {
	Frames []Tried
	Trials []skeleton.Trial
	Of     []int // by frame: its trial
}

// NewReel goes through trials: from rest to each end in so many steps, by a share of the range.
func NewReel(s *skeleton.Skeleton, trials []skeleton.Trial, steps int, share float64) Reel {
	r := Reel{Trials: trials}
	for i, t := range trials {
		for _, end := range t.Degrees {
			if end == 0 {
				continue
			}
			for k := 1; k <= steps; k++ {
				degrees := share * end * float64(k) / float64(steps)
				name := s.Joints[t.Joint].Name
				r.Frames = append(r.Frames, Tried{fmt.Sprintf("%s %s %.0f°", name, t.Name, degrees), t.Joint, Pose{name: AboutWorld(s, t, degrees)}})
				r.Of = append(r.Of, i)
			}
		}
	}
	return r
}
