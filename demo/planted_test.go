package demo

import (
	"context"
	"testing"

	"wisemarrow/core/bind"
	"wisemarrow/core/mesh"
	"wisemarrow/core/skeleton"
	"wisemarrow/core/weights"
	"wisemarrow/internal/need"
	"wisemarrow/internal/planted"

	"github.com/stretchr/testify/require"
)

// Faults that are planted in good weights are found, each at its spot, and nothing is found where nothing was
// planted. The whole table: go run ./bench planted.
func TestPlantedFaultsAreFound(t *testing.T) {
	need.Time(t)
	type body struct {
		name string
		m    *mesh.Mesh
		s    *skeleton.Skeleton
	}
	var bodies []body
	add := func(name string, m *mesh.Mesh, s *skeleton.Skeleton) { bodies = append(bodies, body{name, m, s}) }
	m, s := Odile(0.0165)
	add("Odile", m, s)
	m, s = Sedge(0.015)
	add("Sedge", m, s)
	for _, v := range Strangers(91, 2) {
		m, s := v.Make()
		add(v.Name, m, s)
	}
	for _, b := range bodies {
		w, _, err := bind.Automatic(context.Background(), b.m, b.s, bind.DefaultOptions, nil)
		require.NoError(t, err)
		net, err := weights.NetOf(b.m)
		require.NoError(t, err)
		pairs := b.s.Pairs(skeleton.DefaultMarks)
		partner := make([]int32, len(w.Joints)) // the weights have the skeleton's order
		for i := range partner {
			require.Equal(t, b.s.Joints[i].Name, w.Joints[i])
			partner[i] = int32(i)
			if pairs.Partner[i] >= 0 {
				partner[i] = int32(pairs.Partner[i])
			}
		}
		problems := func(w *weights.Weights) []weights.Problem {
			return weights.Edit(w, nil, nil, 0).Problems(net, b.s, nil, partner)
		}
		clean := problems(w)
		require.Less(t, len(clean), 8, "%s: %v", b.name, clean)
		at := planted.NewBody(b.m, b.s, w)
		hits, tried := 0, 0
		for _, f := range planted.Faults() {
			bad, touched := f.Do(at)
			if len(touched) == 0 {
				continue
			}
			tried++
			if planted.Hit(problems(bad), clean, touched) {
				hits++
			} else {
				t.Logf("%s: %s in %d vertices is not found", b.name, f.Name, len(touched))
			}
		}
		require.GreaterOrEqual(t, 30*hits, 28*tried, "%s: %d of %d", b.name, hits, tried)
		e := weights.Edit(at.Weights, nil, nil, 4)
		require.Zero(t, e.DropFar(nil, net, b.s, partner), "nothing is taken from what is clean")
	}
}
