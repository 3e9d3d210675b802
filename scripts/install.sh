#!/usr/bin/env bash
# Installs what is missing of Debian's packages: install.sh run|test
# run: what the workbench needs; test: also the browser and the file checkers.
set -euo pipefail
cd "$(dirname "$0")/.."
need=()
ls -d /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || need+=(postgresql)
if [ "${1:-run}" = test ]; then
  [ -x /usr/bin/chromium ] || need+=(chromium)
  command -v assimp >/dev/null || need+=(assimp-utils)
  command -v opencolladavalidator >/dev/null || need+=(opencollada-tools)
  [ -d /usr/share/assimp/models ] || dpkg -s assimp-testmodels >/dev/null 2>&1 || need+=(assimp-testmodels)
fi
if [ ${#need[@]} -gt 0 ]; then
  echo "Installing: ${need[*]}"
  sudo=""
  if [ "$(id -u)" != 0 ]; then
    command -v sudo >/dev/null || { echo "These Debian packages are missing: ${need[*]}. Install them as root, then run this again." >&2; exit 1; }
    sudo=sudo
  fi
  $sudo apt-get update -qq
  DEBIAN_FRONTEND=noninteractive $sudo apt-get install -y -qq --no-install-recommends "${need[@]}" >/dev/null
fi
command -v go >/dev/null || { echo "Go is missing; the README says which version." >&2; exit 1; }
if [ "${1:-run}" = test ]; then
  command -v npm >/dev/null || { echo "Node.js with npm is missing; the README says which version." >&2; exit 1; }
  if [ ! -f node_modules/.ready ] || [ package-lock.json -nt node_modules/.ready ]; then
    PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD=1 npm ci --no-audit --no-fund --loglevel=error
    touch node_modules/.ready
  fi
fi
