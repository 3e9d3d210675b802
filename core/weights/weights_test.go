package weights_test

import (
	"fmt"
	"math"
	"testing"

	"wisemarrow/core/weights"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestCleanKeepsTheHeaviestAndSumsToOne(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(0, 12).Draw(t, "n")
		var list []weights.Influence
		heaviest := 0.0
		for j := range n {
			v := rapid.Float64Range(0, 1).Draw(t, "v")
			list = append(list, weights.Influence{Joint: int32(j), Value: v})
			heaviest = math.Max(heaviest, v)
		}
		cap := rapid.IntRange(1, 8).Draw(t, "cap")
		out := weights.Clean(list, weights.Limits{Cap: cap, Trace: 0.1})
		require.LessOrEqual(t, len(out), cap)
		if heaviest == 0 {
			require.Empty(t, out)
			return
		}
		sum := 0.0
		for i, x := range out {
			sum += x.Value
			if i > 0 {
				require.LessOrEqual(t, x.Value, out[i-1].Value)
			}
		}
		require.InDelta(t, 1, sum, 1e-12)
		require.Equal(t, heaviest, list[out[0].Joint].Value)
		for i, x := range weights.Clean(out, weights.Limits{Cap: cap}) {
			require.Equal(t, out[i].Joint, x.Joint, "cleaning twice is cleaning once")
			require.InDelta(t, out[i].Value, x.Value, 1e-15)
		}
	})
}

func TestCleanDropsWhatIsNoNumber(t *testing.T) {
	out := weights.Clean([]weights.Influence{{0, math.NaN()}, {1, math.Inf(1)}, {2, -1}, {3, 0.2}}, weights.Limits{Cap: 4})
	require.Equal(t, []weights.Influence{{3, 1}}, out)
}

func TestGatherFollowsVertices(t *testing.T) {
	w := weights.FromColumns([]string{"a", "b"}, [][]float64{{1, 0, 0.5}, {0, 1, 0.5}}, 3, weights.Limits{Cap: 4})
	out := w.Gather([]int32{2, 0, -1})
	require.Equal(t, w.Of[2], out.Of[0])
	require.Equal(t, w.Of[0], out.Of[1])
	require.Empty(t, out.Of[2])
	require.NoError(t, out.Validate())
}

func TestValidateNamesTheVertex(t *testing.T) {
	for text, list := range map[string][]weights.Influence{
		"joint 5 of 1": {{5, 1}}, "weight -1": {{0, -1}}, "twice": {{0, 0.5}, {0, 0.5}}, "sum to 0.5": {{0, 0.5}},
	} {
		w := weights.New([]string{"a"}, 2)
		w.Of[1] = list
		require.ErrorContains(t, w.Validate(), text)
		require.ErrorContains(t, w.Validate(), "vertex 1")
	}
}

func ExampleFromColumns() {
	w := weights.FromColumns([]string{"thigh", "shank"}, [][]float64{{0.9, 0.0004}, {0.3, 0.8}}, 2, weights.Limits{Cap: 4, Trace: 0.001})
	fmt.Printf("%.2f\n", w.Column(0))
	// Output: [0.75 0.00]
}

// Removing gives shares to the next that stays, through several removed ones;
// what is dropped is made up for by the rest.
func TestHandedGivesTheSharesOn(t *testing.T) {
	w := &weights.Weights{Joints: []string{"a", "b", "c", "d"}, Of: [][]weights.Influence{
		{{Joint: 2, Value: 0.7}, {Joint: 1, Value: 0.3}},
		{{Joint: 0, Value: 0.5}, {Joint: 3, Value: 0.5}},
		{{Joint: 3, Value: 1}},
	}}
	share := func(w *weights.Weights, v int) map[string]float64 {
		out := map[string]float64{}
		for _, x := range w.Of[v] {
			out[w.Joints[x.Joint]] += x.Value
		}
		return out
	}
	out := w.Handed(map[string]string{"a": "root"}, map[string]string{"c": "b", "b": "a", "d": ""})
	require.Equal(t, []string{"root"}, out.Joints)
	require.InDeltaMapValues(t, map[string]float64{"root": 1}, share(out, 0), 1e-12)
	require.InDeltaMapValues(t, map[string]float64{"root": 1}, share(out, 1), 1e-12)
	require.Empty(t, out.Of[2], "nothing is left of it")
	// To a joint that had no weights so far.
	out = w.Handed(nil, map[string]string{"d": "e"})
	require.InDeltaMapValues(t, map[string]float64{"a": 0.5, "e": 0.5}, share(out, 1), 1e-12)
	require.InDeltaMapValues(t, map[string]float64{"c": 0.7, "b": 0.3}, share(w, 0), 1e-12, "the old ones stay")
}

// The shares of chosen joints come from another result, the others keep their proportions,
// sums are 1, and vertices that neither has chosen joints at stay as they are.
func TestSharesOfSomeJointsFromAnotherResult(t *testing.T) {
	a, b := weights.New([]string{"x", "y", "z"}, 5), weights.New([]string{"z", "x", "q"}, 5)
	a.Of[0] = []weights.Influence{{Joint: 0, Value: 0.5}, {Joint: 1, Value: 0.3}, {Joint: 2, Value: 0.2}}
	b.Of[0] = []weights.Influence{{Joint: 1, Value: 0.8}, {Joint: 0, Value: 0.2}}
	a.Of[1] = []weights.Influence{{Joint: 1, Value: 1}}
	b.Of[1] = []weights.Influence{{Joint: 0, Value: 1}}
	a.Of[2] = []weights.Influence{{Joint: 0, Value: 1}}
	b.Of[2] = []weights.Influence{{Joint: 0, Value: 0.6}, {Joint: 1, Value: 0.4}}
	a.Of[3] = []weights.Influence{{Joint: 0, Value: 1}}
	b.Of[3] = []weights.Influence{{Joint: 2, Value: 1}}
	out := weights.Merged(nil, a, b, []string{"x", "nobody"}, weights.Limits{})
	require.InDelta(t, 0.8, out.Value(0, 0), 1e-12)
	require.InDelta(t, 0.12, out.Value(0, 1), 1e-12)
	require.InDelta(t, 0.08, out.Value(0, 2), 1e-12)
	require.Equal(t, a.Of[1], out.Of[1])
	require.InDelta(t, 0.4, out.Value(2, 0), 1e-12, "nothing else was there: as the other has it")
	require.InDelta(t, 0.6, out.Value(2, 2), 1e-12)
	require.Equal(t, a.Of[3], out.Of[3], "what the other gives to a joint that is not here stays")
	require.Empty(t, out.Of[4])
	require.NoError(t, out.Validate())
}
