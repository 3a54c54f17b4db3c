#!/usr/bin/env bash
# Makes docs/screenshots/*.png from the demo: each command in a real terminal window.
# Needs Xvfb, xterm, ImageMagick, Chromium and the DejaVu fonts:
#   apt-get install xvfb xterm imagemagick chromium fonts-dejavu-core
set -euo pipefail
cd "$(dirname "$0")/.."
cargo build --release --quiet -p granum
granum=$PWD/target/release/granum
shots=$PWD/docs/screenshots
examples=$PWD/examples
work=$(mktemp -d)
trap 'rm -rf "$work"; kill "${xvfb:-}" 2>/dev/null || true' EXIT
cd "$work"
mkdir bin && ln -s "$granum" bin/granum
export PATH=$work/bin:$PATH DISPLAY=:97
granum demo -q >/dev/null
cp -r "$examples" examples
cd granum-demo
cat >wrong.granum <<'PLAN'
input orders from "data/orders_shop.csv"
  read ordered_on as date
  grain order_no

input lines from "data/lines.csv"
  add net = quantity * unit_prise
  grain order_no, line_no

link lines to orders on order_no at least 98% of net

table sales from lines
  add freight = orders.freight
  keep quantity > "2"

check "freight": sum(sales.freight) > 0
output sale to "out/sales.csv"
PLAN
Xvfb "$DISPLAY" -screen 0 1280x800x24 >/dev/null 2>&1 &
xvfb=$!
sleep 1

# shot NAME COMMAND…: the window when the commands are done.
shot() {
  local name=$1 command
  shift
  {
    printf '%s\n' "printf '\\033[?25l'"
    for command in "$@"; do
      printf '%s\n' "printf '\\033[2m\$\\033[0m %s\\n' '$command'" "$command"
    done
    printf '%s\n' "touch '$work/done'" 'sleep 60'
  } >"$work/shot.sh"
  rm -f "$work/done"
  xterm -fa 'DejaVu Sans Mono' -fs 9 -geometry 156x53+0+0 -bg '#101418' -fg '#d8dee4' \
    -xrm 'XTerm*scrollBar: false' -xrm 'XTerm*internalBorder: 12' -e bash "$work/shot.sh" &
  local window=$!
  for _ in $(seq 100); do [ -f "$work/done" ] && break; sleep 0.1; done
  sleep 0.7
  import -window root "$shots/$name.png"
  kill "$window" 2>/dev/null || true
  wait "$window" 2>/dev/null || true
}

shot survey 'granum survey data/orders_post.csv --color always'
shot relate 'granum relate data/*.csv --color always | head -n 52'
shot match 'granum match data/orders_post.csv data/customers.csv --on customer_no --amount freight'
shot draft 'granum draft data/*.csv | tail -n 51'
granum relate data/*.csv --picture "$shots/links.png" >/dev/null 2>&1
shot run 'granum run nursery.granum --color always | tail -n 50'
shot tell 'granum tell nursery.granum sales --color always | head -n 52'
granum report nursery.granum -q >/dev/null
chromium --headless=new --no-sandbox --disable-gpu --hide-scrollbars --window-size=1280,800 \
  --screenshot="$shots/report.png" "file://$PWD/nursery.html" >/dev/null 2>&1
shot tally 'granum run nursery.granum --color always | head -n 50'
shot stopped 'granum run broken.granum -q --color always | head -n 51'
sed 's/through ends_on/until ends_on/; s/keep latest sent_at/keep earliest sent_at/; s/freight by net/freight by quantity/' \
  nursery.granum >changed.granum
shot example 'granum check changed.granum --examples --color always'
shot trace 'granum trace nursery.granum line_results order_no=M0000178 line_no=1 --color always | head -n 51'
mkdir before && cp out/unit_sales.csv before
granum run changed.granum -q --anyway-to changed >/dev/null 2>&1 || true
shot compare 'granum compare before/unit_sales.csv changed/STOPPED-unit_sales.csv --color always'
shot show 'granum show nursery.granum unit_sales --rows 20'
cp out/winning.png "$shots/chart.png"
cd ..
shot groups 'granum run examples/by_category.granum --color always | head -n 14' \
  'granum show examples/by_category.granum by_category' \
  'granum show examples/customer_value.granum value --rows 17'
cd granum-demo
shot wrong 'granum check wrong.granum'
shot help 'granum --help'
sed 's/one row per fair, currency/one row per fair/' ../examples/fairs_abroad.granum >../examples/mixed.granum
shot apart 'granum check ../examples/fairs_abroad.granum --color always | grep -m 1 -A 12 by_fair' \
  'granum check ../examples/mixed.granum --color always | tail -n 11' \
  'granum check ../examples/sets_apart.granum --color always | grep -m 1 -A 13 sold'
