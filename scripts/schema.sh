#!/usr/bin/env bash
# Writes docs/schema/ anew from the program's types. A test says when that is due.
set -euo pipefail
cd "$(dirname "$0")/.."
dir=$(mktemp -d)
trap 'rm -rf "$dir"' EXIT
cargo run --quiet -- manual "$dir"
mkdir -p docs/schema
cp "$dir"/*.schema.json docs/schema/
