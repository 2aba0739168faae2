"""Makes the files beside it with other programs than this one, so that readers are tried on what they did not write.

    pip install pyarrow openpyxl duckdb
    python crates/vembra/tests/files/make.py
"""

import datetime as dt
import decimal
import gzip
import json
import os
import sqlite3

import duckdb
import openpyxl
import pyarrow as pa
import pyarrow.feather
import pyarrow.ipc
import pyarrow.parquet

os.chdir(os.path.dirname(os.path.abspath(__file__)))
ROWS = [
    (1, decimal.Decimal("12.50"), 0.1, "a, \"b\"", True, dt.date(2024, 2, 29), dt.datetime(2024, 2, 29, 23, 59, 59), "007"),
    (-2, decimal.Decimal("-0.05"), 2.5, "ß→é", False, dt.date(1999, 12, 31), dt.datetime(1969, 12, 31, 12, 0), "0"),
    (None, None, None, None, None, None, None, None),
]
NAMES = ["i", "d", "f", "t", "b", "day", "at", "code"]
TYPES = [pa.int64(), pa.decimal128(9, 2), pa.float64(), pa.string(), pa.bool_(), pa.date32(), pa.timestamp("us"), pa.string()]

table = pa.table([pa.array([r[n] for r in ROWS], type=TYPES[n]) for n in range(len(NAMES))], names=NAMES)
pa.parquet.write_table(table, "zstd.parquet", compression="zstd", row_group_size=2)
pa.parquet.write_table(table, "gzip.parquet", compression="gzip", use_dictionary=False, data_page_version="2.0")
others = table.set_column(3, "t", table["t"].dictionary_encode()).set_column(6, "at", table["at"].cast(pa.timestamp("ms")))
others = others.set_column(0, "i", table["i"].cast(pa.int16())).set_column(7, "code", table["code"].cast(pa.large_string()))
pa.parquet.write_table(others, "others.parquet", compression="lz4")
duckdb.from_arrow(table).write_parquet("duckdb.parquet", compression="snappy")
pyarrow.feather.write_feather(others, "lz4.arrow", compression="lz4")
with pa.ipc.new_stream("plain.arrows", others.schema) as writer:
    writer.write_table(others)

text = "i,d,f,t,b,day,at,code\n1,12.50,1e-1,\"a, \"\"b\"\"\",true,2024-02-29,2024-02-29 23:59:59,007\n"
text += "-2,-0.05,2.5,ß→é,false,1999-12-31,1969-12-31T12:00,0\n,,,,,,,\n"
with gzip.GzipFile("text.csv.gz", "wb", mtime=0) as file:
    file.write(text.encode())
open("text.csv.zst", "wb").write(pa.compress(text.encode(), codec="zstd", asbytes=True))

plain = lambda v: str(v) if isinstance(v, (dt.date, dt.datetime)) else float(v) if isinstance(v, decimal.Decimal) else v
with open("rows.jsonl", "w") as file:
    for row in ROWS:
        file.write(json.dumps({n: plain(v) for n, v in zip(NAMES, row)}) + "\n")

book = openpyxl.Workbook()
book.active.title = "T"
book.active.append(NAMES)
for row in ROWS[:2]:
    book.active.append([float(v) if isinstance(v, decimal.Decimal) else v for v in row])
book.save("book.xlsx")

if os.path.exists("rows.db"):
    os.remove("rows.db")
base = sqlite3.connect("rows.db")
base.execute("create table rows (i integer, d decimal(9, 2), f real, t text, b boolean, day date, at timestamp, code text)")
as_kept = lambda v: str(v) if isinstance(v, (decimal.Decimal, dt.date, dt.datetime)) else v
base.executemany("insert into rows values (?, ?, ?, ?, ?, ?, ?, ?)", [[as_kept(v) for v in row] for row in ROWS])
base.commit()
base.execute("vacuum")
