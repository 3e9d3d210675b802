package bind_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/formats"
	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"
	"wisemarrow/internal/spoils"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/intake"

	"github.com/stretchr/testify/require"
)

// Real meshes (CGAL's examples, Debian's libcgal-demo), fitted and spoiled: one action, no
// vertex without weights, no joint lost without a cause, and weights near those of the clean
// mesh. Each is spoiled in some ways; go run ./bench spoils prints all.
func TestRealMeshesAreBoundHoweverTheyCome(t *testing.T) {
	need.Time(t)
	for i, mesh := range [][2]string{{"cow", "quadruped"}, {"hand", "hand"}, {"elephant", "quadruped"}, {"man", "biped"}, {"diplodocus", "quadruped"}} {
		name, starter := mesh[0], mesh[1]
		f, err := os.Open(filepath.Join(os.Getenv("WISEMARROW_MESHES"), name+".off"))
		if err != nil {
			need.Skip(t, "WISEMARROW_MESHES has no %s", name)
		}
		scene, err := formats.Decode(name+".off", f, nil, reading.Default)
		require.NoError(t, f.Close())
		require.NoError(t, err)
		s := intake.StateOf(scene, name+".off")
		if name == "man" {
			s = studiotest.Do(t, s, "bake_transform", `{"up":"z","scale":1,"stand":true}`)
		}
		s = studiotest.Do(t, s, "fit_starter", fmt.Sprintf(`{"starter":%q}`, starter))
		good, _, err := bind.Automatic(context.Background(), s.Mesh, s.Skeleton, bind.DefaultOptions, nil)
		require.NoError(t, err)
		for k, spoil := range spoils.All {
			if (k+4*i)%len(spoils.All) >= 2 {
				continue
			}
			m, sk := spoil.Do(s.Mesh, s.Skeleton, rand.New(rand.NewPCG(uint64(k), 7)))
			w, r, err := bind.Automatic(context.Background(), m, sk, bind.DefaultOptions, nil)
			what := name + ", " + spoil.Name
			require.NoError(t, err, what)
			require.Zero(t, r.Unweighted, what)
			require.NoError(t, w.Validate(), what)
			lost := 0
			for _, j := range r.Joints {
				if j.State == bind.Unsolved || j.State == bind.Weak {
					lost++
					require.NotEmpty(t, j.Cause, what)
				}
			}
			off, n := spoils.Apart(s.Mesh, s.Skeleton, good, m, sk, w)
			require.Greater(t, 10*n, 9*len(s.Mesh.Points)/2, what)
			t.Logf("%-42s %6d vertices, %d joints lead none, %.4f off, %v", what, len(m.Points), lost, off, r.Ways)
			if off > spoil.Limit() {
				t.Errorf("%s: %.4f off", what, off)
			}
		}
	}
}
