package solve_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/deform"
	"wisemarrow/core/fit"
	"wisemarrow/core/guide"
	"wisemarrow/core/pose"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/solve"
	"wisemarrow/core/weights"
	"wisemarrow/formats/off"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Animals of Debian's libcgal-demo, coarse and of other proportions than anything here, come through the reel better.
func TestRealMeshesBendBetter(t *testing.T) {
	dir := os.Getenv("WISEMARROW_MESHES")
	if dir == "" {
		need.Skip(t, "WISEMARROW_MESHES is not set")
	}
	ctx := context.Background()
	for name, starter := range map[string]string{"cow": "quadruped", "hand": "hand"} {
		file, err := os.Open(filepath.Join(dir, name+".off"))
		require.NoError(t, err)
		m, err := off.Decode(file, reading.Default)
		require.NoError(t, err)
		require.NoError(t, file.Close())
		kind, err := skeleton.FindKind(starter)
		require.NoError(t, err)
		s, _, err := fit.Fit(ctx, m, fit.Options{Params: kind.Default}, nil)
		require.NoError(t, err)
		w, _, err := bind.Automatic(ctx, m, s, bind.DefaultOptions, nil)
		require.NoError(t, err)
		g, err := guide.NewSolid(ctx, m, w, s, guide.Options{})
		require.NoError(t, err)
		out, err := solve.ForMotion(
			ctx,
			m,
			w,
			s,
			g,
			solve.Options{Limits: bind.DefaultOptions.Limits, Dial: 1, Marks: skeleton.DefaultMarks},
			nil,
			nil,
		)
		require.NoError(t, err)
		assert.Less(t, out.After, 0.8*out.Before, name)
		tris, _ := m.Triangles()
		var scores []float64
		for _, w := range []*weights.Weights{w, out.Weights} {
			skin, err := deform.NewSkin(m.World(), tris, w, s, nil)
			require.NoError(t, err)
			checked, err := skin.Check(ctx, pose.NewReel(s, pose.DefaultReel), deform.CheckOptions{}, nil)
			require.NoError(t, err)
			scores = append(scores, checked.Score)
		}
		assert.Less(t, scores[1], scores[0], name)
	}
}
