#!/usr/bin/env bash
# Passes all checks: format, linters, Go tests with the database, browser tests.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/install.sh test
scripts/db.sh start
export WISEMARROW_TEST_DATABASE; WISEMARROW_TEST_DATABASE=$(scripts/db.sh url postgres)
meshes=${WISEMARROW_MESHES:-$PWD/.data/meshes}
scripts/real-meshes.sh "$meshes" || echo "The real meshes could not be fetched; their tests are skipped, or fail in CI."
export WISEMARROW_MESHES=$meshes
scripts/wasm.sh
unformatted=$(gofmt -l $(git ls-files '*.go'))
[ -z "$unformatted" ] || { echo "gofmt these:"; echo "$unformatted"; exit 1; }
go vet ./...
go tool staticcheck ./...
npm run --silent lint
go build -o bin/wisemarrow ./cmd/wisemarrow
go test ./... "$@"
# Once more under the race detector, without those that only compute for long, and without
# those of the program, which run it as it was built.
go test -race -short $(go list ./... | grep -v /cmd/) "$@"
go run ./internal/soak --seconds 25
scripts/fuzz.sh 5
npx playwright test
