package testdb_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"wisemarrow/internal/need"

	"github.com/stretchr/testify/require"
)

// earlier starts a cluster as scripts/db.sh did at commit 7736153: every local user is let in, and there is no socket.
const earlier = `set -euo pipefail
home=$1; mkdir -p "$home"
bin=$(ls -d /usr/lib/postgresql/*/bin | sort -V | tail -1)
data=$home/postgres; as=()
if [ "$(id -u)" = 0 ]; then as=(runuser -u postgres --); mkdir -p "$data"; chown postgres "$data"; fi
run() { (cd / && "${as[@]}" "$@"); }
run "$bin/initdb" -D "$data" -U wisemarrow -A trust --encoding=UTF8 --locale=C.UTF-8 >/dev/null
for p in $(seq 5540 5599); do if ! (exec 3<>"/dev/tcp/127.0.0.1/$p") 2>/dev/null; then break; fi; done
run "$bin/pg_ctl" -D "$data" -w -t 60 -l "$data/log" -o "-p $p -c listen_addresses=127.0.0.1 -c unix_socket_directories=''" start >/dev/null
psql -q "postgres://wisemarrow@127.0.0.1:$p/postgres" -c "create database wisemarrow"
psql -q "postgres://wisemarrow@127.0.0.1:$p/wisemarrow" -c "create table kept (n int); insert into kept values (7)"
`

// A database that an earlier version left running is closed to strangers and opens to both programs, with what was
// in it; and so is one where that was broken off half way.
func TestAnEarlierDatabaseThatRunsIsUpgraded(t *testing.T) {
	need.Time(t)
	script, err := filepath.Abs("../../scripts/db.sh")
	require.NoError(t, err)
	for _, broken := range []bool{false, true} {
		home, err := os.MkdirTemp("/tmp", "marrow")
		require.NoError(t, err)
		require.NoError(t, os.Chmod(home, 0o755))
		sh := func(name string, args ...string) (string, error) {
			c := exec.Command(name, args...)
			c.Env = append(os.Environ(), "WISEMARROW_DATA="+home)
			out, err := c.CombinedOutput()
			return strings.TrimSpace(string(out)), err
		}
		t.Cleanup(func() { _, _ = sh(script, "drop"); _ = os.RemoveAll(home) })
		out, err := sh("bash", "-c", earlier, "bash", home)
		require.NoError(t, err, out)
		if broken { // as the upgrade left it that wrote who may come in first
			hba := filepath.Join(home, "postgres", "pg_hba.conf")
			port := strings.Split(must(os.ReadFile(filepath.Join(home, "postgres", "postmaster.pid")))(t), "\n")[3]
			owner := "postgres"
			if os.Getuid() != 0 {
				owner = os.Getenv("USER")
			}
			out, err = sh(
				"psql",
				"-qX",
				"postgres://wisemarrow@127.0.0.1:"+port+"/postgres",
				"-c",
				"create role wisemarrow_moving superuser login",
			)
			require.NoError(t, err, out)
			out, err = sh(
				"psql",
				"-qX",
				"postgres://wisemarrow_moving@127.0.0.1:"+port+"/postgres",
				"-c",
				"alter role wisemarrow rename to "+owner,
			)
			require.NoError(t, err, out)
			require.NoError(t, os.WriteFile(hba, []byte("local all all peer\nhost all all 127.0.0.1/32 scram-sha-256\n"), 0o644))
		}
		for range 2 { // and once more changes nothing
			out, err = sh(script, "start")
			require.NoError(t, err, out)
			url, err := sh(script, "url")
			require.NoError(t, err, url)
			out, err = sh(
				"psql",
				"-qXtA",
				url,
				"-c",
				"select n from kept",
				"-c",
				"insert into kept values (7)",
				"-c",
				"delete from kept where ctid <> (select min(ctid) from kept)",
			)
			require.NoError(t, err, out)
			require.Equal(t, "7", out)
			url, err = sh(script, "url", "postgres")
			require.NoError(t, err)
			out, err = sh("psql", "-qXtA", url, "-c", "select 1")
			require.NoError(t, err, out)
		}
		port := strings.Split(must(os.ReadFile(filepath.Join(home, "postgres", "postmaster.pid")))(t), "\n")[3]
		out, err = sh("psql", "-qXw", "postgres://wisemarrow@127.0.0.1:"+port+"/wisemarrow", "-c", "select 1")
		require.Error(t, err, "nobody comes in without a password: %s", out)
	}
}

func must(data []byte, err error) func(t *testing.T) string {
	return func(t *testing.T) string {
		t.Helper()
		require.NoError(t, err)
		return string(data)
	}
}
