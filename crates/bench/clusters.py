"""Sixty million lines as Parquet in an engine that is asked by Arrow Flight SQL, beside the engine of this program on the same files.

    cargo build --release -p vembra-cli -p vembra-bench --bin vembra --example asked
    SAIL_MODE=local-cluster sail flight server --port 32010
    SHOP_URL=grpc://localhost:32010 python crates/bench/clusters.py target/release FOLDER [PARTS]

Needs adbc-driver-flightsql, pyarrow and polars of the Python registry. FOLDER holds the star of peers.py, whose order lines are written
PARTS times (10), each with orders of their own. Times are those of a second asking: of the server as `--why` tells it, from the statements to the last line.
"""

import os
import re
import subprocess
import sys

BUILT, FOLDER = os.path.abspath(sys.argv[1]), os.path.abspath(sys.argv[2])
PARTS = int(sys.argv[3]) if len(sys.argv) > 3 else 10
QUERIES = [
    ("grouped sum", "rows customer.region show revenue"),
    ("three roles on one axis", "rows calendar.month show revenue, (revenue via shipped) as shipped, (revenue via due) as due"),
    ("average order", "rows calendar.year show avg(revenue per order_no) as a"),
    ("year to date", "rows calendar.month show (revenue during year to date) as y where calendar.year = 2022"),
    ("top five", "rows product.category show revenue top 5 product.category by revenue"),
]
TABLES = ["customer", "supplier", "product", "order_line", "interest"]


def write():
    """The star of the other bench, and its lines several times."""
    sys.argv[1:] = ["", FOLDER]
    sys.path.insert(0, os.path.dirname(os.path.abspath(__file__)))
    import peers

    peers.write_star()
    os.makedirs(f"{FOLDER}/lines", exist_ok=True)
    import polars as pl

    whole = None
    for part in range(PARTS):
        path = f"{FOLDER}/lines/part_{part:02d}.parquet"
        if not os.path.exists(path):
            whole = pl.read_parquet(f"{FOLDER}/order_line.parquet") if whole is None else whole
            orders = int(whole["order_no"].max()) + 1
            whole.with_columns(pl.col("order_no") + part * orders).write_parquet(path)
    model = peers.MODEL.replace("'order_line.parquet'", "'lines/part_*.parquet'")
    with open(f"{FOLDER}/lines.vembra", "w") as file:
        file.write(model)


def bring():
    """Views of the files in the engine."""
    from adbc_driver_flightsql import dbapi

    with dbapi.connect(os.environ["SHOP_URL"], autocommit=True) as connection, connection.cursor() as cursor:
        for table in TABLES:
            path = f"{FOLDER}/lines" if table == "order_line" else f"{FOLDER}/{table}.parquet"
            cursor.execute(f"create or replace temporary view {table} using parquet options (path '{path}')")
            cursor.fetchall()


def there(query):
    """The answer of the server as CSV, and how long it took."""
    ask = [f"{BUILT}/vembra", "ask", f"{FOLDER}/lines.vembra", query, "--on", "SHOP_URL"]
    text = subprocess.run([*ask, "--format", "csv"], check=True, capture_output=True, text=True).stdout
    told = subprocess.run([*ask, "--why"], check=True, capture_output=True, text=True)
    took = re.search(r"waiting for the server +([\d.]+) ms", told.stdout + told.stderr)
    return text, float(took.group(1))


def here():
    """The same of this program: for each query the first and a later time, and the answer."""
    with open(f"{FOLDER}/lines.txt", "w") as file:
        file.write("\n\n".join(f"{at}\n{query}" for at, (_, query) in enumerate(QUERIES)))
    asked = [f"{BUILT}/examples/asked", f"{FOLDER}/lines.vembra", f"{FOLDER}/lines.txt", "3"]
    told = subprocess.run(asked, check=True, capture_output=True, text=True).stdout
    for block in re.split(r"^# ", told, flags=re.M)[1:]:
        head, rest = block.split("\n", 1)
        _, first, warm, _ = head.split()
        yield float(first), float(warm), rest.strip()


def main():
    write()
    bring()
    print("| query | first ms | warm ms | there ms | same |\n|---|---|---|---|---|")
    for (name, query), (first, warm, own) in zip(QUERIES, here()):
        text, took = there(query)
        same = "yes" if text.strip() == own else f"no:\n{text}\n{own}"
        print(f"| {name} | {first:.0f} | {warm:.0f} | {took:.0f} | {same} |", flush=True)


if __name__ == "__main__":
    main()
