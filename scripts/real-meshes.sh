#!/usr/bin/env bash
# Unpacks a few real meshes (OFF) from Debian's package libcgal-demo, for tests.
# usage: real-meshes.sh DIR
set -euo pipefail
dir=${1:?usage: real-meshes.sh DIR}
mkdir -p "$dir"; dir=$(cd "$dir" && pwd)
[ ! -s "$dir/elephant.off" ] || exit 0
tmp=$(mktemp -d); trap 'rm -rf "$tmp"' EXIT
chmod 755 "$tmp"; cd "$tmp"
apt-get download libcgal-demo >/dev/null 2>&1 || { apt-get update -qq && apt-get download libcgal-demo >/dev/null 2>&1; }
dpkg-deb -x libcgal-demo_*.deb pkg
tar xzf "$(find pkg -name data.tar.gz | head -1)" -C "$tmp"
for m in elephant cow man hand diplodocus; do cp "data/meshes/$m.off" "$dir/"; done
