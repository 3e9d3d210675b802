package finding_test

import (
	"encoding/json"
	"fmt"
	"testing"

	"wisemarrow/core/finding"

	"github.com/stretchr/testify/require"
)

func TestWorst(t *testing.T) {
	note, harm, block := finding.Finding{
		Severity: finding.Note,
	}, finding.Finding{
		Severity: finding.Harms,
	}, finding.Finding{
		Severity: finding.Blocks,
	}
	require.Equal(t, finding.Severity(""), finding.Worst(nil))
	require.Equal(t, finding.Note, finding.Worst([]finding.Finding{note}))
	require.Equal(t, finding.Harms, finding.Worst([]finding.Finding{note, harm, note}))
	require.Equal(t, finding.Blocks, finding.Worst([]finding.Finding{note, harm, block, harm}))
}

// The check report of the command line promises these names.
func TestReportNames(t *testing.T) {
	out, err := json.Marshal(
		finding.Finding{
			Code:     "c",
			Severity: finding.Harms,
			Count:    2,
			Evidence: []finding.Evidence{{What: "gap", Value: 0.5, Limit: 0.1, Unit: "m"}},
		},
	)
	require.NoError(t, err)
	var got map[string]any
	require.NoError(t, json.Unmarshal(out, &got))
	for _, name := range []string{"code", "severity", "count", "evidence", "title", "why"} {
		require.Contains(t, got, name)
	}
}

func ExampleWorst() {
	fmt.Println(finding.Worst([]finding.Finding{{Severity: finding.Note}, {Severity: finding.Harms}}))
	// Output: harms
}
