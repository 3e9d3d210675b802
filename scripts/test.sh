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
npm test --silent
go build -o bin/ ./cmd/...
# As go test prints it, a time for each package, and the slowest tests at the end.
times=$PWD/.data/tests.json
go tool gotestsum --format standard-quiet --jsonfile "$times" -- ./... "$@" || { sed -n 's/.*"Output":"\( *--- FAIL[^"]*\)\\n".*/\1/p' "$times"; exit 1; }
echo "The slowest tests:"
go tool gotestsum tool slowest --num 10 --jsonfile "$times"
# Once more under the race detector: what shares memory or works on several cores, without
# what only computes for long; of the server what several do at once.
go test -race -short ./core/geom ./core/linalg ./core/bind ./core/deform ./core/weights ./queue ./studio "$@"
go test -race -short ./web -run 'Requests|Waits|Events|Again|Handoff|Sessions|Tries|Body' "$@"
go run ./internal/soak --seconds 25
npx playwright test
