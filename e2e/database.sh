#!/usr/bin/env bash
# Databases of the browser tests. Without a name: builds the programs and makes the one with the demo in it anew.
# With a name: makes a copy of it under that name and prints its address.
set -euo pipefail
cd "$(dirname "$0")/.."
admin=$(scripts/db.sh url postgres)
# Not "with (force)", which an ordinary role is refused while the server cleans up in there.
fresh() {
  psql -qXt "$admin" -c "select pg_terminate_backend(pid, 5000) from pg_stat_activity where datname = '$1' and usename = current_user" \
    -c "drop database if exists $1" -c "create database $1${2:+ template $2}" >/dev/null
}
if [ $# -gt 0 ]; then
  fresh "$1" wisemarrow_e2e
  scripts/db.sh url "$1"
  exit
fi
fresh wisemarrow_e2e
scripts/wasm.sh
go build -o bin/ ./cmd/...
WISEMARROW_DATABASE=$(scripts/db.sh url wisemarrow_e2e) bin/wisemarrow-server seed
