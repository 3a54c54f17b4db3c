#!/usr/bin/env bash
# Writes docs/schema/ anew from the program's types. A test says when that is due.
set -euo pipefail
cd "$(dirname "$0")/.."
GRANUM_WRITE_SCHEMAS=1 cargo test --quiet -p granum --lib the_schemas_are_those_of_the_types
