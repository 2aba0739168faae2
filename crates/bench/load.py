"""Loading and first answers as whole processes, beside two general-purpose engines over the same files.

    pip install duckdb polars
    cargo build --release
    python crates/bench/load.py target/release/vembra /tmp/load [ORDERS]

Each command runs three times in turn; the table has the quickest run and the largest memory of each, and the ratio to the quickest
engine. Two threads each.
"""

import os
import subprocess
import sys
import textwrap
import time

VEMBRA, FOLDER = sys.argv[1], sys.argv[2]
ORDERS = sys.argv[3] if len(sys.argv) > 3 else "2000000"
ROUNDS = 3
SQL = (
    "select year(l.ordered_on) as y, c.region, sum(l.quantity * l.unit_price * (1 - l.discount)) as paid "
    "from lines l join customers c on l.customer_code = c.code group by all order by all"
)
QUERY = "rows calendar.year, customer.region show paid"


def model(ending):
    return textwrap.dedent(f"""\
        calendar from '2023-01-01' to '2025-12-31'
        dimension product from 'product.{ending}' key sku
        dimension customer from 'customer.{ending}' key code
        dimension order_time from 'order_time.{ending}' key order_no
        fact order_line from 'order_line.{ending}'
        link order_line.sku to product
        link order_line.customer_code to customer
        link order_line.order_no to order_time
        link order_line.ordered_on to calendar as ordered default
        link order_line.shipped_on to calendar as shipped
        measure paid = sum(quantity * unit_price * (1 - discount))
        """)


def prepare():
    os.makedirs(FOLDER, exist_ok=True)
    if not os.path.exists(f"{FOLDER}/order_line.csv"):
        subprocess.run([VEMBRA, "demo", "--orders", ORDERS, "--to", FOLDER, "--force"], check=True, capture_output=True)
    import duckdb
    for table in ["product", "customer", "order_time", "order_line"]:
        if not os.path.exists(f"{FOLDER}/{table}.parquet"):
            numbers = "types={'unit_price': 'decimal(9,2)', 'unit_cost': 'decimal(9,2)', 'discount': 'decimal(5,2)'}"
            read = f"read_csv('{FOLDER}/{table}.csv'{', ' + numbers if table == 'order_line' else ''})"
            duckdb.execute(f"copy (select * from {read}) to '{FOLDER}/{table}.parquet' (format parquet, compression zstd)")
    for ending in ["csv", "parquet"]:
        with open(f"{FOLDER}/{ending}.vembra", "w") as file:
            file.write(model(ending))


def duck(ending):
    read = "read_csv" if ending == "csv" else "read_parquet"
    code = f"""
        import duckdb
        duckdb.execute("set threads = 2")
        for name, file in [("lines", "order_line"), ("customers", "customer"), ("products", "product"), ("orders", "order_time")]:
            duckdb.execute(f"create table {{name}} as select * from {read}('{FOLDER}/{{file}}.{ending}')")
        print(duckdb.execute('''{SQL}''').fetchall())
    """
    return [sys.executable, "-c", textwrap.dedent(code)]


def polars(ending):
    read = "read_csv" if ending == "csv" else "read_parquet"
    more = ", try_parse_dates=True" if ending == "csv" else ""
    code = f"""
        import os
        os.environ["POLARS_MAX_THREADS"] = "2"
        import polars as pl
        files = ["order_line", "customer", "product", "order_time"]
        lines, customers, *_ = [pl.{read}(f"{FOLDER}/{{f}}.{ending}"{more}) for f in files]
        paid = pl.col("quantity") * pl.col("unit_price") * (1 - pl.col("discount"))
        joined = lines.join(customers, left_on="customer_code", right_on="code")
        print(joined.group_by(pl.col("ordered_on").dt.year(), "region").agg(paid.sum()).sort(pl.all()))
    """
    return [sys.executable, "-c", textwrap.dedent(code)]


def timed(command):
    start = time.time()
    with open(f"{FOLDER}/out.txt", "w") as out:
        child = subprocess.Popen(command, stdout=out, stderr=subprocess.STDOUT)
        _, status, usage = os.wait4(child.pid, 0)
    if status != 0:
        sys.exit(open(f"{FOLDER}/out.txt").read())
    return time.time() - start, usage.ru_maxrss / 1024


def main():
    prepare()
    print("| files | engine | seconds | peak MB | seconds / quickest engine |\n|---|---|---|---|---|")
    for ending in ["csv", "parquet"]:
        commands = {
            "vembra": [VEMBRA, "ask", f"{FOLDER}/{ending}.vembra", QUERY],
            "DuckDB": duck(ending),
            "Polars": polars(ending),
        }
        runs = {name: [] for name in commands}
        for _ in range(ROUNDS):
            for name, command in commands.items():
                runs[name].append(timed(command))
        best = {name: min(t for t, _ in found) for name, found in runs.items()}
        quickest = min(t for name, t in best.items() if name != "vembra")
        for name, found in runs.items():
            peak = max(m for _, m in found)
            print(f"| {ending} | {name} | {best[name]:.1f} | {peak:.0f} | {best[name] / quickest:.2f} |")


main()
