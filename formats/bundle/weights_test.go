package bundle_test

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"testing"

	"wisemarrow/core/weights"
	"wisemarrow/formats/bundle"

	"github.com/stretchr/testify/require"
)

// A vertex of a file may follow more joints than a page draws: it gets the heaviest.
func TestAViewOfManyInfluencesHasTheHeaviest(t *testing.T) {
	w := weights.New(make([]string, 40), 1)
	for j := range w.Joints {
		w.Joints[j] = fmt.Sprint("j", j)
		w.Of[0] = append(w.Of[0], weights.Influence{Joint: int32(j), Value: float64(j+1) / 820})
	}
	weights.Sort(w.Of[0])
	data, err := bundle.WeightsView(w)
	require.NoError(t, err)
	var meta struct {
		Arrays []struct {
			Name      string
			At, Count int
		}
	}
	long := binary.LittleEndian.Uint32(data[4:])
	require.NoError(t, json.NewDecoder(bytes.NewReader(data[8:8+long])).Decode(&meta))
	for _, a := range meta.Arrays {
		if a.Name == "start" {
			start := make([]int32, a.Count)
			_, err := binary.Decode(data[8+int(long)+a.At:], binary.LittleEndian, start)
			require.NoError(t, err)
			require.EqualValues(t, bundle.Drawn, start[40])
			require.EqualValues(t, 0, start[24], "the lightest are left out")
		}
	}
	require.Len(t, w.Of[0], 40, "what is stored stays")
}
