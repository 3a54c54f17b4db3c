#!/usr/bin/env bash
# Works random plans by the engine and by a slow evaluator, and compares all that they tell.
# usage: scripts/random-plans.sh [HOW MANY [SEED]]
set -euo pipefail
cd "$(dirname "$0")/.."
export GRANUM_RANDOM_PLANS="${1:-100000}"
if [ $# -gt 1 ]; then export GRANUM_RANDOM_SEED="$2"; fi
cargo test --release -p granum-core --lib random -- --nocapture
