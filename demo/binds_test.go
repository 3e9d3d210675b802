package demo

import (
	"context"
	"fmt"
	"math/rand/v2"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/internal/need"
	"wisemarrow/internal/spoils"

	"github.com/stretchr/testify/require"
)

// One action binds whatever comes: no vertex without weights, every sum 1, no joint without a
// vertex or a cause, and weights near those of the clean character by heat. The test prints
// the table.
func TestOneActionBindsWhateverComes(t *testing.T) {
	need.Time(t)
	cast := []struct {
		name string
		make func() (*mesh.Mesh, *skeleton.Skeleton)
	}{
		{"Odile", func() (*mesh.Mesh, *skeleton.Skeleton) { return Odile(0.022) }},
		{"Bram", func() (*mesh.Mesh, *skeleton.Skeleton) { return Bram(0.03) }},
		{"Sedge", func() (*mesh.Mesh, *skeleton.Skeleton) { return Sedge(0.016) }},
		{"Plover", func() (*mesh.Mesh, *skeleton.Skeleton) { return Plover(0.0075) }},
	}
	for at, c := range cast {
		clean, s := c.make()
		good, _, err := bind.Automatic(context.Background(), clean, s, bind.DefaultOptions, nil)
		require.NoError(t, err)
		for i, spoil := range spoils.All {
			if i%len(cast) != at || at%2 == 1 && i%3 == 0 { // the others in bench, for time
				continue
			}
			m, sk := spoil.Do(clean, s, rand.New(rand.NewPCG(uint64(i), 5)))
			w, r, err := bind.Automatic(context.Background(), m, sk, bind.DefaultOptions, nil)
			name := fmt.Sprintf("%s, %s", c.name, spoil.Name)
			require.NoError(t, err, name)
			require.Zero(t, r.Unweighted, name)
			require.NoError(t, w.Validate(), name)
			for v, list := range w.Of {
				sum := 0.0
				for _, x := range list {
					sum += x.Value
				}
				require.InDelta(t, 1, sum, 1e-6, "%s, vertex %d", name, v)
			}
			lost := 0
			for _, j := range r.Joints {
				if j.State == bind.Unsolved || j.State == bind.Weak {
					lost++
					require.NotEmpty(t, j.Cause, "%s: %s", name, j.Name)
				}
			}
			told := 0
			for _, way := range r.Ways {
				told += way.Vertices
			}
			require.Equal(t, len(m.Points), told, "%s: every vertex has a way", name)
			off, n := spoils.Apart(clean, s, good, m, sk, w)
			require.Greater(t, 10*n, 9*len(clean.Points), name)
			t.Logf("%-46s %6d vertices, %2d joints lead none, %.4f off the clean, %v", name, len(m.Points), lost, off, r.Ways)
			if off > spoil.Limit() {
				t.Errorf("%s: %.4f off", name, off)
			}
		}
	}
}
