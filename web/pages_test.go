package web

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"wisemarrow/core/finding"
	"wisemarrow/formats/reading"
	"wisemarrow/studio"

	"github.com/stretchr/testify/require"
)

func TestNumbersReadWell(t *testing.T) {
	require.Equal(t, "12", measure(finding.Evidence{}, 12))
	require.Equal(t, "0.0456", measure(finding.Evidence{}, 0.0456))
	require.Equal(t, "2.0 cm", measure(finding.Evidence{Unit: "m"}, 0.02))
}

func TestEveryErrorHasItsStatus(t *testing.T) {
	for err, want := range map[error]int{
		fmt.Errorf("x: %w", studio.ErrFull):                                 http.StatusInsufficientStorage,
		studio.StaleError{Head: 3}:                                          http.StatusConflict,
		fmt.Errorf("x: %w", studio.ErrNotFound):                             http.StatusNotFound,
		fmt.Errorf("x: %w", studio.ErrDown):                                 http.StatusServiceUnavailable,
		fmt.Errorf("x: %w", reading.ErrTooLarge):                            http.StatusRequestEntityTooLarge,
		studio.InputError{What: "line 3: no"}:                               http.StatusUnprocessableEntity,
		studio.Wrong("a.obj: %v", fmt.Errorf("x: %w", reading.ErrTooLarge)): http.StatusRequestEntityTooLarge,
		errors.New("pq: secret detail of the database schema"):              http.StatusInternalServerError,
	} {
		code, text := status(err)
		require.Equal(t, want, code, err)
		require.NotContains(t, text, "secret")
		require.Greater(t, len(text), 5)
	}
}

// Names come from people and files; none may become markup.
func TestNamesAreEscaped(t *testing.T) {
	p := parsePages()
	nasty := `<script>alert("x")</script>`
	w := httptest.NewRecorder()
	p.render(
		w,
		httptest.NewRequest("GET", "/", nil),
		"workbench",
		map[string]any{
			"Character": studio.Character{ID: "a", Name: nasty, Production: nasty},
			"Stage":     "intake",
			"Stages":    []studio.Reviewed{},
		},
	)
	require.Equal(t, 200, w.Code)
	require.NotContains(t, w.Body.String(), "<script>alert")
	w = httptest.NewRecorder()
	p.fragment(
		w,
		"findings",
		map[string]any{
			"Stage": studio.Reviewed{
				Name: "intake",
				Findings: []finding.Finding{
					{
						Code:  "c",
						Title: nasty,
						Why:   nasty,
						Remedies: []finding.Remedy{
							{Label: nasty, Op: "weld", Params: json.RawMessage(`{"x": "<script>alert('x')</script>"}`)},
						},
					},
				},
			},
		},
	)
	require.Equal(t, 200, w.Code)
	require.NotContains(t, w.Body.String(), "<script>alert")
	require.Contains(t, w.Body.String(), "data-params=")
}

func TestABrokenTemplateSendsNothingHalf(t *testing.T) {
	w := httptest.NewRecorder()
	parsePages().fragment(w, "no such template", nil)
	require.Equal(t, http.StatusInternalServerError, w.Code)
	require.NotContains(t, w.Body.String(), "<html")
}

func TestAuthorNames(t *testing.T) {
	for in, want := range map[string]string{"  Mira ": "Mira", "a;b\"c,d\\e\n": "abcde", strings.Repeat("x", 90): strings.Repeat("x", 60)} {
		require.Equal(t, want, cleanName(in))
	}
	r := httptest.NewRequest("GET", "/", nil)
	require.Equal(t, "Rigger", author(r))
	r.AddCookie(&http.Cookie{Name: authorCookie, Value: "Mira"})
	require.Equal(t, "Mira", author(r))
}

func TestPagesAllowOnlyTheirOwnScripts(t *testing.T) {
	w := httptest.NewRecorder()
	secured(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {})).ServeHTTP(w, httptest.NewRequest("GET", "/", nil))
	policy := w.Header().Get("Content-Security-Policy")
	require.Contains(t, policy, "script-src 'self' 'wasm-unsafe-eval' 'sha256-"+importMapHash()+"'")
	require.NotContains(
		t,
		strings.ReplaceAll(policy, "'wasm-unsafe-eval'", ""),
		"unsafe-eval",
		"WebAssembly may be compiled and nothing else",
	)
	require.NotContains(t, strings.Split(policy, "script-src")[1], "unsafe-inline")
}
