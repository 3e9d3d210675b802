#!/usr/bin/env bash
# The server for the browser tests: a database made anew, the demo in it.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/db.sh start
admin=$(scripts/db.sh url postgres)
# Not "with (force)", which an ordinary role is refused while the server cleans up in there.
psql -qXt "$admin" -c "select pg_terminate_backend(pid, 5000) from pg_stat_activity where datname = 'wisemarrow_e2e' and usename = current_user" \
  -c "drop database if exists wisemarrow_e2e" -c "create database wisemarrow_e2e" >/dev/null
scripts/wasm.sh
go build -o bin/ ./cmd/...
WISEMARROW_DATABASE=$(scripts/db.sh url wisemarrow_e2e); export WISEMARROW_DATABASE
bin/wisemarrow-server seed
exec bin/wisemarrow-server serve --addr "127.0.0.1:${WISEMARROW_E2E_PORT:?}"
