package rules

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	_ "wisemarrow/stages"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

// core measures; which operation mends what it finds is for the stages to say. So no file of core
// holds the name of an operation. Names of one word are words of their own, and do not count.
func TestCoreNamesNoOperation(t *testing.T) {
	names := map[string]bool{}
	for _, e := range studio.Operations() {
		if strings.Contains(e.Name, "_") {
			names[e.Name] = true
		}
	}
	require.Greater(t, len(names), 80)
	out, err := exec.Command("go", "list", "-f", "{{range .GoFiles}}{{$.Dir}}/{{.}}\n{{end}}", "wisemarrow/core/...").Output()
	require.NoError(t, err)
	files := strings.Fields(string(out))
	require.Greater(t, len(files), 100)
	for _, path := range files {
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		require.NoError(t, err)
		ast.Inspect(file, func(n ast.Node) bool {
			if f, ok := n.(*ast.KeyValueExpr); ok {
				if key, ok := f.Key.(*ast.Ident); ok && key.Name == "Code" {
					return false // of a finding, which may be called as what is found
				}
			}
			if l, ok := n.(*ast.BasicLit); ok && l.Kind == token.STRING {
				text, _ := strconv.Unquote(l.Value)
				require.False(t, names[text], "%s names the operation %s", filepath.Base(path), text)
			}
			return true
		})
	}
}
