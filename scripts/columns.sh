#!/usr/bin/env bash
# Makes the files of columns that the tests read, as another program writes them, with other options than ours: needs
# python3 with pyarrow.
set -euo pipefail
columns="$(cd "$(dirname "$0")/.." && pwd)/crates/granum/tests/columns"
mkdir -p "$columns"
python3 - "$columns" <<'PY'
import sys
from datetime import date, datetime, time, timedelta
from decimal import Decimal

import pyarrow as pa
import pyarrow.parquet as pq

folder = sys.argv[1]
orders = pa.table({
    "order_no": pa.array(["M1", "M2", "M3", "M4"]),
    "customer_no": pa.array(["00417", "00009", None, "00417"]).dictionary_encode(),
    "ordered_on": pa.array([date(2026, 3, 1), date(2026, 3, 2), date(2026, 3, 31), None]),
    "sent_at": pa.array([datetime(2026, 3, 2, 8, 15), None, datetime(2026, 3, 29, 0, 30), datetime(2026, 4, 2, 17, 59, 30)], pa.timestamp("ms", "UTC")),
    "net": pa.array([Decimal("12.50"), Decimal("1234.05"), Decimal("-3.00"), None], pa.decimal128(9, 2)),
    "pieces": pa.array([1, 2, None, 300], pa.int16()),
    "paid": pa.array([True, False, True, None]),
})
# One row group, snappy, dictionaries, and pages of the second version.
pq.write_table(orders, f"{folder}/orders.snappy.parquet", compression="snappy", data_page_version="2.0")
# Row groups of three rows, nothing packed, no dictionaries, moments in the twelve bytes of old writers.
plain = orders.set_column(3, "sent_at", orders["sent_at"].cast(pa.timestamp("ns", "UTC")))
pq.write_table(plain, f"{folder}/orders.plain.parquet", compression="none", use_dictionary=False, row_group_size=3,
               version="1.0", use_deprecated_int96_timestamps=True, write_statistics=False)
pq.write_table(orders, f"{folder}/orders.gzip.parquet", compression="gzip", data_page_size=16)
for kind, packed in (("lz4", "lz4"), ("zstd", "zstd"), ("plain", None)):
    options = pa.ipc.IpcWriteOptions(compression=packed)
    with pa.OSFile(f"{folder}/orders.{kind}.arrow", "wb") as sink, pa.ipc.new_file(sink, orders.schema, options=options) as out:
        out.write_table(orders, max_chunksize=3)
with pa.OSFile(f"{folder}/orders.arrows", "wb") as sink, pa.ipc.new_stream(sink, orders.schema) as out:
    out.write_table(orders, max_chunksize=3)

# What is odd: values that no column can hold, kinds of values that are rare, columns that hold no values.
odd = pa.table({
    "order_no": pa.array(["M1", "M2", "M3"], pa.large_string()),
    "net": pa.array([12.5, float("nan"), 0.1], pa.float64()),
    "rate": pa.array([0.1, 2.5, None], pa.float32()),
    "at": pa.array([1_767_225_600_000_000_000, 1_767_225_600_000_000_001, None], pa.timestamp("ns")),
    "count": pa.array([1, 2**64 - 1, None], pa.uint64()),
    "big": pa.array([Decimal("1.5"), Decimal(10**45), None], pa.decimal256(60, 1)),
    "opened": pa.array([time(8, 30), time(17, 0, 5, 120000), None], pa.time64("us")),
    "code": pa.array([b"abc", b"\xff\xfe", b""], pa.binary()),
    "nothing": pa.nulls(3),
    "customer": pa.array([{"no": "C1", "at": {"town": "Elmsby"}}, None, {"no": "C3", "at": None}],
                         pa.struct([("no", pa.string()), ("at", pa.struct([("town", pa.string())]))])),
    "tags": pa.array([["a", "b"], [], None], pa.list_(pa.string())),
    "extra": pa.array([[("a", 1)], [], None], pa.map_(pa.string(), pa.int64())),
    "fine": pa.array([Decimal("0.000000000000000000000001")] * 3, pa.decimal128(30, 24)),
})
pq.write_table(orders, f"{folder}/orders.brotli.parquet", compression="brotli")
pq.write_table(odd, f"{folder}/odd.parquet")
with pa.OSFile(f"{folder}/odd.arrow", "wb") as sink, pa.ipc.new_file(sink, odd.schema) as out:
    out.write_table(odd)
twice = pa.Table.from_arrays([pa.array([1]), pa.array([2])], names=["net", "net"])
with pa.OSFile(f"{folder}/twice.arrow", "wb") as sink, pa.ipc.new_file(sink, twice.schema) as out:
    out.write_table(twice)
PY
ls -l "$columns"
