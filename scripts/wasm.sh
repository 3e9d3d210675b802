#!/usr/bin/env bash
# Builds core for the browser into web/static/wasm, from where the program embeds it.
set -euo pipefail
cd "$(dirname "$0")/.."
out=web/static/wasm
mkdir -p "$out"
GOOS=js GOARCH=wasm go build -trimpath -ldflags="-s -w" -o "$out/core.wasm.new" ./browser/wasm
# Left alone where nothing changed, so that addresses stay and nothing is built anew.
cmp -s "$out/core.wasm.new" "$out/core.wasm" && rm "$out/core.wasm.new" || mv "$out/core.wasm.new" "$out/core.wasm"
cmp -s "$(go env GOROOT)/lib/wasm/wasm_exec.js" "$out/wasm_exec.js" || cp "$(go env GOROOT)/lib/wasm/wasm_exec.js" "$out/wasm_exec.js"
