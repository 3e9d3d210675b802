package web_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"

	"wisemarrow/formats/reading"
	"wisemarrow/internal/need"
	"wisemarrow/internal/studiotest"
	"wisemarrow/internal/testdb"
	"wisemarrow/people"
	"wisemarrow/store"
	"wisemarrow/studio"
	"wisemarrow/web"

	"github.com/alexedwards/scs/postgresstore"
	"github.com/go-chi/chi/v5"
	"github.com/stretchr/testify/require"
)

// guarded is a site with sign-in, three people and a character.
type guarded struct {
	*httptest.Server
	store     *store.Store
	character studio.Character
	routing   chi.Routes
}

const phrase = "four horses in the rain"

var hashed = sync.OnceValue(func() string { return people.Hash(phrase) }) // slow by design

func guard(t *testing.T, change func(*web.SignIn)) guarded {
	t.Helper()
	ctx := context.Background()
	s, err := store.Open(ctx, testdb.New(t))
	require.NoError(t, err)
	require.NoError(t, s.Migrate(ctx))
	for _, r := range people.Roles {
		require.NoError(t, s.AddPerson(ctx, people.Person{Name: "The " + string(r), Role: r, Password: hashed()}))
	}
	pool, err := s.SQL()
	require.NoError(t, err)
	sessions := postgresstore.NewWithCleanupInterval(pool, 0)
	d := &web.SignIn{People: s, Sessions: sessions}
	if change != nil {
		change(d)
	}
	x := studio.New(s, reading.Default)
	c, err := x.Add(ctx, studio.Character{Production: "Test", Name: "Odile"}, "tester", studiotest.Odile(), "came in")
	require.NoError(t, err)
	routes := web.Routes(x, s.Ping, d)
	server := httptest.NewServer(routes)
	t.Cleanup(func() { server.Close(); _ = s.Close() })
	return guarded{server, s, c, routes.(chi.Routes)}
}

// browser keeps cookies and follows nothing.
func browser(t *testing.T) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
}

func (g guarded) ask(t *testing.T, b *http.Client, method, path string, body any) (int, string, http.Header) {
	t.Helper()
	var in io.Reader
	kind := ""
	switch v := body.(type) {
	case url.Values:
		in, kind = strings.NewReader(v.Encode()), "application/x-www-form-urlencoded"
	case nil:
	default:
		data, err := json.Marshal(v)
		require.NoError(t, err)
		in, kind = bytes.NewReader(data), "application/json"
	}
	r, err := http.NewRequest(method, g.URL+path, in)
	require.NoError(t, err)
	if kind != "" {
		r.Header.Set("Content-Type", kind)
	}
	a, err := b.Do(r)
	require.NoError(t, err)
	defer a.Body.Close()
	text, err := io.ReadAll(a.Body)
	require.NoError(t, err)
	return a.StatusCode, string(text), a.Header
}

func (g guarded) signedIn(t *testing.T, name string) *http.Client {
	t.Helper()
	b := browser(t)
	code, text, h := g.ask(t, b, "POST", "/sign-in", url.Values{"name": {name}, "password": {phrase}, "to": {"/people"}})
	require.Equal(t, http.StatusSeeOther, code, text)
	require.Equal(t, "/people", h.Get("Location"))
	return b
}

// routes is every route that does or shows something, with the role that it needs.
func (g guarded) routes() map[string]people.Role {
	at := "/api/characters/" + g.character.ID
	rev := fmt.Sprint(g.character.Head)
	return map[string]people.Role{
		"GET /": people.Look, "GET /people": people.Look, "GET /characters/" + g.character.ID + "/intake": people.Look, "GET /characters/" + g.character.ID + "/card": people.Look, "GET /cards?ids=" + g.character.ID: people.Look,
		"GET /characters/" + g.character.ID + "/script": people.Look, "GET /characters/" + g.character.ID + "/report": people.Look,
		"GET " + at: people.Look, "GET " + at + "/history": people.Look, "GET " + at + "/tries/intake": people.Look, "GET /api/asked/x": people.Look,
		"GET /view/mesh/" + rev: people.Look, "GET /view/thumbnail/" + rev: people.Look, "GET /view/smooth/" + rev + "/1": people.Look,
		"POST " + at + "/preview":           people.Look,
		"POST " + at + "/measure":           people.Look,
		"POST " + at + "/traces":            people.Look,
		"POST " + at + "/hand":              people.Look,
		"POST " + at + "/pairs":             people.Work,
		"GET " + at + "/sheet":              people.Look,
		"GET " + at + "/style":              people.Look,
		"POST " + at + "/mirror":            people.Look,
		"GET /characters/" + g.character.ID: people.Look, "GET /characters/" + g.character.ID + "/tray/intake": people.Look, "GET /characters/" + g.character.ID + "/handoff/obj": people.Look,
		"GET /characters/" + g.character.ID + "/score": people.Look, "GET /api/events": people.Look, "GET " + at + "/match": people.Look, "GET " + at + "/where/intake/none": people.Look,
		"GET " + at + "/probe/1": people.Look, "GET " + at + "/capcost": people.Look, "GET " + at + "/handoffcost": people.Look,
		"GET " + at + "/handoffplan": people.Look, "GET " + at + "/versions": people.Look, "GET /characters/" + g.character.ID + "/versions/1/picture": people.Look,
		"GET " + at + "/compare":   people.Look,
		"POST " + at + "/versions": people.Work, "POST " + at + "/versions/withdraw": people.Work, "POST /api/which": people.Work,
		"GET " + at + "/remains": people.Look, "GET /api/operations": people.Look, "POST " + at + "/spot": people.Look, "POST " + at + "/starter": people.Look,
		"GET /view/reel/" + rev: people.Look, "GET /view/subdivision/" + rev: people.Look, "GET /view/weights/" + rev: people.Look, "GET /view/weights/" + rev + "/none": people.Look, "GET /view/mix/" + rev: people.Look, "GET /view/target/" + rev + "/0": people.Look,
		"GET /view/kept/" + rev + "/none": people.Look, "GET /view/motion/" + rev + "/0": people.Look,
		"POST /api/people/mine": people.Look, "POST /api/people/everywhere-out": people.Look, "POST /sign-out": people.Look,
		"POST " + at + "/rename": people.Work, "POST " + at + "/duplicate": people.Work, "POST " + at + "/ops": people.Work, "POST " + at + "/undo": people.Work, "POST " + at + "/redo": people.Work, "POST /api/characters": people.Work,
		"POST " + at + "/delivery": people.Work, "POST " + at + "/shelf": people.Work, "POST " + at + "/shelf/discard": people.Work, "POST " + at + "/match": people.Work, "POST " + at + "/table": people.Work,
		"POST " + at + "/guides":      people.Work,
		"POST /api/works/none/cancel": people.Work, "POST /api/works/none/enough": people.Work,
		"POST /api/people": people.Lead, "POST /api/people/role": people.Lead, "POST /api/people/password": people.Lead, "POST /api/people/remove": people.Lead,
		"POST " + at + "/remove": people.Lead, // last: it goes
	}
}

// Each address that the server has is in the table, or is one that everybody may ask for.
func TestNoRouteIsMissingFromTheTable(t *testing.T) {
	g := guard(t, nil)
	open := []string{"GET /healthz", "GET /readyz", "GET /notices", "GET /sign-in", "POST /sign-in", "* /static/*"}
	patterns := map[string]*regexp.Regexp{}
	table := g.routes()
	require.NoError(t, chi.Walk(g.routing, func(method, route string, _ http.Handler, _ ...func(http.Handler) http.Handler) error {
		if strings.HasPrefix(route, "/static/") || slices.Contains(open, method+" "+route) {
			return nil
		}
		patterns[method+" "+route] = regexp.MustCompile(
			"^" + method + " " + regexp.MustCompile(`\{[^}]+\}`).ReplaceAllString(route, "[^/]+") + "$",
		)
		return nil
	}))
	require.Greater(t, len(patterns), 50)
	for route, pattern := range patterns {
		found := false
		for path := range table {
			path, _, _ = strings.Cut(path, "?")
			found = found || pattern.MatchString(path)
		}
		require.True(t, found, "%s is in no table of who may ask for it", route)
	}
}

// Nobody sees or does anything without signing in, and each role what it may (OWASP
// ASVS 4.1.1, 4.1.3, 4.1.5).
func TestEachRouteAsksForItsRole(t *testing.T) {
	need.Time(t)
	g := guard(t, nil)
	stranger := browser(t)
	for route := range g.routes() {
		method, path, _ := strings.Cut(route, " ")
		code, text, h := g.ask(t, stranger, method, path, nil)
		if method == "GET" && !strings.HasPrefix(path, "/api/") && !strings.HasPrefix(path, "/view/") {
			require.Equal(t, http.StatusSeeOther, code, route)
			require.True(t, strings.HasPrefix(h.Get("Location"), "/sign-in?to="), route)
		} else {
			require.Equal(t, http.StatusUnauthorized, code, route)
		}
		require.NotContains(t, text, "Odile", route)
	}
	for _, r := range people.Roles {
		b := g.signedIn(t, "the "+string(r))
		for route, needs := range g.routes() {
			if r == people.Lead && strings.HasSuffix(route, "/remove") || strings.HasSuffix(route, "-out") { // they end what goes on here
				continue
			}
			method, path, _ := strings.Cut(route, " ")
			code, text, _ := g.ask(t, b, method, path, nil)
			if r.May(needs) {
				require.NotContains(
					t,
					[]int{http.StatusUnauthorized, http.StatusForbidden, http.StatusInternalServerError},
					code,
					"%s, %s: %s",
					r,
					route,
					text,
				)
			} else {
				require.Equal(t, http.StatusForbidden, code, "%s, %s", r, route)
			}
		}
	}
	for path, want := range map[string]int{"/healthz": 200, "/readyz": 200, "/sign-in": 200} {
		code, _, _ := g.ask(t, stranger, "GET", path, nil)
		require.Equal(t, want, code, path)
	}
}

// Work is signed with the name of who signed in, whatever a cookie says.
func TestWorkIsSignedWithThePersonsName(t *testing.T) {
	g := guard(t, nil)
	b := g.signedIn(t, "THE WORK")
	u, _ := url.Parse(g.URL)
	b.Jar.SetCookies(u, []*http.Cookie{{Name: "wisemarrow_author", Value: "Somebody"}})
	code, text, _ := g.ask(
		t,
		b,
		"POST",
		"/api/characters/"+g.character.ID+"/ops",
		map[string]any{"op": "drop_faces", "base": g.character.Head},
	)
	require.Equal(t, 200, code, text)
	require.Contains(t, text, `"author":"The work"`)
	code, _, _ = g.ask(t, b, "POST", "/api/author", map[string]string{"name": "x"})
	require.Equal(t, http.StatusNotFound, code)
}

// A name or an address that is tried too often has to wait, with the right password too;
// what is told does not tell whether there is such a name (OWASP ASVS 2.2.1).
func TestTriesAreThrottled(t *testing.T) {
	g := guard(t, nil)
	told := map[string]bool{}
	for _, name := range []string{"The lead", "Nobody at all"} {
		b := browser(t)
		for range 5 {
			code, text, _ := g.ask(t, b, "POST", "/sign-in", url.Values{"name": {name}, "password": {"four horses in the sun"}})
			require.Equal(t, http.StatusUnauthorized, code)
			told[strings.ReplaceAll(text, name, "")] = true
		}
		code, _, h := g.ask(t, b, "POST", "/sign-in", url.Values{"name": {name}, "password": {phrase}})
		require.Equal(t, http.StatusTooManyRequests, code)
		require.NotEmpty(t, h.Get("Retry-After"))
	}
	require.Len(t, told, 1)
	g.signedIn(t, "The work") // others are not held up
	events, err := g.store.Events(context.Background(), 100)
	require.NoError(t, err)
	failed := 0
	for _, e := range events {
		if strings.Contains(e.What, "could not sign in") {
			failed++
			require.Equal(t, "127.0.0.1", e.From)
		}
	}
	require.Equal(t, 10, failed)
}

// Who has a password cannot use it to try those of others without end, and many who sign in
// from one address are not held up.
func TestOnesOwnPasswordDoesNotExcuseTries(t *testing.T) {
	need.Time(t) // passwords are slow by design
	g := guard(t, nil)
	for range 35 {
		g.signedIn(t, "The work")
	}
	b := browser(t)
	code := 0
	for i := 0; i < 40 && code != http.StatusTooManyRequests; i++ {
		code, _, _ = g.ask(
			t,
			b,
			"POST",
			"/sign-in",
			url.Values{"name": {fmt.Sprintf("Somebody %d", i)}, "password": {"seven boats at night"}},
		)
		if i%10 == 5 {
			g.signedIn(t, "The work")
		}
		require.Less(t, i, 35)
	}
	require.Equal(t, http.StatusTooManyRequests, code)
}

// A session ends when the person signs out, here or everywhere, gets another password or
// is removed (OWASP ASVS 3.3.1, 3.3.3); each sign-in has a token of its own (3.2.1).
func TestSessionsEnd(t *testing.T) {
	g := guard(t, nil)
	in := func(b *http.Client) bool {
		code, _, _ := g.ask(t, b, "GET", "/people", nil)
		return code == 200
	}
	lead := g.signedIn(t, "The lead")
	one, two := g.signedIn(t, "The work"), g.signedIn(t, "The work")
	u, _ := url.Parse(g.URL)
	require.NotEqual(t, one.Jar.Cookies(u)[0].Value, two.Jar.Cookies(u)[0].Value)
	kept := one.Jar.Cookies(u)
	code, _, _ := g.ask(t, one, "POST", "/sign-out", url.Values{})
	require.Equal(t, http.StatusSeeOther, code)
	require.False(t, in(one))
	one.Jar.SetCookies(u, kept)
	require.False(t, in(one), "the token is worth nothing any more")
	require.True(t, in(two))

	code, text, _ := g.ask(t, two, "POST", "/api/people/everywhere-out", map[string]string{"name": "The lead"})
	require.Equal(t, http.StatusForbidden, code, text)
	code, text, _ = g.ask(t, two, "POST", "/api/people/everywhere-out", map[string]string{})
	require.Equal(t, 200, code, text)
	require.False(t, in(two))

	three := g.signedIn(t, "The work")
	code, text, _ = g.ask(
		t,
		three,
		"POST",
		"/api/people/mine",
		map[string]string{"old": "wrong wrong wrong", "password": "seven boats at night"},
	)
	require.Equal(t, http.StatusUnprocessableEntity, code, text)
	code, text, _ = g.ask(t, three, "POST", "/api/people/mine", map[string]string{"old": phrase, "password": "short"})
	require.Equal(t, http.StatusUnprocessableEntity, code, text)
	require.True(t, in(three))
	code, text, _ = g.ask(
		t,
		lead,
		"POST",
		"/api/people/password",
		map[string]string{"name": "The work", "password": "seven boats at night"},
	)
	require.Equal(t, 200, code, text)
	require.False(t, in(three))

	look := g.signedIn(t, "The look")
	code, text, _ = g.ask(t, lead, "POST", "/api/people/remove", map[string]string{"name": "The look"})
	require.Equal(t, 200, code, text)
	require.False(t, in(look))
	for path, body := range map[string]map[string]string{"remove": {"name": "The lead"}, "role": {"name": "The lead", "role": "work"}} {
		code, text, _ = g.ask(t, lead, "POST", "/api/people/"+path, body)
		require.Equal(t, http.StatusUnprocessableEntity, code, text)
		require.Contains(t, text, "last lead")
	}
	code, text, _ = g.ask(
		t,
		lead,
		"POST",
		"/api/people",
		map[string]string{"name": "Ines", "role": "work", "password": "Ines and her boats"},
	)
	require.Equal(t, http.StatusUnprocessableEntity, code, text)
	code, text, _ = g.ask(
		t,
		lead,
		"POST",
		"/api/people",
		map[string]string{"name": "Ines", "role": "work", "password": "three boats at night"},
	)
	require.Equal(t, 200, code, text)
	code, text, _ = g.ask(
		t,
		lead,
		"POST",
		"/api/people",
		map[string]string{"name": "ines", "role": "work", "password": "three boats at night"},
	)
	require.Equal(t, http.StatusUnprocessableEntity, code, text)
	code, text, _ = g.ask(t, lead, "GET", "/people", nil)
	require.Equal(t, 200, code)
	for _, line := range []string{"added Ines as work", "removed The look", "signed out", "signed in"} {
		require.Contains(t, text, line)
	}
}

// Only a lead makes a new production.
func TestOnlyALeadMakesAProduction(t *testing.T) {
	g := guard(t, nil)
	for _, one := range []struct {
		who  string
		want int
	}{{"The work", http.StatusUnprocessableEntity}, {"The lead", http.StatusCreated}, {"The work", http.StatusCreated}} {
		b := g.signedIn(t, one.who)
		code, text := g.bring(t, b, "Another")
		require.Equal(t, one.want, code, "%s: %s", one.who, text)
		code, text = g.bring(t, b, "Test")
		require.Equal(t, http.StatusCreated, code, text)
	}
	// The cast has each of them once, though their characters came by turns.
	_, page, _ := g.ask(t, g.signedIn(t, "The work"), "GET", "/", nil)
	for _, name := range []string{"Another", "Test"} {
		require.Equal(t, 1, strings.Count(page, "<h1>"+name+"</h1>"), name)
		require.Contains(t, page, `<option value="`+name+`">`)
	}
	require.NotContains(t, page, "A new name makes a new production")
}

func (g guarded) bring(t *testing.T, b *http.Client, production string) (int, string) {
	t.Helper()
	var body bytes.Buffer
	kind := form(t, &body, map[string]string{"production": production}, "tri.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
	r, err := b.Post(g.URL+"/api/characters", kind, &body)
	require.NoError(t, err)
	defer r.Body.Close()
	text, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	return r.StatusCode, string(text)
}

// What signs people in before this server is believed from its address alone.
func TestAProxyNamesThePersonFromItsAddressOnly(t *testing.T) {
	for _, c := range []struct {
		proxy string
		name  string
		want  int
	}{{"127.0.0.0/8", "the lead", 200}, {"127.0.0.0/8", "", 303}, {"127.0.0.0/8", "Nobody", 403}, {"10.0.0.0/8", "The lead", 303}} {
		g := guard(t, func(d *web.SignIn) { d.Header, d.Proxies = "X-Person", []netip.Prefix{netip.MustParsePrefix(c.proxy)} })
		r, err := http.NewRequest("GET", g.URL+"/people", nil)
		require.NoError(t, err)
		r.Header.Set("X-Person", c.name)
		a, err := browser(t).Do(r)
		require.NoError(t, err)
		a.Body.Close()
		require.Equal(t, c.want, a.StatusCode, "%+v", c)
	}
}

// Signing in leads to a page of this site and nowhere else (OWASP ASVS 5.1.5), and the
// cookie is as browsers keep it best (3.4.1 to 3.4.5).
func TestSigningInStaysHere(t *testing.T) {
	g := guard(t, func(d *web.SignIn) { d.Secure = true })
	for _, to := range []string{"https://elsewhere.example/", "//elsewhere.example", `/\elsewhere.example`, "javascript:alert(1)", ""} {
		code, _, h := g.ask(t, browser(t), "POST", "/sign-in", url.Values{"name": {"The lead"}, "password": {phrase}, "to": {to}})
		require.Equal(t, http.StatusSeeOther, code)
		require.Equal(t, "/", h.Get("Location"), to)
		cookie := h.Get("Set-Cookie")
		for _, part := range []string{"__Host-wisemarrow_session=", "HttpOnly", "Secure", "SameSite=Lax", "Path=/"} {
			require.Contains(t, cookie, part)
		}
		require.NotContains(t, cookie, "Domain")
	}
}
