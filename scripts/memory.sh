#!/usr/bin/env bash
# Runs the two jobs of scripts/bench.sh with less and less memory to work with, and says what each took: seconds, the
# greatest resident size, and whether the bytes of all outputs are those of a run with all the memory that it needs.
# Usage: scripts/memory.sh [ORDERS…]; 1,000,000 and 2,000,000. scripts/bench.sh 1000000 has to have run once.
set -euo pipefail
cd "$(dirname "$0")/.."
cargo build --release --quiet -p granum
granum=$PWD/target/release/granum
plans=$PWD/target/bench/1000000
failed=0
[ $# -gt 0 ] || set -- 1000000 2000000
for orders in "$@"; do
  dir=target/bench/$orders
  [ -d "$dir/data" ] || "$granum" demo "$dir" --orders "$orders" --only-data >/dev/null
  for job in unit_sales wider; do
    [ "$dir" -ef "$plans" ] || cp "$plans/$job.granum" "$dir/$job.granum"
    printf '\n%s orders, %s · %s MB in\n' "$orders" "$job" "$(($(cat "$dir"/data/*.csv | wc -c) / 1000000))"
    first=
    for memory in 100% 256MB 128MB 64MB; do
      rm -rf "$dir/out"
      read -r seconds kb < <(python3 - "$granum" run "$dir/$job.granum" -q --memory "$memory" <<'PY'
import os, subprocess, sys, time
begun = time.monotonic()
child = subprocess.Popen(sys.argv[1:], stdout=subprocess.DEVNULL)
_, status, usage = os.wait4(child.pid, 0)
if status != 0:
    sys.exit(f"{sys.argv[1:]} ended with {status}")
print(f"{time.monotonic() - begun:.2f} {usage.ru_maxrss}")
PY
      )
      bytes=$(find "$dir/out" -type f | sort | xargs cat | sha256sum)
      first=${first:-$bytes}
      same=the\ same
      if [ "$bytes" != "$first" ]; then same=OTHER failed=1; fi
      printf '%-8s %8.2f s %6d MB   bytes: %s\n' "$memory" "$seconds" "$((kb * 1024 / 1000000))" "$same"
    done
  done
done
exit "$failed"
