package web

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	_ "wisemarrow/stages" // all operations
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

func TestFieldsOfFormsComeFromTheDescription(t *testing.T) {
	for _, c := range []struct {
		got  func() (string, error)
		want string
	}{
		{func() (string, error) { s, err := bounds("smooth_weights", "passes"); return string(s), err }, `min="1" max="100"`},
		{func() (string, error) { s, err := bounds("weld", "distance", 1000); return string(s), err }, `min="0.0001" step="any"`},
		{func() (string, error) { s, err := bounds("drop_traces", "below"); return string(s), err }, `min="0.0001" max="0.4999" step="any"`},
		{func() (string, error) { s, err := bounds("roll_axes", "degrees"); return string(s), err }, `min="-360" max="360" step="any"`},
		{func() (string, error) { return defaultOf("make_other", "tolerance", 1000) }, "5"},
		{func() (string, error) { return defaultOf("set_weights", "by") }, "0"},
		{func() (string, error) { s, err := options("mirror_weights", "from"); return string(s), err }, `<option value="left" selected>left</option><option value="right">right</option>`},
		{func() (string, error) { s, err := options("mirror_weights", "from", "right"); return string(s), err }, `<option value="left">left</option><option value="right" selected>right</option>`},
	} {
		got, err := c.got()
		require.NoError(t, err)
		require.Equal(t, c.want, got)
	}
	_, err := bounds("smooth_weights", "passed")
	require.ErrorContains(t, err, `smooth_weights has no parameter "passed"`)
	_, err = options("smooth", "passes")
	require.ErrorContains(t, err, `"smooth"`)
}

// What a template says of operations, the registry has: a button or a form for an operation that there is, and
// beside a button that fills it, fields named like its parameters.
func TestTemplatesNameWhatTheRegistryHas(t *testing.T) {
	entries := map[string]studio.Entry{}
	for _, e := range studio.Operations() {
		entries[e.Name] = e
	}
	named := regexp.MustCompile(`data-(op|fill|does|joints)="([a-z_ ]+)"`)
	field := regexp.MustCompile(`<(?:input|select)[^>]* name="?([a-z_]+)"?`)
	list, err := files.ReadDir("templates")
	require.NoError(t, err)
	filled := 0
	for _, f := range list {
		text, err := files.ReadFile("templates/" + f.Name())
		require.NoError(t, err)
		for _, m := range named.FindAllStringSubmatch(string(text), -1) {
			for _, op := range strings.Fields(m[2]) {
				require.Contains(t, entries, op, "%s: %s", f.Name(), m[0])
			}
		}
		for _, row := range strings.Split(string(text), `<div class="tool row"`) {
			row, _, _ = strings.Cut(row, "</div>")
			ops := regexp.MustCompile(`data-fill="([a-z_]+)"`).FindAllStringSubmatch(row, -1)
			for _, m := range field.FindAllStringSubmatch(row, -1) {
				if len(ops) == 0 {
					continue
				}
				filled++
				require.True(
					t,
					slices.ContainsFunc(ops, func(o []string) bool { _, ok := entries[o[1]].Field(m[1]); return ok }),
					"%s: %s is no parameter of %v",
					f.Name(),
					m[1],
					ops,
				)
			}
		}
	}
	require.Greater(t, filled, 4)
}
