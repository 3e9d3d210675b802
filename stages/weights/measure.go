package weights

import (
	"wisemarrow/core/deform"
	"wisemarrow/studio"
)

// Measure tells what a pose, degrees by name of joint, does to the skin of a bound
// character: the same as the page's own core tells, byte for byte.
func Measure(s *studio.State, angles map[string][4]float64) (deform.Measures, error) {
	if s.Weights == nil || s.Mesh == nil || s.Skeleton == nil {
		return deform.Measures{}, studio.Wrong("no weights yet: bind first")
	}
	skin, err := s.Skin()
	if err != nil {
		return deform.Measures{}, err
	}
	return skin.Measure(angles), nil
}
