package web

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"time"

	"wisemarrow/people"
	"wisemarrow/studio"

	"github.com/alexedwards/scs/v2"
)

// SignIn is who may come in. A site without one lets everybody do everything, as on the
// loopback of one person's machine.
type SignIn struct {
	People   people.Store
	Sessions scs.Store
	// Secure says that browsers reach the site over TLS, so that the cookie goes over
	// nothing else.
	Secure bool
	// Header names, in requests from the addresses Proxies, the person whom a proxy has
	// signed in; "" is none. Then nobody signs in here.
	Header  string
	Proxies []netip.Prefix

	sessions *scs.SessionManager
}

// How long a session lasts: without a request, and in all.
const (
	idleSession    = 12 * time.Hour
	longestSession = 7 * 24 * time.Hour
)

func (d *SignIn) open() {
	m := scs.New()
	m.Store, m.HashTokenInStore = d.Sessions, true
	m.IdleTimeout, m.Lifetime = idleSession, longestSession
	m.Cookie.Name, m.Cookie.HttpOnly, m.Cookie.SameSite, m.Cookie.Secure, m.Cookie.Path = "wisemarrow_session", true, http.SameSiteLaxMode, d.Secure, "/"
	if d.Secure {
		m.Cookie.Name = "__Host-" + m.Cookie.Name
	}
	m.ErrorFunc = func(w http.ResponseWriter, _ *http.Request, err error) {
		slog.Error("session", "error", err)
		http.Error(w, "The database cannot be reached. Nothing was changed; try again in a moment.", http.StatusServiceUnavailable)
	}
	d.sessions = m
}

type personKey struct{}

// personOf returns who makes a request; false on a site where nobody signs in.
func personOf(ctx context.Context) (people.Person, bool) {
	p, ok := ctx.Value(personKey{}).(people.Person)
	return p, ok
}

var (
	errSignedOut = errors.New("sign in first")
	errMayNot    = errors.New("your role does not allow this: ask a lead of the production")
)

// authenticate finds who makes a request and turns away whom nobody knows. What signing in itself
// needs is open to all.
func (s *site) authenticate(next http.Handler) http.Handler {
	if s.access == nil {
		return next
	}
	inside := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if s.access.Secure {
			w.Header().Set("Strict-Transport-Security", onlyTLS)
		}
		if r.URL.Path == "/sign-in" || r.URL.Path == "/healthz" || r.URL.Path == "/readyz" || strings.HasPrefix(r.URL.Path, "/static/") {
			next.ServeHTTP(w, r)
			return
		}
		p, err := s.whoIs(r)
		switch {
		case err == nil:
			next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), personKey{}, p)))
		case errors.Is(err, errSignedOut) && r.Method == http.MethodGet && !plain(r):
			http.Redirect(w, r, "/sign-in?to="+urlQuery(r.URL.RequestURI()), http.StatusSeeOther)
		default:
			s.problem(w, r, err)
		}
	})
	return s.access.sessions.LoadAndSave(inside)
}

// whoIs returns the person of a request, or errSignedOut.
func (s *site) whoIs(r *http.Request) (people.Person, error) {
	d := s.access
	if d.Header != "" {
		name := r.Header.Get(d.Header)
		if name == "" || !d.trusts(r.RemoteAddr) {
			return people.Person{}, errSignedOut
		}
		p, err := d.People.Person(r.Context(), name)
		if errors.Is(err, people.ErrNobody) {
			return p, fmt.Errorf("%w: %s may not come in here; a lead can add people", errMayNot, name)
		}
		return p, err
	}
	name := d.sessions.GetString(r.Context(), "name")
	if name == "" {
		return people.Person{}, errSignedOut
	}
	p, err := d.People.Person(r.Context(), name)
	if errors.Is(err, people.ErrNobody) || err == nil && time.Unix(0, d.sessions.GetInt64(r.Context(), "begun")).Before(p.Since) {
		return p, errSignedOut // removed, or signed out everywhere
	}
	return p, err
}

func (d *SignIn) trusts(remote string) bool {
	at, err := netip.ParseAddrPort(remote)
	return err == nil && slices.ContainsFunc(d.Proxies, func(p netip.Prefix) bool { return p.Contains(at.Addr().Unmap()) })
}

// from is the address that a request comes from: what a trusted proxy says, or who is
// connected.
func (d *SignIn) from(r *http.Request) string {
	if d.trusts(r.RemoteAddr) {
		list := strings.Split(r.Header.Get("X-Forwarded-For"), ",")
		if at, err := netip.ParseAddr(strings.TrimSpace(list[len(list)-1])); err == nil {
			return at.String()
		}
	}
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	return host
}

// requireRole lets only those pass who have a role at least.
func (s *site) requireRole(role people.Role) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		if s.access == nil {
			return next
		}
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if p, _ := personOf(r.Context()); !p.Role.May(role) {
				s.problem(w, r, errMayNot)
				return
			}
			next.ServeHTTP(w, r)
		})
	}
}

// note writes a line of the audit; a change that happened is not undone for its want.
func (s *site) note(r *http.Request, who, what string) {
	if s.access == nil {
		return
	}
	if err := s.access.People.Note(r.Context(), people.Event{Who: who, From: s.access.from(r), What: what}); err != nil {
		slog.Error("audit", "who", who, "what", what, "error", err)
	}
}

// newProduction turns away those who are no leads from making a production.
func (s *site) newProduction(ctx context.Context, name string) error {
	p, asked := personOf(ctx)
	if !asked || p.Role.May(people.Lead) {
		return nil
	}
	have, err := s.studio.Productions(ctx)
	if err == nil && !slices.Contains(have, name) {
		err = studio.InputError{What: fmt.Sprintf("there is no production %q, and only a lead can start one", name)}
	}
	return err
}
