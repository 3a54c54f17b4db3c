#!/usr/bin/env bash
# Times whole runs over the demo's data against the floor: one thread that only parses the inputs and
# writes as many records. What is told as a ratio is the median of pairs, the floor and the command in turn.
# Usage: scripts/bench.sh [ORDERS [RUNS]]; 1,000,000 orders and 3 pairs of each.
set -euo pipefail
cd "$(dirname "$0")/.."
orders=${1:-1000000}
runs=${2:-3}
dir=${BENCH_DIR:-target/bench/$orders}
cargo build --release --quiet -p granum
cargo build --release --quiet -p granum-io --example floor
granum=target/release/granum
if [ ! -f "$dir/nursery.granum" ]; then
  mkdir -p "$dir"
  "$granum" demo "$dir" --orders "$orders" --only-data >/dev/null
fi
cp crates/granum-demo/plans/nursery.granum "$dir/nursery.granum"
# Orders, lines and four look-ups to one row per unit sold: the same from version to version, while the
# demo's own plan grows with the language.
plan=$dir/unit_sales.granum
# The inputs that this plan and the wider one have in common.
parties=$(
  cat <<'PLAN'
input orders from "data/orders_shop.csv", "data/orders_post.csv"
  read ordered_on as date "%Y-%m-%d" or "%d/%m/%Y"
       sent_at    as datetime
       freight    as decimal(2)
  dedupe by order_no keep latest sent_at
  drop status = "void"
  grain order_no
  track freight

input lines from "data/lines.csv"
  read quantity   as integer
       unit_price as decimal(2)
       discount   as decimal(2)
  dedupe
  add net = quantity * unit_price - discount
  grain order_no, line_no
  track quantity, net

input customers from "data/customers.csv"
  dedupe by customer_no keep latest changed_on
  grain customer_no

input articles from "data/articles.csv"
  grain article_no
PLAN
)
{
cat <<'PLAN'
plan "Mossgate nursery: unit sales"

param as_of date = date("2026-06-30")

# What the files are, and what one row of each is.

PLAN
printf '%s\n\n' "$parties"
cat <<'PLAN'
input places from "data/places.csv"
  grain place

input returns from "data/returns.csv"
  read quantity as integer
  dedupe
  grain return_no
  track quantity

input radio from "data/outreach_radio.csv" delimiter ";"
  read `Sent on` as date "%d.%m.%Y"
       Cost      as decimal "1.234,56"
  grain `Sent on`
  track Cost

# How they link. Some customer numbers were typed with spaces or in lower case.

link lines     to orders    on order_no                               at least 97% of net
link lines     to articles  on article_no                             complete
link orders    to customers on upper(trim(customer_no)) = customer_no at least 99% blank allowed
link customers to places    on place                                  complete
link returns   to lines     on order_no, line_no                      at least 95%

# What to build: one row per unit sold.

table sales from lines
  keep has(orders)
  add ordered_on   = orders.ordered_on
      channel      = orders.channel
      customer_no  = orders.customers.customer_no
      customer     = orders.customers.name ?? "(not known)"
      region_code  = orders.customers.places.region_code
      category     = articles.category
      returned_qty = sum(returns.quantity)
      age_in_days  = as_of - orders.ordered_on

table unit_sales from sales
  units of quantity as unit_no split net, discount
  add returned = unit_no <= returned_qty
  columns order_no, line_no, unit_no, ordered_on, channel, customer_no, customer, region_code,
          category, article_no, quantity, net, returned, age_in_days

# What must hold before anything is written.

check "units add up to lines": sum(unit_sales.net) = sum(sales.net)
check "as many units as were sold": rows(unit_sales) = sum(sales.quantity)
check "no unit is sold below nothing" unit_sales: net >= 0
check "postcodes are known" customers at least 90%: postcode is not blank
warn "nearly all postcodes are known" customers at least 99%: postcode is not blank

output unit_sales to "out/unit_sales.csv"
PLAN
} >"$plan"
# The files that the plan reads.
mapfile -t inputs < <(grep -o '"data/[^"]*"' "$plan" | tr -d '"' | sed "s|^|$dir/|")
bytes_in=$(cat "${inputs[@]}" | wc -c)

# best COMMAND…: the least seconds of all runs, and the most memory in kB.
best() {
  python3 - "$runs" "$@" <<'PY'
import os, subprocess, sys, time
runs, command = int(sys.argv[1]), sys.argv[2:]
seconds, memory = [], 0
for _ in range(runs):
    begun = time.monotonic()
    child = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    _, status, usage = os.wait4(child.pid, 0)
    seconds.append(time.monotonic() - begun)
    memory = max(memory, usage.ru_maxrss)
    if status != 0:
        sys.exit(f"{command} ended with {status}")
print(f"{min(seconds):.3f} {memory}")
PY
}
# pairs CLEAR FLOOR… -- COMMAND…: what bench_pairs.py says of a command and its floor in turn.
pairs() { python3 scripts/bench_pairs.py "$runs" "$@"; }
# of NAME FIGURES: one of them.
of() { tr ' ' '\n' <<<"$2" | sed -n "s/^$1=//p"; }
floor=target/release/examples/floor
to=$dir/floor.csv

read -r demo_s demo_kb < <(best "$granum" run "$dir/nursery.granum" -q)
output=$dir/out/unit_sales.csv
# The floor writes what is there already.
"$granum" run "$plan" -q >/dev/null
run=$(pairs "$output" "$floor" "${inputs[@]}" --like "$output" --to "$to" -- "$granum" run "$plan" -q)
one=$(pairs "$output" "$floor" "${inputs[@]}" --like "$output" --to "$to" -- "$granum" run "$plan" -q --threads 1)
check=$(pairs "" "$floor" "${inputs[@]}" -- "$granum" check "$plan" -q)
bytes_out=$(wc -c <"$output")
# The largest file alone, before any plan; of the survey also the time that it reads.
largest=$dir/data/lines.csv
survey=$(pairs "" "$floor" "$largest" -- "$granum" survey "$largest" -q)
reading_s=999
for _ in $(seq "$runs"); do
  r=$("$granum" survey "$largest" -v 2>&1 >/dev/null | awk '/reading/ {print $1}')
  reading_s=$(awk "BEGIN{print ($r<$reading_s)?$r:$reading_s}")
done
# Grouping all lines by a two-column key with four aggregates, beside reading the same columns.
cat >"$dir/read.granum" <<'PLAN'
input lines from "data/lines.csv"
  track quantity, unit_price, discount
check lines: article_no is not blank and line_no > 0
PLAN
cat >"$dir/gather.granum" <<'PLAN'
input lines from "data/lines.csv"
  track quantity, unit_price, discount
table gathered from lines
  one row per article_no, line_no
    lines    = rows()
    quantity = sum(quantity)
    discount = sum(discount)
    dearest  = max(unit_price)
check "all": sum(gathered.quantity) = sum(lines.quantity)
PLAN
# Counting the different orders of each month, over a link.
cat >"$dir/months.granum" <<'PLAN'
input orders from "data/orders_shop.csv", "data/orders_post.csv"
  read ordered_on as date "%Y-%m-%d" or "%d/%m/%Y"
  dedupe by order_no keep last
input lines from "data/lines.csv"
  track quantity
link lines to orders on order_no
table months from lines
  one row per orders.channel, month(orders.ordered_on) as month
    orders   = distinct(order_no)
    quantity = sum(quantity)
check "all": sum(months.quantity) = sum(lines.quantity)
PLAN
# A wider job: two large outputs, two tables made of the units, links against a filtered table.
{
cat <<'PLAN'
plan "A wider job"

PLAN
printf '%s\n\n' "$parties"
cat <<'PLAN'
input returns from "data/returns.csv"
  read quantity as integer
  dedupe
  grain return_no
  track quantity

link orders to customers on upper(trim(customer_no)) = customer_no at least 99% blank allowed

# Lines of orders that are there.
table sold from lines
  keep order_no is not blank
  drop quantity is blank

link sold    to orders   on order_no at least 97%
link sold    to articles on article_no complete
link returns to sold     on order_no, line_no at least 90%

table joined from sold
  keep has(orders)
  add ordered_on   = orders.ordered_on
      channel      = orders.channel
      staff_no     = orders.staff_no
      customer_no  = orders.customers.customer_no
      customer     = orders.customers.name ?? "(not known)"
      place        = orders.customers.place
      article      = articles.article
      category     = articles.category
      returned_qty = sum(returns.quantity)

table unit_rows from joined
  units of quantity as unit_no split net, discount
  add returned = unit_no <= returned_qty

table unit_sales from unit_rows
  columns order_no, line_no, unit_no, ordered_on, channel, customer_no, article_no, category,
          quantity, net, discount, returned

table by_month from unit_rows
  one row per month(ordered_on) as month, channel
    units    = rows()
    net      = sum(net)
    returned = rows(where returned)

table buyers from orders
  keep has(customers)
  one row per customers.customer_no
    first_on = min(ordered_on)
    last_on  = max(ordered_on)
    orders   = rows()
    value    = sum(freight)

link customers to buyers on customer_no

table never_ordered from customers
  keep not has(buyers)
  columns customer_no, name, place

table best from buyers
  top 5 by value

check "units add up to lines": sum(unit_sales.net) = sum(joined.net)

output joined        to "out/wider/joined.csv"
output unit_sales    to "out/wider/unit_sales.csv"
output by_month      to "out/wider/by_month.csv"
output buyers        to "out/wider/buyers.csv"
output never_ordered to "out/wider/never_ordered.csv"
output best          to "out/wider/best.csv"
PLAN
} >"$dir/wider.granum"
wider_inputs=("$dir"/data/{orders_shop,orders_post,lines,customers,articles,returns}.csv)
wider_in=$(cat "${wider_inputs[@]}" | wc -c)
wider_outputs=("$dir"/out/wider/{joined,unit_sales,by_month,buyers,never_ordered,best}.csv)
wider_clear=$(IFS=:; echo "${wider_outputs[*]}")
"$granum" run "$dir/wider.granum" -q >/dev/null
wider=$(pairs "$wider_clear" "$floor" "${wider_inputs[@]}" --like "${wider_outputs[@]}" --to "$to" -- "$granum" run "$dir/wider.granum" -q)
wider_out=$(cat "${wider_outputs[@]}" | wc -c)
# The same with half of the inputs' size to work with: tables go to a disk.
read -r half_s half_kb < <(best "$granum" run "$dir/wider.granum" -q --memory "$((wider_in / 2))B")
# Units that are many times their lines go on to the output as they are made.
for times in 1 3; do
  cat >"$dir/units_$times.granum" <<PLAN
input lines from "data/lines.csv"
  read quantity as integer
table units_of from lines
  units of quantity * $times as unit_no dropping zero, negative, blank
output units_of to "out/units.csv"
PLAN
done
read -r units_s units_kb < <(best "$granum" run "$dir/units_1.granum" -q)
read -r more_s more_kb < <(best "$granum" run "$dir/units_3.granum" -q)
more_units=$(($(wc -l <"$dir/out/units.csv") - 1))
rm -f "$dir/out/units.csv"
# Linking alone: rows in no order against periods that overlap, and against prices of articles by day,
# beside links by equal keys of the same sizes.
periods=$dir/periods
if [ ! -f "$periods/sold.csv" ]; then
  mkdir -p "$periods"
  python3 - "$periods" "$((orders * 3))" <<'PY'
import datetime, os, random, sys
folder, rows = sys.argv[1], int(sys.argv[2])
random.seed(7)
days = [(datetime.date(2016, 1, 1) + datetime.timedelta(day)).isoformat() for day in range(4050)]
span, promotions, articles = 3650, min(10_000, rows), min(100_000, rows // 30)
with open(os.path.join(folder, "promotions.csv"), "w") as out:
    out.write("promo_no,starts_on,ends_on\n")
    for number in random.sample(range(promotions), promotions):
        start = random.randrange(span)
        out.write(f"C{number:05d},{days[start]},{days[start + random.randrange(60)]}\n")
prices = []
for article in range(articles):
    starts = sorted(random.sample(range(span), 5))
    for at, start in enumerate(starts):
        end = days[starts[at + 1] - 1] if at < 4 else ""
        prices.append(f"P{len(prices):06d},A{article:06d},{days[start]},{end}\n")
random.shuffle(prices)
with open(os.path.join(folder, "prices.csv"), "w") as out:
    out.write("price_no,article_no,valid_from,valid_to\n")
    out.writelines(prices)
with open(os.path.join(folder, "sold.csv"), "w") as out:
    out.write("sale_no,sold_on,article_no,price_no,promo_no\n")
    for row in range(rows):
        price, promotion = random.randrange(len(prices)), random.randrange(promotions)
        article, day = random.randrange(articles), days[random.randrange(span)]
        out.write(f"{row},{day},A{article:06d},P{price:06d},C{promotion:05d}\n")
PY
fi
# linking TARGET KEYS: the least seconds that linking takes.
linking() {
  printf 'input sold from "sold.csv"\n  grain sale_no\ninput target from "%s.csv"\nlink sold to target on %s\n' \
    "$1" "$2" >"$periods/link.granum"
  for _ in $(seq "$runs"); do
    "$granum" check "$periods/link.granum" -v 2>&1 >/dev/null | awk '/linking/ {print $1}'
  done | sort -n | head -1
}
by_code_s=$(linking promotions "promo_no")
by_period_s=$(linking promotions "sold_on within starts_on through ends_on prefer latest starts_on")
by_price_s=$(linking prices "price_no")
through_s=$(linking prices "article_no, sold_on within valid_from through valid_to")
onward_s=$(linking prices "article_no, sold_on within valid_from onward")
read -r months_s months_kb < <(best "$granum" check "$dir/months.granum" -q)
read -r read_s read_kb < <(best "$granum" check "$dir/read.granum" -q)
read -r gather_s gather_kb < <(best "$granum" check "$dir/gather.granum" -q)
# All files that relate and draft look at.
relate=$(pairs "" "$floor" "$dir"/data/*.csv -- "$granum" relate "$dir"/data/*.csv -q)
draft=$(pairs "" "$floor" "$dir"/data/*.csv -- "$granum" draft "$dir"/data/*.csv -q)
rm -f "$to"
# Beside each figure stands the one of the last call that docs/performance.md keeps.
awk -v orders="$orders" -v in_b="$bytes_in" -v out_b="$bytes_out" -v rec="$(of n "$run")" \
    -v p="$(of p "$run")" -v f="$(of f "$run")" -v run="$(of s "$run")" -v runr="$(of r "$run")" \
    -v rc="$(of c "$run")" -v rcr="$(of rc "$run")" -v rk="$(of kb "$run")" \
    -v one="$(of s "$one")" -v oner="$(of r "$one")" \
    -v check="$(of s "$check")" -v checkr="$(of r "$check")" -v checkc="$(of c "$check")" -v checkcr="$(of rc "$check")" \
    -v ck="$(of kb "$check")" \
    -v l="$(of p "$survey")" -v s="$(of s "$survey")" -v sr="$(of r "$survey")" -v r="$reading_s" -v sk="$(of kb "$survey")" \
    -v all="$(of p "$relate")" -v rel="$(of s "$relate")" -v relr="$(of r "$relate")" -v relk="$(of kb "$relate")" \
    -v d="$(of s "$draft")" -v dr="$(of r "$draft")" \
    -v rd="$read_s" -v rdk="$read_kb" -v ga="$gather_s" -v gak="$gather_kb" -v mo="$months_s" -v mok="$months_kb" \
    -v wi="$(of s "$wider")" -v wir="$(of r "$wider")" -v wic="$(of c "$wider")" -v wicr="$(of rc "$wider")" \
    -v wik="$(of kb "$wider")" -v wif="$(of f "$wider")" -v ha="$half_s" -v hak="$half_kb" \
    -v un="$units_s" -v unk="$units_kb" -v mu="$more_s" -v muk="$more_kb" -v mun="$more_units" \
    -v de="$demo_s" -v dek="$demo_kb" -v ec="$by_code_s" -v pc="$by_period_s" -v ep="$by_price_s" -v pt="$through_s" \
    -v po="$onward_s" -v win="$wider_in" -v wout="$wider_out" 'BEGIN {
  printf "%d orders · %.0f MB in, %.0f MB out (%d records)\n\n", orders, in_b/1e6, out_b/1e6, rec
  printf "%-34s %9s %9s\n", "", "seconds", "ratio"
  printf "%-34s %9.2f\n", "floor: parse", p
  printf "%-34s %9.2f\n", "floor: parse and write", f
  printf "%-34s %9.2f %9.2f\n", "granum run, to the floor", run, runr
  printf "%-34s %9.2f %9.2f\n", "granum run, CPU seconds", rc, rcr
  printf "%-34s %9.2f %9.2f\n", "granum run on one thread", one, oner
  printf "%-34s %9.2f %9.2f\n", "granum check, to the parsing", check, checkr
  printf "%-34s %9.2f %9.2f\n", "granum check, CPU seconds", checkc, checkcr
  printf "\n%-34s %9.0f %9.2f\n", "peak memory of run, MB, to input", rk/1e3, rk*1024/in_b
  printf "%-34s %9.0f %9.2f\n", "peak memory of check, MB, to input", ck/1e3, ck*1024/in_b
  printf "%-34s %9.2f %9.0f\n", "the demo\x27s own plan, s and MB", de, dek/1e3
  printf "\nthe wider job · %.0f MB in, %.0f MB out\n", win/1e6, wout/1e6
  printf "%-34s %9.2f\n", "floor of it: parse and write", wif
  printf "%-34s %9.2f %9.2f\n", "granum run of it, to its floor", wi, wir
  printf "%-34s %9.2f %9.2f\n", "granum run of it, CPU seconds", wic, wicr
  printf "%-34s %9.0f %9.2f\n", "peak memory of it, MB, to input", wik/1e3, wik*1024/win
  printf "%-34s %9.2f %9.2f\n", "with half of the input, to all", ha, ha / wi
  printf "%-34s %9.0f %9.2f\n", "peak memory of that, MB, to input", hak/1e3, hak*1024/win
  printf "\n%-34s %9.2f\n", "floor: parse lines.csv", l
  printf "%-34s %9.2f %9.2f\n", "granum survey reads lines.csv", r, r / l
  printf "%-34s %9.2f %9.2f\n", "granum survey lines.csv, whole", s, sr
  printf "%-34s %9.0f\n", "peak memory of survey, MB", sk/1e3
  printf "%-34s %9.2f\n", "granum check reads lines.csv", rd
  printf "%-34s %9.2f %9.2f\n", "and groups them, to reading", ga, ga / rd
  printf "%-34s %9.0f %9.2f\n", "peak memory of grouping, MB", gak/1e3, gak / rdk
  printf "%-34s %9.2f\n", "granum check, orders of months", mo
  printf "%-34s %9.0f\n", "peak memory of those months, MB", mok/1e3
  printf "%-34s %9.2f %9.0f\n", "units of all lines, s and MB", un, unk/1e3
  printf "%-34s %9.2f %9.0f\n", sprintf("%.1f million units, s and MB", mun/1e6), mu, muk/1e3
  printf "%-34s %9.2f\n", "linking alone, by 10,000 codes", ec
  printf "%-34s %9.2f %9.2f\n", "10,000 periods that overlap", pc, (ec > 0) ? pc / ec : 0
  printf "%-34s %9.2f\n", "by 500,000 price numbers", ep
  printf "%-34s %9.2f %9.2f\n", "500,000 prices, through", pt, (ep > 0) ? pt / ep : 0
  printf "%-34s %9.2f %9.2f\n", "500,000 prices, onward", po, (ep > 0) ? po / ep : 0
  printf "%-34s %9.2f\n", "floor: parse all files", all
  printf "%-34s %9.2f %9.2f\n", "granum relate, all files", rel, relr
  printf "%-34s %9.0f\n", "peak memory of relate, MB", relk/1e3
  printf "%-34s %9.2f %9.2f\n", "granum draft, all files", d, dr
}' | python3 scripts/bench_beside.py docs/performance.md
