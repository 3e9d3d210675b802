package testdb_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
)

// A database that went down is started again on its port while the server that it is kept for runs; one that
// somebody stopped stays down; and keeping it ends with the server.
func TestADatabaseThatWentDownIsStartedAgain(t *testing.T) {
	need.Time(t)
	script, err := filepath.Abs("../../scripts/db.sh")
	require.NoError(t, err)
	home, err := os.MkdirTemp("/tmp", "marrow")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(home, 0o755))
	command := func(args ...string) *exec.Cmd {
		c := exec.Command(script, args...)
		c.Env = append(os.Environ(), "WISEMARROW_DATA="+home, "WISEMARROW_KEEP_EVERY=0.3")
		return c
	}
	sh := func(args ...string) string {
		out, err := command(args...).CombinedOutput()
		require.NoError(t, err, "%v: %s", args, out)
		return strings.TrimSpace(string(out))
	}
	t.Cleanup(func() { _ = command("drop").Run(); _ = os.RemoveAll(home) })
	sh("start")
	url := sh("url")
	server := exec.Command("sleep", "600")
	require.NoError(t, server.Start())
	t.Cleanup(func() { _ = server.Process.Kill() })
	keep := command("keep", strconv.Itoa(server.Process.Pid))
	require.NoError(t, keep.Start())
	ended := make(chan error, 1)
	go func() { ended <- keep.Wait() }()
	up := func() bool { return strings.HasPrefix(sh("status"), "running") }

	time.Sleep(time.Second)
	sh("kill")
	require.Eventually(t, func() bool { return up() && command("url").Run() == nil }, 30*time.Second, 300*time.Millisecond)
	require.Eventually(
		t,
		func() bool { return exec.Command("psql", "-qX", url, "-c", "select 1").Run() == nil },
		20*time.Second,
		300*time.Millisecond,
		"where the server looks for it",
	)
	sh("stop")
	require.Never(t, up, 3*time.Second, 500*time.Millisecond)
	require.NoError(t, server.Process.Kill())
	_ = server.Wait()
	select {
	case err := <-ended:
		require.NoError(t, err)
	case <-time.After(20 * time.Second):
		require.Fail(t, "it is kept for nobody")
	}
}
