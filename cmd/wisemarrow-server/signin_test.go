package main

import (
	"context"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"testing"
	"time"

	"wisemarrow/internal/need"
	"wisemarrow/internal/testdb"
	"wisemarrow/people"
	"wisemarrow/store"

	"github.com/stretchr/testify/require"
)

func TestAddressesOfThisMachineAlone(t *testing.T) {
	for addr, want := range map[string]bool{"127.0.0.1:1": true, "[::1]:1": true, "localhost:1": true, "127.8.9.1:1": true,
		"0.0.0.0:1": false, ":1": false, "[::]:1": false, "192.168.1.4:1": false, "marrow.example:1": false, "": false} {
		require.Equal(t, want, isLoopback(addr), addr)
	}
}

// Elsewhere than on loopback nobody comes in without signing in, and no password goes
// over the wire in the clear.
func TestTheServerStartsOnlyWithSignInElsewhere(t *testing.T) {
	ctx := context.Background()
	s, err := store.Open(ctx, testdb.New(t))
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	require.NoError(t, s.Migrate(ctx))
	try := func(f signInFlags, addr string) (bool, string) {
		d, err := f.signInFor(ctx, addr, s)
		if err != nil {
			return false, err.Error()
		}
		return d != nil, ""
	}
	access, trouble := try(signInFlags{}, "127.0.0.1:0")
	require.False(t, access)
	require.Empty(t, trouble)
	_, trouble = try(signInFlags{}, "0.0.0.0:0")
	require.Contains(t, trouble, "in the clear")
	for _, f := range []signInFlags{{behindTLS: true}, {cert: "c", key: "k"}} {
		_, trouble = try(f, "0.0.0.0:0")
		require.Contains(t, trouble, "people add NAME --role lead")
	}
	require.NoError(t, s.AddPerson(ctx, people.Person{Name: "Mira", Role: people.Work}))
	_, trouble = try(signInFlags{behindTLS: true}, "0.0.0.0:0")
	require.Contains(t, trouble, "people add NAME --role lead", "one who works is no lead")
	require.NoError(t, s.AddPerson(ctx, people.Person{Name: "Ines", Role: people.Lead}))
	for addr, f := range map[string]signInFlags{"0.0.0.0:0": {behindTLS: true}, "127.0.0.1:0": {signIn: true}} {
		access, trouble = try(f, addr)
		require.True(t, access, trouble)
	}
	for _, f := range []signInFlags{{cert: "c"}, {header: "X-Person"}, {header: "X-Person", proxies: []string{"here"}}} {
		_, trouble = try(f, "127.0.0.1:0")
		require.NotEmpty(t, trouble)
	}
}

// The first lead is made on the command line; SIGTERM ends a server with open streams
// and idle connections at once; metrics are on an address of their own.
func TestAServerFromTheFirstLeadToSIGTERM(t *testing.T) {
	need.Time(t) // of processes of their own: nothing to race over
	database := testdb.New(t)
	run := func(in string, args ...string) (string, error) {
		c := exec.Command(binary, args...)
		c.Env = append(os.Environ(), "WISEMARROW_DATABASE="+database)
		c.Stdin = strings.NewReader(in)
		out, err := c.CombinedOutput()
		return string(out), err
	}
	text, err := run("short\n", "people", "add", "Mira", "--role", "lead")
	require.Error(t, err)
	require.Contains(t, text, "at least 12")
	text, err = run("four horses in the rain\n", "people", "add", "Mira", "--role", "lead")
	require.NoError(t, err, text)
	text, err = run("", "people", "remove", "Mira")
	require.Error(t, err)
	require.Contains(t, text, "last lead")
	text, err = run("", "people", "list")
	require.NoError(t, err)
	require.Contains(t, text, "Mira")
	require.Contains(t, text, "lead")

	addr, metrics := free(t), free(t)
	c := exec.Command(binary, "serve", "--addr", addr, "--sign-in", "--metrics", metrics)
	c.Env = append(os.Environ(), "WISEMARROW_DATABASE="+database)
	require.NoError(t, c.Start())
	ended := make(chan error, 1)
	go func() { ended <- c.Wait() }()
	t.Cleanup(func() { _ = c.Process.Kill() })
	get := func(url string) (int, string) {
		r, err := http.Get(url)
		if err != nil {
			return 0, err.Error()
		}
		defer r.Body.Close()
		text, _ := io.ReadAll(r.Body)
		return r.StatusCode, string(text)
	}
	require.Eventually(
		t,
		func() bool { code, _ := get("http://" + addr + "/readyz"); return code == 200 },
		20*time.Second,
		50*time.Millisecond,
	)
	code, page := get("http://" + addr + "/")
	require.Equal(t, 200, code)
	require.Contains(t, page, "Password")
	code, page = get("http://" + metrics + "/metrics")
	require.Equal(t, 200, code)
	for _, name := range []string{`wisemarrow_request_seconds_count{method="GET",route="/readyz",status="200"}`, "go_sql_open_connections", "process_resident_memory_bytes"} {
		require.Contains(t, page, name)
	}
	code, _ = get("http://" + addr + "/metrics")
	require.Equal(t, 200, code, "asks to sign in, as any address does")
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	person := &http.Client{Jar: jar}
	r, err := person.PostForm("http://"+addr+"/sign-in", url.Values{"name": {"mira"}, "password": {"four horses in the rain"}})
	require.NoError(t, err)
	r.Body.Close()
	require.Equal(t, 200, r.StatusCode)
	news, err := person.Get("http://" + addr + "/api/events?character=none")
	require.NoError(t, err)
	defer news.Body.Close()
	require.Equal(t, 200, news.StatusCode)
	require.NoError(t, c.Process.Signal(syscall.SIGTERM))
	select {
	case err := <-ended:
		require.NoError(t, err)
	case <-time.After(answerWithin - time.Second): // a stream is no request that is waited for
		t.Fatal("it does not stop")
	}
}

func free(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	return l.Addr().String()
}
