package rules

import (
	"os"
	"os/exec"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// widest is how many columns a line of Go may have, tabs of four; what stands between quotes does not
// count, as sentences are not broken up.
const widest = 140

var quoted = regexp.MustCompile("\"(?:[^\"\\\\]|\\\\.)*\"|`[^`]*`")

func TestLinesAreNotTooWide(t *testing.T) {
	out, err := exec.Command("git", "ls-files", "--full-name", ":/*.go").Output()
	require.NoError(t, err)
	files := strings.Fields(string(out))
	require.Greater(t, len(files), 300)
	for _, f := range files {
		if strings.HasPrefix(f, "internal/mutants/") { // a table of other files' lines
			continue
		}
		text, err := os.ReadFile("../../" + f)
		require.NoError(t, err)
		within := false // a raw string of several lines
		for i, line := range strings.Split(string(text), "\n") {
			code := quoted.ReplaceAllString(line, "")
			inside := within
			if strings.Count(code, "`")%2 == 1 {
				within = !within
			}
			if inside || within {
				continue
			}
			if n := len([]rune(strings.ReplaceAll(code, "\t", "    "))); n > widest {
				t.Errorf("%s:%d: %d columns", f, i+1, n)
			}
		}
	}
}
