#!/usr/bin/env bash
# Times one table of LINES order lines (1,000,000; a sheet holds 1,048,575) from and to each format, by whole runs, and
# a sheet against what its library needs alone. Usage: scripts/bench_formats.sh [LINES [RUNS]]; the best of 3. Databases on
# servers are among them where it is told of some:  scripts/with_servers.sh scripts/bench_formats.sh
set -euo pipefail
cd "$(dirname "$0")/.."
lines=${1:-1000000}
runs=${2:-3}
dir=${BENCH_DIR:-target/bench/formats_$lines}
cargo build --release --quiet -p granum --features full
cargo build --release --quiet -p granum-io --features sheets,columnar,sqlite --example floor_sheet --example floor_columns
granum=$PWD/target/release/granum
floor=$PWD/target/release/examples/floor_sheet
floor_columns=$PWD/target/release/examples/floor_columns
mkdir -p "$dir"
if [ ! -f "$dir/lines.csv" ]; then
  "$granum" demo "$dir/demo" --orders "$((lines / 2 + 1000))" --only-data > /dev/null
  head -n "$((lines + 1))" "$dir/demo/data/lines.csv" > "$dir/lines.csv"
  rm -rf "$dir/demo"
fi
cd "$dir"

# The best seconds of the plan in bench.granum, and the most memory in MB.
best_of() {
  local best=999 most=0 seconds kb
  for _ in $(seq "$runs"); do
    read -r seconds kb < <(/usr/bin/time -f '%e %M' "$granum" run -q bench.granum 2>&1 > /dev/null | tail -1)
    best=$(awk "BEGIN{print ($seconds<$best)?$seconds:$best}")
    most=$((kb > most ? kb : most))
  done
  printf '%-34s %9.2f %9d\n' "$1" "$best" "$((most / 1000))"
}

# A plan from one file to another.
timed() {
  printf 'input t from "%s"%s\n  read article_no as text\n  dedupe\n  grain order_no, line_no\n  track quantity\n\noutput t to "%s"\n' \
    "$1" "${3:-}" "$2" > bench.granum
  best_of "$4"
}

# All columns of a file, summed into one row: hardly more than reading it.
summed() {
  printf 'input t from "%s"\n  read article_no as text\n  track quantity\n\ntable s from t\n  one row in all\n    orders   = max(order_no)\n    lines    = sum(line_no)\n    articles = max(article_no)\n    quantity = sum(quantity)\n    price    = sum(unit_price)\n    discount = sum(discount)\n\noutput s to "sum.csv"\n' \
    "$1" > bench.granum
  best_of "$2"
}

printf '%-34s %9s %9s\n' "$lines lines, best of $runs" "seconds" "MB"
timed lines.csv out.csv "" "CSV to CSV"
timed lines.csv out.csv.gz "" "CSV to .csv.gz"
timed lines.csv out.csv.zst "" "CSV to .csv.zst"
timed lines.csv out.jsonl "" "CSV to .jsonl"
timed out.jsonl out.csv "" ".jsonl to CSV"
summed lines.csv "CSV, summed"
timed lines.csv out.parquet "" "CSV to .parquet"
summed out.parquet ".parquet, summed"
timed out.parquet out.csv "" ".parquet to CSV"
timed lines.csv out.arrow "" "CSV to .arrow"
summed out.arrow ".arrow, summed"
timed out.arrow out.csv "" ".arrow to CSV"
timed lines.csv out.db "" "CSV to .db"
timed out.db out.csv "" ".db to CSV"
timed lines.csv out.xlsx "" "CSV to .xlsx"
timed out.xlsx out.csv "" ".xlsx to CSV"
alone() {
  local best=999 seconds
  for _ in $(seq "$runs"); do
    seconds=$("$1" "$2")
    best=$(awk "BEGIN{print ($seconds<$best)?$seconds:$best}")
  done
  printf '%-34s %9.2f\n' "floor: the library reads the $2" "$best"
}
alone "$floor_columns" out.parquet
alone "$floor" out.xlsx

# A plan from CSV into a table and from there to CSV.
served() {
  printf 'input t from "lines.csv"\n  read article_no as text\n  dedupe\n  grain order_no, line_no\n  track quantity\n\noutput t to "%s" named "lines"\n' \
    "$1" > bench.granum
  best_of "CSV to $2"
  printf 'input t from "%s" named "lines"\n  dedupe\n  grain order_no, line_no\n  track quantity\n\noutput t to "out.csv"\n' \
    "$1" > bench.granum
  best_of "$2 to CSV"
}

# A command.
floor_of() {
  local what=$1 best=999 seconds
  shift
  for _ in $(seq "$runs"); do
    seconds=$( (/usr/bin/time -f '%e' "$@" > /dev/null) 2>&1 | tail -1)
    best=$(awk "BEGIN{print ($seconds<$best)?$seconds:$best}")
  done
  printf '%-34s %9.2f\n' "floor: $what" "$best"
}

if [ -n "${GRANUM_TEST_POSTGRES:-}" ]; then
  psql -q "$GRANUM_TEST_POSTGRES/postgres" -c 'DROP DATABASE IF EXISTS granum_bench' -c 'CREATE DATABASE granum_bench'
  served "$GRANUM_TEST_POSTGRES/granum_bench" PostgreSQL
  summed "$GRANUM_TEST_POSTGRES/granum_bench" "PostgreSQL, summed"
  client=(psql -q "$GRANUM_TEST_POSTGRES/granum_bench")
  floor_of "its client copies the table out" "${client[@]}" -c "\\copy lines to 'out.bin' with (format binary)"
  floor_of "and in, to a table without rows" "${client[@]}" -c 'DROP TABLE IF EXISTS copied' -c 'CREATE TABLE copied (LIKE lines)' \
    -c "\\copy copied from 'out.bin' with (format binary)"
  floor_of "the same with its key" "${client[@]}" -c 'DROP TABLE IF EXISTS copied' -c 'CREATE TABLE copied (LIKE lines INCLUDING ALL)' \
    -c "\\copy copied from 'out.bin' with (format binary)"
fi
if [ -n "${GRANUM_TEST_MYSQL:-}" ]; then
  port=${GRANUM_TEST_MYSQL##*:}
  mariadb --no-defaults -h 127.0.0.1 -P "$port" -u granum -e 'DROP DATABASE IF EXISTS granum_bench; CREATE DATABASE granum_bench'
  served "$GRANUM_TEST_MYSQL/granum_bench" MySQL
fi
rm -f out.* sum.csv bench.granum
