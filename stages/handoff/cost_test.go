package handoff_test

import (
	"testing"

	"wisemarrow/core/weights"
	"wisemarrow/internal/studiotest"
	"wisemarrow/stages/handoff"
	"wisemarrow/studio"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Weights of 8 bits sum to 255, the largest takes what is missing, and what rounds to nothing goes (glTF 2.0, 3.7.3.1).
func TestWeightsInEightBits(t *testing.T) {
	w := &weights.Weights{Joints: []string{"a", "b", "c"}, Of: [][]weights.Influence{
		{{Joint: 0, Value: 1.0 / 3}, {Joint: 1, Value: 1.0 / 3}, {Joint: 2, Value: 1.0 / 3}},
		{{Joint: 1, Value: 0.9985}, {Joint: 0, Value: 0.0015}},
		{{Joint: 2, Value: 0.5}, {Joint: 0, Value: 0.5}},
		nil,
	}}
	got := handoff.InBits(w, 8)
	for v, list := range got.Of[:3] {
		sum := 0.0
		for _, x := range list {
			assert.InDelta(t, float64(int(x.Value*255+0.5)), x.Value*255, 1e-9)
			sum += x.Value
		}
		assert.InDelta(t, 1, sum, 1e-12, "vertex %d", v)
	}
	assert.Equal(t, []weights.Influence{{Joint: 1, Value: 1}}, got.Of[1])
	assert.Empty(t, got.Of[3])
}

// What a cap costs grows as it falls, is nothing where nothing is cut, and is told where it shows.
func TestWhatACapCostsAtHandoff(t *testing.T) {
	s := studiotest.Do(t, studiotest.Bound(t), "bind_volume", `{"influences":16,"falloff":4,"trace":0}`)
	costs := handoff.Costs(&s)
	require.Len(t, costs, 4)
	assert.Greater(t, costs[0].Farthest, costs[1].Farthest)
	assert.Zero(t, costs[2].Changed)
	assert.Zero(t, costs[2].Farthest)
	assert.Equal(t, int32(-1), costs[2].Vertex)
	assert.GreaterOrEqual(t, costs[3].Changed, costs[0].Changed)
	assert.Equal(t, 8, costs[3].Bits)
	assert.NotEmpty(t, costs[0].Pose)
	told := false
	for _, f := range studio.CheckOnly(&s, "handoff") {
		if f.Code == "cap_cost" {
			told = true
			assert.InDelta(t, costs[0].Farthest, f.Evidence[0].Value, 1e-12)
			assert.Equal(t, []int32{costs[0].Vertex}, f.Where.Vertices)
		}
	}
	assert.Equal(t, costs[0].Over, told)
	assert.True(t, told, "%.4f of the height", costs[0].Share)
	four := studiotest.Do(t, s, "cap_weights", `{"influences":4}`)
	assert.Zero(t, handoff.Costs(&four)[0].Farthest)
	assert.Empty(t, handoff.Costs(&studio.State{}))
}
