package browser

import (
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
)

// HandOf prepares the joints that a page has for being posed by hand.
func HandOf(joints []Joint, marks skeleton.Marks) (*pose.Hand, error) {
	s, err := skeletonOf(joints)
	if err != nil {
		return nil, err
	}
	return pose.NewHand(s, marks), nil
}
