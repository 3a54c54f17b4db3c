#!/usr/bin/env bash
# Runs steps and links, each by itself, and the two jobs of scripts/bench.sh, with less and less memory to work with, and says
# what each took: seconds, the greatest resident size, whether that is within what was given and 48 MB more, and whether
# the bytes of all outputs are those of a run with all the memory that it needs. Then the same of what looks at files and
# of what looks back; of a sample other numbers are told.
# Usage: scripts/memory.sh [ORDERS…]; 1,000,000 and 2,000,000. scripts/bench.sh 1000000 has to have run once.
set -euo pipefail
cd "$(dirname "$0")/.."
cargo build --release --quiet -p granum
granum=$PWD/target/release/granum
plans=$PWD/target/bench/1000000
failed=0
[ $# -gt 0 ] || set -- 1000000 2000000
# took COMMAND…: seconds and kB.
took() {
  python3 - "$@" <<'PY'
import os, subprocess, sys, time
begun = time.monotonic()
child = subprocess.Popen(sys.argv[1:], stdout=subprocess.DEVNULL)
_, status, usage = os.wait4(child.pid, 0)
if status != 0:
    sys.exit(f"{sys.argv[1:]} ended with {status}")
print(f"{time.monotonic() - begun:.2f} {usage.ru_maxrss}")
PY
}

# compared NAME PLAN MEMORY…: the plan with each of these.
compared() {
  local name=$1 plan=$2 first='' memory seconds kb bytes same within
  shift 2
  for memory in "$@"; do
    rm -rf "$dir/out"
    mkdir -p "$dir/out"
    read -r seconds kb < <(took "$granum" run "$plan" -q --memory "$memory")
    bytes=$(find "$dir/out" -type f | sort | xargs cat | sha256sum)
    first=${first:-$bytes}
    same=the\ same within=
    if [ "$bytes" != "$first" ]; then same=OTHER failed=1; fi
    case $memory in *MB) [ $((kb * 1024 / 1000000)) -le $((${memory%MB} + 48)) ] && within=within || within=BEYOND ;; esac
    printf '%-18s %-8s %8.2f s %6d MB %-7s bytes: %s\n' "$name" "$memory" "$seconds" "$((kb * 1024 / 1000000))" "$within" "$same"
  done
}

# looked NAME SAME COMMAND…: a command without outputs, with all memory and with 64 MB. SAME: whether it tells the same.
looked() {
  local name=$1 alike=$2 memory seconds kb bytes first='' told within
  shift 2
  for memory in 100% 64MB; do
    read -r seconds kb < <(cd "$dir" && took "$granum" "$@" --memory "$memory")
    bytes=$(cd "$dir" && "$granum" "$@" --memory "$memory" | sha256sum)
    first=${first:-$bytes}
    told=the\ same within=
    if [ "$bytes" != "$first" ]; then
      told=a\ sample
      [ "$alike" = sample ] || told=OTHER failed=1
    fi
    case $memory in *MB) [ $((kb * 1024 / 1000000)) -le $((${memory%MB} + 48)) ] && within=within || within=BEYOND ;; esac
    printf '%-18s %-8s %8.2f s %6d MB %-7s tells: %s\n' "$name" "$memory" "$seconds" "$((kb * 1024 / 1000000))" "$within" "$told"
  done
}

lines='input lines from "data/lines.csv"
  read quantity as integer
       unit_price as decimal(2)
       discount as decimal(2)'
orders_files='input orders from "data/orders_shop.csv", "data/orders_post.csv"
  read ordered_on as date "%Y-%m-%d" or "%d/%m/%Y"
       sent_at as datetime
       freight as decimal(2)
  dedupe by order_no keep latest sent_at
  grain order_no
  track freight'
of_lines() { printf '%s\ntable t from lines\n%s\noutput t to "out/step.csv"\n' "$lines" "$1"; }
of_orders() { printf '%s\ntable t from orders\n%s\noutput t to "out/step.csv"\n' "$orders_files" "$1"; }
linked() { printf '%s\n%s\nlink lines to orders on order_no\ntable t from %s\n%s\noutput t to "out/step.csv"\n' "$orders_files" "$lines" "$1" "$2"; }
# steps: a plan for each step and link by itself.
steps() {
  of_lines '  dedupe' >"$1/dedupe.granum"
  of_lines $'  dedupe\n  grain order_no, line_no' >"$1/grain.granum"
  of_lines '  units of quantity as unit_no dropping zero, negative, blank' >"$1/units.granum"
  of_lines '  turn unit_price, discount into rows what, much' >"$1/turn.granum"
  of_lines '  sort article_no, quantity desc' >"$1/sort.granum"
  of_lines '  top 100 by unit_price per article_no' >"$1/top.granum"
  of_lines '  top 20% by unit_price per article_no with ties' >"$1/top_part.granum"
  of_lines '  top 1 by unit_price per order_no' >"$1/top_one.granum"
  of_lines $'  one row per order_no\n    q = sum(quantity)\n    n = distinct(article_no)' >"$1/one_row.granum"
  of_lines $'  one row per article_no\n    m = median(unit_price)\n    o = distinct(order_no)' >"$1/median.granum"
  of_orders $'  one row per channel\n    m = median(sent_at)\n    p = percentile(freight, 90)' >"$1/median_few.granum"
  of_orders '  add r = running(freight per customer_no by ordered_on)' >"$1/running.granum"
  of_orders $'  add r = running(freight in all by ordered_on)\n      p = position(in all by freight desc)\n      n = next(sent_at in all by order_no)' >"$1/in_all.granum"
  of_orders '  add r = mean(freight per customer_no by ordered_on over 28 days)' >"$1/window.granum"
  of_orders '  add r = freight / sum(freight per customer_no)' >"$1/per.granum"
  # Groups of which each has a part of all rows.
  of_orders $'  add r = freight / sum(freight per channel)\n      m = median(freight per channel)\n      d = distinct(customer_no per channel)' >"$1/per_few.granum"
  of_orders $'  add r = running(freight per channel by ordered_on)\n      p = position(per channel by freight desc)' >"$1/window_few.granum"
  of_orders $'  top 100 by freight per channel' | sed 's/track freight/track freight in channel/' >"$1/top_apart.granum"
  linked lines $'  add channel = orders.channel\n      ordered_on = orders.ordered_on' >"$1/link.granum"
  linked orders '  add q = sum(lines.quantity)' >"$1/gathered.granum"
  linked orders $'  one row per customer_no\n    m = median(lines.unit_price)\n    d = distinct(lines.article_no)' >"$1/led.granum"
  printf '%s\n%s\n%s\ntable t from orders\n%s\noutput t to "out/step.csv"\n' "$orders_files" \
    $'input promotions from "data/promotions.csv"\n  read starts_on as date\n       ends_on as date\n  grain promo_code' \
    'link orders to promotions on ordered_on within starts_on through ends_on prefer latest starts_on' \
    $'  add promo = promotions.title\n      many = choices(promotions)' >"$1/period.granum"
  linked lines $'  drop quantity is blank or quantity <= 0\n  allocate orders.freight as freight by quantity' >"$1/allocate.granum"
}

for orders in "$@"; do
  dir=target/bench/$orders
  [ -d "$dir/data" ] || "$granum" demo "$dir" --orders "$orders" --only-data >/dev/null
  printf '\n%s orders · %s MB in\n' "$orders" "$(($(cat "$dir"/data/*.csv | wc -c) / 1000000))"
  mkdir -p "$dir/steps"
  ln -sfn ../data "$dir/steps/data"
  ln -sfn ../out "$dir/steps/out"
  steps "$dir/steps"
  for plan in "$dir"/steps/*.granum; do
    compared "$(basename "$plan" .granum)" "$plan" 100% 64MB
  done
  for job in unit_sales wider; do
    [ "$dir" -ef "$plans" ] || cp "$plans/$job.granum" "$dir/$job.granum"
    compared "$job" "$dir/$job.granum" 100% 256MB 128MB 64MB
  done
  all=(data/orders_shop.csv data/orders_post.csv data/lines.csv data/customers.csv data/returns.csv data/articles.csv
    data/visits.csv data/promotions.csv data/prices.csv)
  looked survey sample survey data/lines.csv
  looked relate sample relate "${all[@]}"
  looked draft sample draft "${all[@]}"
  looked match same match data/lines.csv data/orders_shop.csv --on order_no
  looked trace same trace unit_sales.granum sales order_no=M0000007
  looked removed same show unit_sales.granum sales --removed
done
# The same in a control group, which also bounds the system's cache of files.
orders=data/orders_shop.csv,data/orders_post.csv
printf '\n'
python3 scripts/control_group.py "$granum" "$plans" 3 "unit_sales=$orders,data/lines.csv,data/customers.csv,data/articles.csv" \
  "wider=$orders,data/lines.csv,data/customers.csv,data/articles.csv,data/returns.csv" || failed=1
exit "$failed"
