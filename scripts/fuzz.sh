#!/usr/bin/env bash
# Gives each target of fuzz/ random inputs for SECONDS (60), within 2 GB: no panic, no hang. What is found
# stands in fuzz/found/. With cargo-fuzz and a nightly toolchain the same targets run by
#   cargo +nightly fuzz run TARGET --features libfuzzer -- -max_total_time=SECONDS
set -euo pipefail
cd "$(dirname "$0")/.."
seconds=${1:-60}
seed=${2:-1}
cargo build --release --quiet --manifest-path fuzz/Cargo.toml --bin bounded
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir "$work/plans" "$work/files" "$work/expressions" "$work/checks"
cp crates/granum-demo/plans/*.granum crates/granum/tests/corpus/plans/* "$work/plans"
cp -r examples "$work/plans/examples"
for file in crates/granum/tests/corpus/files/*; do
  { printf 'a'; head -c 4000 "$file"; } >"$work/files/$(basename "$file")"
done
# The examples of functions and aggregates, as the reference has them.
grep -o '`[a-z_]*([^`]*)`' docs/language.md | tr -d '`' | sort -u | grep -v ' …' |
  awk -v to="$work/expressions" '{ print > (to "/" NR) ; close(to "/" NR) }'
printf 'if b then (round(d * i, 2) ?? d) else sum(d per t) / rows(in all)' >"$work/expressions/one"
printf 'add_days(day, i) > date(at) and not (t = "fern" or n < 0.5)' >"$work/expressions/two"
printf 'running(i per t by day desc) + position(per b by d) - highest(i, 0)' >"$work/expressions/three"
printf 'pad_left(text(d), 20, "0") & left(t, i) & list(distinct t, ", " in all)' >"$work/expressions/four"
for plan in crates/granum/tests/corpus/plans/*; do
  { sed 's/orders.csv/0.csv/; s/lines.csv/1.csv/; s/"customers.csv"/"0.csv"/' "$plan"; printf '\0'
    printf 'order_no,ordered_on,customer_no,freight\nM1,2026-03-01,C1,4.00\nM2,2026-03-02,,0.00\n\0'
    printf 'order_no,line_no,quantity,net\nM1,1,3,10.00\nM1,2,1,5.50\nM2,1,2,7.01\n'
  } >"$work/checks/$(basename "$plan")"
done
ulimit -v 4000000
status=0
for target in plan_text:plans csv_parts:files expressions:expressions whole_check:checks; do
  fuzz/target/release/bounded "${target%%:*}" "$seconds" "$seed" "$work/${target##*:}" || status=1
done
exit $status
