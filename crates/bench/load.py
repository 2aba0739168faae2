"""Loading and first answers as whole processes, beside two general-purpose engines over the same files.

    pip install duckdb polars
    cargo build --release
    python crates/bench/load.py target/release/vembra /tmp/load [ORDERS]

Each command runs three times in turn; the table has the quickest run and the largest memory of each, and the ratio to the quickest
engine. Two threads each. The second table is what a later command costs: from what the first one kept, beside an engine's own database
file, and beside engines that read only what they need of Parquet files.
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


# What a later command asks: in our words, and in SQL over the joined tables.
LATER = {
    "one sum": ("show sum(quantity) as units", "select sum(quantity) from lines"),
    "sum by year and region": (QUERY, SQL),
    "buyers by category": (
        "rows product.category show count(distinct customer_code) as buyers",
        "select p.category, count(distinct l.customer_code) from lines l left join products p on l.sku = p.sku group by all order by all",
    ),
}
VIEWS = [("lines", "order_line"), ("customers", "customer"), ("products", "product"), ("orders", "order_time")]


def duck_later(sql, stored):
    """From its own database file, or straight from Parquet files."""
    if stored:
        opened = f"connection = duckdb.connect('{FOLDER}/lines.duckdb', read_only=True)"
    else:
        views = [f"create view {name} as select * from read_parquet('{FOLDER}/{file}.parquet')" for name, file in VIEWS]
        opened = f"connection = duckdb.connect(); [connection.execute(v) for v in {views!r}]"
    code = f"import duckdb; {opened}; connection.execute('set threads = 2'); print(connection.execute({sql!r}).fetchall())"
    return [sys.executable, "-c", code]


def polars_later(sql):
    code = f"""
        import os
        os.environ["POLARS_MAX_THREADS"] = "2"
        import polars as pl
        tables = {{name: pl.scan_parquet(f"{FOLDER}/{{file}}.parquet") for name, file in {VIEWS!r}}}
        print(pl.SQLContext(tables).execute({sql.replace("year(", "extract(year from ").replace("group by all order by all", "group by 1, 2") !r}).collect())
    """
    return [sys.executable, "-c", textwrap.dedent(code)]


def store():
    """In a process of its own: a child's peak is at least what this one takes."""
    if not os.path.exists(f"{FOLDER}/lines.duckdb"):
        tables = [f"create table {name} as select * from '{FOLDER}/{file}.parquet'" for name, file in VIEWS]
        code = f"import duckdb; connection = duckdb.connect('{FOLDER}/lines.duckdb'); [connection.execute(t) for t in {tables!r}]"
        subprocess.run([sys.executable, "-c", code], check=True)


def later():
    store()
    kept = {**os.environ, "VEMBRA_CACHE": f"{FOLDER}/kept"}
    print("\n| a later command | engine | seconds | peak MB | seconds / quickest engine |\n|---|---|---|---|---|")
    for title, (query, sql) in LATER.items():
        commands = {
            "vembra": [VEMBRA, "ask", f"{FOLDER}/csv.vembra", query],
            "DuckDB, its database": duck_later(sql, True),
            "DuckDB, Parquet": duck_later(sql, False),
            "Polars, Parquet": polars_later(sql),
        }
        timed(commands["vembra"], kept)
        table(title, {name: (command, kept) for name, command in commands.items()})


def timed(command, environment):
    start = time.time()
    with open(f"{FOLDER}/out.txt", "w") as out:
        child = subprocess.Popen(command, stdout=out, stderr=subprocess.STDOUT, env=environment)
        _, status, usage = os.wait4(child.pid, 0)
    if status != 0:
        sys.exit(open(f"{FOLDER}/out.txt").read())
    return time.time() - start, usage.ru_maxrss / 1024


def table(title, commands):
    runs = {name: [] for name in commands}
    for _ in range(ROUNDS):
        for name, (command, environment) in commands.items():
            runs[name].append(timed(command, environment))
    best = {name: min(t for t, _ in found) for name, found in runs.items()}
    quickest = min(t for name, t in best.items() if name != "vembra")
    for name, found in runs.items():
        peak = max(m for _, m in found)
        print(f"| {title} | {name} | {best[name]:.2f} | {peak:.0f} | {best[name] / quickest:.2f} |")


def main():
    prepare()
    unkept = {**os.environ, "VEMBRA_CACHE": "off"}
    print("| files | engine | seconds | peak MB | seconds / quickest engine |\n|---|---|---|---|---|")
    for ending in ["csv", "parquet"]:
        commands = {
            "vembra": [VEMBRA, "ask", f"{FOLDER}/{ending}.vembra", QUERY],
            "DuckDB": duck(ending),
            "Polars": polars(ending),
        }
        table(ending, {name: (command, unkept) for name, command in commands.items()})
    later()


main()
