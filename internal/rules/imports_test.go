// Package rules holds tests of the project's own structure.
package rules

import (
	"os"
	"os/exec"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// What a package may import of ours, by the longest prefix that fits. The rule
// keeps the computation free of interface, files and database.
var may = map[string][]string{
	"wisemarrow/core":    {"wisemarrow/core"},
	"wisemarrow/formats": {"wisemarrow/core", "wisemarrow/formats"},
	"wisemarrow/studio":  {"wisemarrow/core", "wisemarrow/formats"},
	"wisemarrow/stages":  {"wisemarrow/core", "wisemarrow/formats", "wisemarrow/studio", "wisemarrow/stages"},
	"wisemarrow/browser": {"wisemarrow/core", "wisemarrow/browser"},
	"wisemarrow/people":  {},
	"wisemarrow/store":   {"wisemarrow/people", "wisemarrow/studio"},
	"wisemarrow/queue":   {"wisemarrow/studio"},
	"wisemarrow/web": {
		"wisemarrow/internal/notices",
		"wisemarrow/core/finding",
		"wisemarrow/core/wording",
		"wisemarrow/people",
		"wisemarrow/formats",
		"wisemarrow/studio",
		"wisemarrow/stages",
	},
	"wisemarrow/demo": {"wisemarrow/core", "wisemarrow/studio"},

	// The commands on files; "wisemarrow/cmd/wisemarrow-server" is no folder under it and may import all.
	"wisemarrow/cmd/wisemarrow": {
		"wisemarrow/internal/notices",
		"wisemarrow/core",
		"wisemarrow/formats",
		"wisemarrow/studio",
		"wisemarrow/stages",
	},
}

// coreOthers are the packages from elsewhere that core may use: gonum, and what tells whether
// the processor has the instructions of the dense products.
var coreOthers = []string{"gonum.org/v1/gonum", "golang.org/x/sys/cpu"}

func under(path, prefix string) bool { return path == prefix || strings.HasPrefix(path, prefix+"/") }

func TestImportRule(t *testing.T) {
	out, err := exec.Command("go", "list", "-f", "{{.ImportPath}} {{join .Imports \" \"}}", "wisemarrow/...").Output()
	require.NoError(t, err)
	seen := map[string]bool{}
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		f := strings.Fields(line)
		for rule, allowed := range may {
			if !under(f[0], rule) {
				continue
			}
			seen[rule] = true
			for _, i := range f[1:] {
				ok := !under(i, "wisemarrow")
				for _, a := range allowed {
					ok = ok || under(i, a)
				}
				require.True(t, ok, "%s must not import %s", f[0], i)
				if rule == "wisemarrow/stages" && f[0] != rule && under(i, rule) && i != f[0] {
					require.Fail(t, "stages do not import each other", "%s imports %s", f[0], i)
				}
				if rule == "wisemarrow/core" && !under(i, "wisemarrow") && strings.Contains(strings.Split(i, "/")[0], ".") {
					known := false
					for _, c := range coreOthers {
						known = known || under(i, c)
					}
					require.True(t, known, "core must not import %s", i)
				}
			}
		}
	}
	require.Len(t, seen, len(may))
}

// What the commands on files are made of decides how fast they start and how much memory they
// take: a third less than together with the server.
func TestFileCommandsWithoutServer(t *testing.T) {
	out, err := exec.Command("go", "list", "-deps", "wisemarrow/cmd/wisemarrow").Output()
	require.NoError(t, err)
	for _, path := range strings.Fields(string(out)) {
		for _, heavy := range []string{"net/http", "html/template", "crypto/tls", "database/sql", "gorm.io", "github.com/jackc"} {
			require.False(t, under(path, heavy), "the file commands must not bring %s", path)
		}
	}
}

// The page that says where things are names files that are there.
func TestWhereThingsAre(t *testing.T) {
	page, err := os.ReadFile("../../docs/where-is.md")
	require.NoError(t, err)
	n := 0
	for _, line := range strings.Split(string(page), "\n") {
		f := strings.Split(line, "`")
		if !strings.HasPrefix(line, "| ") || len(f) < 3 {
			continue
		}
		n++
		require.Len(t, f, 3, "one file a guess: %s", line)
		require.FileExists(t, "../../"+f[1])
	}
	require.GreaterOrEqual(t, n, 20)
}
