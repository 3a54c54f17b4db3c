#!/usr/bin/env bash
# Counts the instructions of the first job of scripts/bench.sh on one thread, for each row that it writes: the same
# number whatever else the machine does, so that a change of one in a hundred can be seen. Needs valgrind.
# Usage: scripts/instructions.sh [ORDERS [GRANUM…]]; 50,000 orders and the release build. Of several programs each.
# Bytes that are cleared or copied by one instruction are counted one by one, and what is done once for each file
# weighs more than in a large job.
set -euo pipefail
cd "$(dirname "$0")/.."
orders=${1:-50000}
programs=("${@:2}")
if [ ${#programs[@]} -eq 0 ]; then
  cargo build --release --quiet -p granum
  programs=(target/release/granum)
fi
dir=target/bench/$orders
if [ ! -f "$dir/unit_sales.granum" ]; then
  mkdir -p "$dir"
  "${programs[0]}" demo "$dir" --orders "$orders" --only-data >/dev/null
  # The plan, as the bench has it.
  sed -n '/^plan=\$dir/,/^} >"\$plan"/p' scripts/bench.sh >"$dir/plan.sh"
  dir=$dir bash "$dir/plan.sh"
fi
for program in "${programs[@]}"; do
  counts=$dir/instructions.$(basename "$program")
  valgrind --tool=cachegrind --branch-sim=yes --cache-sim=no --cachegrind-out-file="$counts" \
    "$program" run "$dir/unit_sales.granum" -q --threads 1 >/dev/null 2>&1
  rows=$(($(wc -l <"$dir/out/unit_sales.csv") - 1))
  echo "$program: instructions and wrong guesses for each of $rows rows"
  awk -v rows="$rows" '
    /^fn=/ { function_of = substr($0, 4) }
    /^[0-9]/ { own[function_of] += $2; all += $2; wrong += $4 + $6; wrong_of[function_of] += $4 + $6 }
    END {
      printf "%8.0f %6.2f  in all\n", all / rows, wrong / rows; fflush()
      for (name in own) if (own[name] > all / 200)
        printf "%8.0f %6.2f  %s\n", own[name] / rows, wrong_of[name] / rows, substr(name, 1, 110) | "sort -rn"
    }' "$counts"
done
