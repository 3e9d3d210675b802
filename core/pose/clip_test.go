package pose_test

import (
	"testing"

	"wisemarrow/core/geom"
	"wisemarrow/core/pose"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/num/quat"
	"gonum.org/v1/gonum/spatial/r3"
)

func TestClipsGiveTheirFramesAndNameWhatDoesNotFit(t *testing.T) {
	q := geom.AxisAngle(r3.Vec{X: 1}, 0.5)
	c := &pose.Clip{Name: "bow", Step: 0.04, Joints: []string{"spine", "head"}, Root: []r3.Vec{{}, {Y: -0.1}}, Turns: [][]quat.Number{{geom.Identity, geom.Identity}, {q, geom.Identity}}}
	require.NoError(t, c.Validate())
	require.Equal(t, 2, c.Frames())
	p, root := c.At(1)
	require.Equal(t, r3.Vec{Y: -0.1}, root)
	require.Equal(t, pose.Pose{"spine": q, "head": geom.Identity}, p)
	for want, spoil := range map[string]func(c *pose.Clip){
		"seconds":            func(c *pose.Clip) { c.Step = 0 },
		"places of the root": func(c *pose.Clip) { c.Root = c.Root[:1] },
		"frame 1":            func(c *pose.Clip) { c.Turns = [][]quat.Number{c.Turns[0], c.Turns[1][:1]} },
	} {
		d := *c
		spoil(&d)
		require.ErrorContains(t, d.Validate(), want)
	}
}
