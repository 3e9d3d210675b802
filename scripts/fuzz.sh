#!/usr/bin/env bash
# Gives every fuzz test so many seconds, two at a time: fuzz.sh [SECONDS] [FOLDER]. What they find is
# written below testdata/fuzz of the package and fails from then on; there lies also a part
# of what they have learnt, as seeds of every test run. The rest stays in Go's own cache.
set -euo pipefail
cd "$(dirname "$0")/.."
seconds=${1:-60}
out=$(mktemp -d)
trap 'rm -rf "$out"' EXIT
mapfile -t all < <(git grep -lE '^func Fuzz' -- "${2:-.}/*_test.go" | while read -r file; do
  grep -oE '^func Fuzz[A-Za-z]*' "$file" | while read -r _ name; do echo "$(dirname "$file") $name"; done
done)
echo "${#all[@]} fuzz tests, $seconds s each"
printf '%s\n' "${all[@]}" | xargs -P 2 -L 1 bash -c '
  go test "./$1" -run "^$" -fuzz "^$2\$" -fuzztime "$0s" -fuzzminimizetime 20x -parallel 1 >"'"$out"'/$(tr / _ <<<"$1")-$2" 2>&1 ||
    { echo "FAIL $1 $2"; cat "'"$out"'/$(tr / _ <<<"$1")-$2"; exit 255; }' "$seconds"
for f in "$out"/*; do printf '%-36s %s\n' "$(basename "$f")" "$(grep -oE 'execs: [0-9]+' "$f" | tail -1)"; done
