package wording_test

import (
	"fmt"
	"testing"

	"wisemarrow/core/wording"

	"github.com/stretchr/testify/require"
)

func TestNumbersReadAsPeopleSayThem(t *testing.T) {
	for m, want := range map[float64]string{0: "0 mm", 1.7: "1.70 m", 0.123: "12.3 cm", 0.0042: "4.2 mm", 0.00005: "0.05 mm", -0.5: "-50.0 cm", 1.2e-17: "under 0.01 mm", 151: "151.00 m", 12345: "12\u202f345 m"} {
		require.Equal(t, want, wording.Length(m))
	}
	for x, want := range map[float64]string{0: "0%", 0.17: "17%", 0.005: "0.5%", 0.0005: "0.05%", 1e-9: "under 0.01%", 1.1: "110%"} {
		require.Equal(t, want, wording.Percent(x))
	}
	require.Equal(t, "\u221217%", wording.Signed(-0.17))
	require.Equal(t, "+3%", wording.Signed(0.03))
	require.Equal(t, "1 piece", wording.Count(1, "piece", "pieces"))
	require.Equal(t, "0 pieces", wording.Count(0, "piece", "pieces"))
	require.Equal(t, "12\u202f400 vertices", wording.Count(12400, "vertex", "vertices"))
}

func Example() {
	fmt.Println(wording.Count(1, "joint moves", "joints move"), wording.Length(0.034))
	// Output: 1 joint moves 3.4 cm
}
