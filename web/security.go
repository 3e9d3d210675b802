package web

import (
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"time"
)

// onlyTLS keeps browsers that came over TLS once to it for a year (OWASP ASVS 14.4.5).
const onlyTLS = "max-age=31536000"

// secured sets the headers that keep other sites out.
func secured(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set(
			"Content-Security-Policy",
			"default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; script-src 'self' 'wasm-unsafe-eval' 'sha256-"+importMapHash()+"'; worker-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'",
		)
		if r.TLS != nil {
			h.Set("Strict-Transport-Security", onlyTLS)
		}
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		next.ServeHTTP(w, r)
	})
}

// Known answers only requests that were sent to an address, to localhost or to one of
// the names. A page of another site may let its own name lead here and would then count
// as ours; a number it cannot.
func Known(names []string, next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host := r.Host
		if h, _, err := net.SplitHostPort(host); err == nil {
			host = h
		}
		host = strings.TrimSuffix(strings.ToLower(host), ".")
		_, err := netip.ParseAddr(strings.Trim(host, "[]"))
		if err != nil && host != "localhost" && !slices.ContainsFunc(names, func(n string) bool { return strings.EqualFold(n, host) }) {
			secured(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
				http.Error(
					w,
					fmt.Sprintf("This server does not go by the name %q. If it should, start it with --host and that name.", host),
					http.StatusMisdirectedRequest,
				)
			})).ServeHTTP(w, r)
			return
		}
		next.ServeHTTP(w, r)
	})
}

// How long the body of a request may be on its way: a while, and longer the more of it
// has come, so that a slow line can bring a large file but nobody keeps a connection by
// a byte now and then.
const (
	bodyTime  = 30 * time.Second
	bodySpeed = 8 << 10 // bytes a second beyond it
)

var errSlow = errors.New("the upload was too slow and stopped; nothing was changed. Send it again, from a faster line if you can")

// prompt holds the bodies of requests to that time.
func prompt(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Body != nil && r.Body != http.NoBody {
			r.Body = &promptBody{ReadCloser: r.Body, line: http.NewResponseController(w), begun: time.Now()}
		}
		next.ServeHTTP(w, r)
	})
}

type promptBody struct {
	io.ReadCloser
	line  *http.ResponseController
	begun time.Time
	read  int64
}

// Read implements io.Reader; errSlow stands for the time that ran out.
func (b *promptBody) Read(p []byte) (int, error) {
	end := b.begun.Add(bodyTime + time.Duration(b.read/bodySpeed)*time.Second)
	_ = b.line.SetReadDeadline(end) // what has no deadlines, as in tests, is read without
	n, err := b.ReadCloser.Read(p)
	b.read += int64(n)
	var late net.Error
	switch {
	case errors.As(err, &late) && late.Timeout():
		return n, errSlow
	case err != nil:
		_ = b.line.SetReadDeadline(time.Time{})
	}
	return n, err
}
