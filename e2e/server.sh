#!/usr/bin/env bash
# The server for the browser tests: a database made anew, the demo in it.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/db.sh start
admin=$(scripts/db.sh url postgres)
psql -q "$admin" -c "drop database if exists wisemarrow_e2e with (force)" -c "create database wisemarrow_e2e"
scripts/wasm.sh
go build -o bin/wisemarrow ./cmd/wisemarrow
WISEMARROW_DATABASE=$(scripts/db.sh url wisemarrow_e2e); export WISEMARROW_DATABASE
bin/wisemarrow seed
exec bin/wisemarrow serve --addr "127.0.0.1:${WISEMARROW_E2E_PORT:?}"
