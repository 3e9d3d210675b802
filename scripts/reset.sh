#!/usr/bin/env bash
# Brings the demo data back: drops the project's own database and seeds it anew.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/install.sh run
scripts/db.sh start
scripts/db.sh fresh
scripts/wasm.sh
go build -o bin/ ./cmd/...
WISEMARROW_DATABASE=$(scripts/db.sh url) bin/wisemarrow-server seed --sheets
