package bind

import (
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// A joint that is in the volume already is not offered to be brought there.
func TestWhatIsInTheVolumeIsNotBroughtThere(t *testing.T) {
	r := &studio.Result{Operation: "bind_auto", Report: bind.Report{Joints: []bind.JointReport{
		{Name: "in", State: bind.Unsolved, Nearest: 840, Reason: bind.ReasonHidden, Cause: "another surface is in the way"},
		{Name: "out", State: bind.Unsolved, Outside: 0.8, Reason: bind.ReasonOutside, Cause: "80 % of its bone lies outside the mesh"}}}}
	offered := map[string]bool{}
	for _, f := range studio.Remedied(r.Report.Findings(), remedies(r)) {
		for _, m := range f.Remedies {
			offered[f.Where.Joints[0]] = offered[f.Where.Joints[0]] || m.Op == "bind_inside"
		}
	}
	require.Equal(t, map[string]bool{"in": false, "out": true}, offered)
}
