package rules

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// What is not said to people, see docs/words.md. Single words are keys as often as not and pass.
var unwelcome = regexp.MustCompile(
	`(?i)\b(anew|in vain|likewise|neighbours?|(centi|milli|kilo)?metres?|colours?|grey|centre[ds]?|middle plane|` +
		`lies? (on|between|in|inside|over|apart)|hangs? from|hung|hangs? elsewhere|keeps? to nothing|share of (a|the) (joint|vertex)|` +
		`meant so|is no (plain|finite|valid|number|place|length)|as it rests|doubled|modell\w+|armour|stylised|take hold|none chosen|the chosen|chosen joints?)\b`,
)

// Texts that look like words and are not: what the program looks for in names and synonyms of the finder.
var (
	synonyms = regexp.MustCompile(`words: '[^']*'`)
	inJS     = regexp.MustCompile("'((?:[^'\\\\]|\\\\.)*)'|`([^`]*)`")
	inHTML   = regexp.MustCompile(`>([^<>]+)<|(?:title|placeholder|aria-label)="([^"]*)"`)
	filled   = regexp.MustCompile(`\$\{[^}]*\}|\{\{[^}]*\}\}`)
)

// keys are texts with a space that programs read.
var keys = map[string]bool{"middle plane": true, "chosen also tip shown facing centred along step": true}

// TestWords reads what the program says: literals of Go with a space, texts and titles of templates, strings of modules.
func TestWords(t *testing.T) {
	told := map[string]int{}
	say := func(kind, where, text string) {
		text = filled.ReplaceAllString(text, "")
		if !strings.Contains(strings.TrimSpace(text), " ") || keys[text] {
			return
		}
		told[kind]++
		if w := unwelcome.FindString(text); w != "" {
			t.Errorf("%s: %q is not a word of ours (docs/words.md): %s", where, w, text)
		}
	}
	err := filepath.WalkDir("../..", func(path string, d os.DirEntry, err error) error {
		require.NoError(t, err)
		path = strings.TrimPrefix(filepath.ToSlash(path), "../../")
		if d.IsDir() {
			if n := d.Name(); n != ".." &&
				(strings.HasPrefix(n, ".") || n == "node_modules" || n == "vendor" || path == "demo" || path == "bench" || path == "internal" || path == "bin") {
				return filepath.SkipDir
			}
			return nil
		}
		switch {
		case strings.HasSuffix(path, ".go") && !strings.HasSuffix(path, "_test.go"):
			goWords(t, path, func(line int, s string) { say("go", path+":"+strconv.Itoa(line), s) })
		case strings.HasPrefix(path, "web/templates/"), strings.HasPrefix(path, "web/static/js/") && strings.HasSuffix(path, ".js"):
			data, err := os.ReadFile("../../" + path)
			require.NoError(t, err)
			kind, find := "html", inHTML
			if strings.HasSuffix(path, ".js") {
				kind, find = "js", inJS
			}
			for i, line := range strings.Split(string(data), "\n") {
				if strings.HasPrefix(strings.TrimSpace(line), "//") {
					continue
				}
				for _, m := range find.FindAllStringSubmatch(synonyms.ReplaceAllString(line, ""), -1) {
					say(kind, path+":"+strconv.Itoa(i+1), m[1]+m[2])
				}
			}
		}
		return nil
	})
	require.NoError(t, err)
	for _, kind := range []string{"go", "html", "js"} {
		require.Greater(t, told[kind], 300, "%s: the reader of words has gone blind", kind)
	}
}

// goWords gives the string literals of a Go file, but for tags, imports and the finder's synonyms.
func goWords(t *testing.T, path string, say func(line int, s string)) {
	set := token.NewFileSet()
	f, err := parser.ParseFile(set, "../../"+path, nil, 0)
	require.NoError(t, err)
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.KeyValueExpr:
			if k, ok := n.Key.(*ast.Ident); ok && k.Name == "Words" {
				return false
			}
		case *ast.Field:
			n.Tag = nil
		case *ast.BasicLit:
			if s, err := strconv.Unquote(n.Value); n.Kind == token.STRING && err == nil {
				say(set.Position(n.Pos()).Line, s)
			}
		}
		return true
	})
}
