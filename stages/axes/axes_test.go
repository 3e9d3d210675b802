package axes_test

import (
	"testing"

	"wisemarrow/core/deform"
	"wisemarrow/core/pose"
	"wisemarrow/internal/studiotest"

	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/spatial/r3"
)

func TestSettingAxesMovesNeitherJointsNorSkin(t *testing.T) {
	s := studiotest.Bound(t)
	out := studiotest.Do(t, s, "set_axes", `{"aim":"x","bend":"z","sides":"mirror","world":[0,0,1],"from":"bend"}`)
	rest := deform.Linear(out.Mesh.Points, out.Weights, pose.Skin(out.Skeleton, nil))
	for v, p := range rest {
		require.InDelta(t, 0, r3.Norm(r3.Sub(p, s.Mesh.Points[v])), 1e-12)
	}
}
