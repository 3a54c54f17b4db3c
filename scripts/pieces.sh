#!/usr/bin/env bash
# Runs the core's tests, all laws and twins of the engine among them, with columns in pieces of 1, 7, 64 and 65,536 rows
# in place of 8: nothing that a plan gives may depend on where a column is cut. Left out are three that weigh what pieces
# of 8 rows take. Usage: scripts/pieces.sh [ROWS…]
set -euo pipefail
cd "$(dirname "$0")/.."
[ $# -gt 0 ] || set -- 1 7 64 65536
for rows in "$@"; do
  echo "pieces of $rows rows"
  GRANUM_PIECE=$rows cargo test --quiet -p granum-core --lib -- --skip packed_rows_take_what_their_pieces_need \
    --skip texts_that_repeat_stand_once_in_a_dictionary --skip texts_that_share_their_bytes_are_put_together
done
