#!/usr/bin/env bash
# Installs what is missing, starts the database, builds, migrates, seeds, serves.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/install.sh run
scripts/db.sh start
export WISEMARROW_DATABASE; WISEMARROW_DATABASE=$(scripts/db.sh url)
scripts/wasm.sh
go build -o bin/ ./cmd/...
bin/wisemarrow-server seed --sheets
scripts/db.sh keep $$ & # a database that shut itself down comes back; make stop stops it
exec bin/wisemarrow-server serve --addr "${WISEMARROW_ADDR:-127.0.0.1:8470}"
