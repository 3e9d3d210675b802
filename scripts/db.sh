#!/usr/bin/env bash
# The project's own PostgreSQL, on loopback only, in .data: db.sh start|stop|kill|status|url
# WISEMARROW_DATA is another folder for it, WISEMARROW_DB_PORT the port to take.
set -euo pipefail
cd "$(dirname "$0")/.."
home=${WISEMARROW_DATA:-$PWD/.data}
mkdir -p "$home"
bin=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -1 || true)
[ -n "$bin" ] || { echo "PostgreSQL's server is missing: run scripts/install.sh" >&2; exit 1; }
data=$home/postgres
as=()
if [ "$(id -u)" = 0 ]; then
  # PostgreSQL refuses to run as root. Where its own user cannot reach this
  # folder the data lies in that user's home, under a name made of the path.
  as=(runuser -u postgres --)
  mkdir -p "$data"
  if ! "${as[@]}" test -x "$data" 2>/dev/null; then
    rmdir "$data" 2>/dev/null || true
    data=/var/lib/postgresql/wisemarrow-$(printf %s "$home" | sha256sum | cut -c1-12)
    mkdir -p "$data"
  fi
  chown postgres "$data"
fi
run() { (cd / && "${as[@]}" "$@"); }
running() { run "$bin/pg_ctl" -D "$data" status >/dev/null 2>&1; }
port() { sed -n 4p "$data/postmaster.pid"; }
case "${1:-}" in
start)
  if [ -f "$data/PG_VERSION" ]; then
    have=$(cat "$data/PG_VERSION"); this=$("$bin/postgres" --version | sed -E 's/.* ([0-9]+)[.].*/\1/')
    if [ "$have" != "$this" ]; then
      echo "The data in $data was made by PostgreSQL $have, and this machine has $this." >&2
      echo "Nothing was changed. Install postgresql-$have, or move the folder away and restore a backup." >&2
      exit 1
    fi
  else
    echo "Making the database cluster in $data"
    run "$bin/initdb" -D "$data" -U wisemarrow -A trust --encoding=UTF8 --locale=C.UTF-8 >/dev/null
  fi
  if ! running; then
    free=""
    for p in ${WISEMARROW_DB_PORT:-$(seq 5540 5599)}; do
      if ! (exec 3<>"/dev/tcp/127.0.0.1/$p") 2>/dev/null; then free=$p; break; fi
    done
    [ -n "$free" ] || { echo "No port of ${WISEMARROW_DB_PORT:-5540 to 5599} is free on 127.0.0.1" >&2; exit 1; }
    run "$bin/pg_ctl" -D "$data" -w -t 60 -l "$data/log" -o "-p $free -c listen_addresses=127.0.0.1 -c unix_socket_directories=''" start >/dev/null ||
      { echo "PostgreSQL did not start; the end of its log:" >&2; run tail -5 "$data/log" >&2; exit 1; }
  fi
  psql -qtA "postgres://wisemarrow@127.0.0.1:$(port)/postgres" -c "select 1 from pg_database where datname = 'wisemarrow'" | grep -q 1 ||
    psql -q "postgres://wisemarrow@127.0.0.1:$(port)/postgres" -c "create database wisemarrow" ;;
stop) if running; then run "$bin/pg_ctl" -D "$data" -m fast -w stop >/dev/null; fi ;;
kill) if running; then run "$bin/pg_ctl" -D "$data" -m immediate -w stop >/dev/null; fi ;; # as a crash would
drop) if running; then run "$bin/pg_ctl" -D "$data" -m immediate -w stop >/dev/null; fi; rm -rf "$data" ;;
status) running && echo "running on 127.0.0.1:$(port)" || echo "not running" ;;
url)
  running || { echo "The database is not running: make db" >&2; exit 1; }
  echo "postgres://wisemarrow@127.0.0.1:$(port)/${2:-wisemarrow}?sslmode=disable" ;;
*) echo "usage: db.sh start|stop|kill|drop|status|url [DATABASE]" >&2; exit 2 ;;
esac
