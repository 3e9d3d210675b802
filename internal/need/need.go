// Package need is for tests that need something of the machine: where it is missing
// they are skipped, but not in CI, where a test that did not run would look like one that
// passed.
package need

import (
	"os"
	"testing"
)

// Skip skips a test for want of something; with CI set it fails.
func Skip(t testing.TB, format string, args ...any) {
	t.Helper()
	if os.Getenv("CI") != "" {
		t.Fatalf("in CI this must be there: "+format, args...)
	}
	t.Skipf(format, args...)
}

// Time skips a test that only computes for long where time is short, as under the race
// detector: what it would race over is run by shorter ones too.
func Time(t testing.TB) {
	t.Helper()
	if testing.Short() {
		t.Skip("it takes long")
	}
}
