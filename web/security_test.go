package web

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// A name that leads here from a page of someone else (DNS rebinding) is not ours.
func TestOnlyKnownNamesAreAnswered(t *testing.T) {
	site := Known(
		[]string{"Marrow.studio.example"},
		http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { _, _ = io.WriteString(w, "well") }),
	)
	for host, good := range map[string]bool{
		"127.0.0.1:8470": true, "127.0.0.1": true, "[::1]:8470": true, "[::1]": true, "localhost:8470": true, "LOCALHOST": true, "localhost.": true,
		"10.0.0.7:80": true, "marrow.studio.example": true, "marrow.studio.example:443": true,
		"evil.example:8470": false, "localhost.evil.example": false, "127.0.0.1.evil.example": false, "notmarrow.studio.example": false, "": false, "a b": false,
	} {
		r := httptest.NewRequest("POST", "/api/author", nil)
		r.Host = host
		w := httptest.NewRecorder()
		site.ServeHTTP(w, r)
		if good {
			require.Equal(t, http.StatusOK, w.Code, host)
			continue
		}
		require.Equal(t, http.StatusMisdirectedRequest, w.Code, host)
		require.Contains(t, w.Body.String(), "--host", "it says what to do")
		require.Equal(t, "nosniff", w.Header().Get("X-Content-Type-Options"))
	}
}

func TestEveryAnswerKeepsOtherSitesOut(t *testing.T) {
	site := Routes(nil, nil, nil)
	for _, path := range []string{"/static/none.js", "/nowhere", "/static/"} {
		w := httptest.NewRecorder()
		site.ServeHTTP(w, httptest.NewRequest("GET", path, nil))
		require.Equal(t, http.StatusNotFound, w.Code, path)
		h := w.Header()
		require.Equal(t, "same-origin", h.Get("Cross-Origin-Resource-Policy"), path)
		require.Equal(t, "same-origin", h.Get("Cross-Origin-Opener-Policy"), path)
		for _, rule := range []string{"base-uri 'none'", "form-action 'self'", "frame-ancestors 'none'", "object-src 'none'"} {
			require.Contains(t, h.Get("Content-Security-Policy"), rule, path)
		}
		require.NotContains(t, w.Body.String(), "<pre>", "no listing of folders")
	}
}

// deadlines notes the time that a body is given.
type deadlines struct {
	httptest.ResponseRecorder
	last time.Time
}

func (d *deadlines) SetReadDeadline(t time.Time) error {
	d.last = t
	return nil
}

func TestABodyHasMoreTimeTheMoreOfItHasCome(t *testing.T) {
	begun := time.Now()
	d := &deadlines{}
	b := &promptBody{
		ReadCloser: io.NopCloser(strings.NewReader(strings.Repeat("x", 10*bodySpeed))),
		line:       http.NewResponseController(d),
		begun:      begun,
	}
	_, err := io.CopyN(io.Discard, b, 1)
	require.NoError(t, err)
	require.WithinDuration(t, begun.Add(bodyTime), d.last, time.Second)
	for range 9 {
		_, err = io.ReadFull(b, make([]byte, bodySpeed))
		require.NoError(t, err)
	}
	require.WithinDuration(t, begun.Add(bodyTime+8*time.Second), d.last, 2*time.Second)
	_, err = io.Copy(io.Discard, b)
	require.NoError(t, err)
	require.True(t, d.last.IsZero(), "what comes after on the line has its own time")

	b = &promptBody{ReadCloser: io.NopCloser(late{}), line: http.NewResponseController(d)}
	_, err = b.Read(make([]byte, 1))
	require.ErrorIs(t, err, errSlow)
}

type late struct{}

func (late) Read([]byte) (int, error) { return 0, os.ErrDeadlineExceeded }

// Over a real line: a body of which a byte comes now and then is given up with 408.
func TestASlowBodyIsGivenUp(t *testing.T) {
	s := &site{}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r.Body = &promptBody{
			ReadCloser: r.Body,
			line:       http.NewResponseController(w),
			begun:      time.Now().Add(300*time.Millisecond - bodyTime),
		}
		s.problem(w, r, read(w, r, &struct{}{}))
	}))
	defer server.Close()
	line, err := net.Dial("tcp", server.Listener.Addr().String())
	require.NoError(t, err)
	defer line.Close()
	_, err = fmt.Fprint(line, "POST /api/author HTTP/1.1\r\nHost: localhost\r\nContent-Length: 1000\r\n\r\n{")
	require.NoError(t, err)
	require.NoError(t, line.SetReadDeadline(time.Now().Add(20*time.Second)))
	got, err := http.ReadResponse(bufio.NewReader(line), nil)
	require.NoError(t, err)
	defer got.Body.Close()
	require.Equal(t, http.StatusRequestTimeout, got.StatusCode)
	body, err := io.ReadAll(got.Body)
	require.NoError(t, err)
	require.Contains(t, string(body), "too slow")
}

func TestBodiesThatAreTooLargeAreToldSo(t *testing.T) {
	s := &site{}
	w := httptest.NewRecorder()
	r := httptest.NewRequest("POST", "/api/author", strings.NewReader(`{"name":"`+strings.Repeat("x", 1<<20)+`"}`))
	s.problem(w, r, read(w, r, &struct{ Name string }{}))
	require.Equal(t, http.StatusRequestEntityTooLarge, w.Code)
	require.Contains(t, w.Body.String(), "1048576 bytes")
}
