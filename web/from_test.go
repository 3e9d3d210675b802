package web

import (
	"net/http/httptest"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"
)

// Of forwarded addresses that counts which the trusted proxy itself has seen, the last; what came before it
// anybody may have written. Who is no proxy is not believed at all.
func TestWhichForwardedAddressCounts(t *testing.T) {
	d := &SignIn{Proxies: []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8")}}
	for _, c := range []struct{ remote, forwarded, from string }{
		{"10.1.2.3:4000", "203.0.113.9, 198.51.100.7", "198.51.100.7"},
		{"10.1.2.3:4000", "198.51.100.7", "198.51.100.7"},
		{"10.1.2.3:4000", "", "10.1.2.3"},
		{"10.1.2.3:4000", "203.0.113.9, nonsense", "10.1.2.3"},
		{"198.51.100.20:4000", "203.0.113.9", "198.51.100.20"},
		{"[2001:db8::7]:4000", "203.0.113.9", "2001:db8::7"},
	} {
		r := httptest.NewRequest("GET", "/", nil)
		r.RemoteAddr = c.remote
		if c.forwarded != "" {
			r.Header.Set("X-Forwarded-For", c.forwarded)
		}
		require.Equal(t, c.from, d.from(r), "%s by %s", c.forwarded, c.remote)
	}
}

// Sessions end after half a day without a request, and after a week in all.
func TestHowLongSessionsLast(t *testing.T) {
	d := &SignIn{}
	d.open()
	require.Equal(t, 12.0, d.sessions.IdleTimeout.Hours())
	require.Equal(t, 7*24.0, d.sessions.Lifetime.Hours())
}
