package bind

import (
	"testing"

	"wisemarrow/core/internal/solids"
	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
)

// The account of a method that asks for no nearest bone counts them all the same: of a joint that lost its vertices
// it says how many are nearest to it.
func TestTheAccountCountsWhatIsNearest(t *testing.T) {
	m, s := solids.Tube(1, 0.4, 40, 24), twoBones()
	names := make([]string, len(s.Joints))
	for i, j := range s.Joints {
		names[i] = j.Name
	}
	w := weights.New(names, len(m.Points))
	for v := range w.Of {
		w.Of[v] = []weights.Influence{{Joint: 0, Value: 1}}
	}
	r := Account(m, s, w, Evidence{Method: "by capsules", Deform: s.Deforming()})
	sum := 0
	for _, j := range r.Joints {
		sum += j.Nearest
	}
	require.Equal(t, len(m.Points), sum)
	right := r.Joints[s.Index("right")]
	require.Equal(t, Unsolved, right.State)
	require.Greater(t, right.Nearest, 100)
}
