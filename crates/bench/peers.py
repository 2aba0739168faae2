"""Queries beside two general-purpose engines: the same star in memory, their SQL written by hand.

    cargo build --release -p vembra-cli -p vembra-bench --bin vembra --example asked
    python crates/bench/peers.py target/release/examples/asked FOLDER [ORDERS [alone]]

What it needs of the Python registry (duckdb, datafusion, polars, numpy) is put into FOLDER/python. The star is written there as Parquet: 1.5 million
orders of 6.0 million lines unless ORDERS says otherwise, in the order of their number, with 150,000 customers, 10,000 suppliers and
200,000 products. Each query is asked six times by each, two threads; the first time counts as such, the median of the others as
warm. The figures of all answers must agree, decimals to the last digit. The SQL computes the net value of a line where ours has
it as a column: that is what a column with a formula is for, and the first query that needs it pays for it. With `alone` only ours is
asked, for stars that the engines have no memory for.
"""

import decimal
import glob
import json
import math
import os
import re
import subprocess
import sys
import time

ASKED, FOLDER = sys.argv[1], os.path.abspath(sys.argv[2])
ORDERS = int(sys.argv[3]) if len(sys.argv) > 3 else 1_500_000
# How many orders are made at a time.
PIECE = 1_500_000
ROUNDS = 5
PACKAGES = f"{FOLDER}/python"
NET = "(price * (1 - discount))"
BUYERS = "from l join c on l.customer_code = c.code"
TABLES = [("l", "order_line"), ("c", "customer"), ("s", "supplier"), ("p", "product"), ("t", "interest")]

STAR = os.path.join(os.path.dirname(os.path.abspath(__file__)), "star")
with open(f"{STAR}/model.vembra") as file:
    MODEL = file.read()

# The SQL of each query.
SQL = {
    "grouped sum": f"select c.region, sum({NET}) {BUYERS} group by 1",
    "three roles": f"select o.m, o.v, s.v, d.v from (select date_trunc('month', ordered_on) m, sum({NET}) v from l group by 1) o full join (select date_trunc('month', shipped_on) m, sum({NET}) v from l group by 1) s on o.m = s.m full join (select date_trunc('month', due_on) m, sum({NET}) v from l group by 1) d on coalesce(o.m, s.m) = d.m",
    "order by ship month": "select date_trunc('month', ordered_on) a, date_trunc('month', shipped_on) b, sum(quantity) from l group by 1, 2",
    "average order": f"with o as (select extract(year from ordered_on) y, c.segment g, order_no, sum({NET}) v {BUYERS} group by 1, 2, 3) select y, g, avg(v) from o group by grouping sets ((y, g), (y), (g), ())",
    "avg of avg": f"with o as (select c.region r, customer_code cu, order_no, sum({NET}) v {BUYERS} group by 1, 2, 3), u as (select r, cu, avg(v) a, max(v) m from o group by 1, 2) select r, avg(a), avg(m) from u group by 1",
    "both things": f"with o as (select extract(year from ordered_on) y, order_no, sum(case when p.category = 'Category 1' then quantity end) a, sum(case when p.category = 'Category 2' then quantity end) b from l join p on l.sku = p.sku group by 1, 2) select y, count(case when a > 0 and b > 0 then 1 end) from o group by 1",
    "text compare": f"select extract(year from ordered_on) y, sum(case when c.town = s.town then {NET} end), sum(case when c.country < s.country then {NET} end) {BUYERS} join s on l.supplier_code = s.code group by 1",
    "above average": f"with o as (select order_no, sum({NET}) v from l group by 1) select count(*) from o where v > (select avg(v) from o)",
    "above year": f"with o as (select extract(year from ordered_on) y, order_no, sum({NET}) v from l group by 1, 2), a as (select y, avg(v) m from o group by 1) select o.y, count(case when v > m then 1 end) from o join a on o.y = a.y group by 1",
    "top ties": f"with k as (select p.kind k, sum({NET}) v, sum(quantity) q from l join p on l.sku = p.sku group by 1), r as (select k, v, q, rank() over (order by q desc) n from k) select k, v, q from r where n <= 10",
    "top rest year": f"with k as (select extract(year from ordered_on) y, c.country k, sum({NET}) v {BUYERS} group by 1, 2), r as (select y, k, v, row_number() over (partition by y order by v desc, k) n from k) select y, case when n <= 5 then k else 'Other' end w, sum(v) from r group by 1, 2",
    "top customers": f"select c.name, sum({NET}) v, count(distinct order_no) {BUYERS} group by 1 order by v desc limit 10",
    "between dates": "select mode, count(case when shipped_on < due_on and received_on > due_on then 1 end), count(case when received_on - shipped_on > 20 then 1 end) from l where received_on >= date '2022-01-01' and received_on < date '2023-01-01' group by 1",
    "open at month end": "with e as (select m, date_trunc('month', m + interval '32' day) - interval '1' day e from (select distinct date_trunc('month', ordered_on) m from l where extract(year from ordered_on) = 2022) x), o as (select ordered_on d, count(*) n from l group by 1), r as (select received_on d, count(*) n from l group by 1), a as (select m, sum(n) n from e join o on o.d <= e.e group by 1), b as (select m, sum(n) n from e join r on r.d <= e.e group by 1) select a.m, a.n - b.n from a join b on a.m = b.m",
    "previous quarter": f"with q as (select date_trunc('quarter', ordered_on) q, sum({NET}) v from l join p on l.sku = p.sku where p.name in ('Product 0000007', 'Product 0000011', 'Product 0000013') group by 1) select a.q, a.v, b.v from q a left join q b on b.q = date_trunc('quarter', a.q - interval '80' day)",
    "distinct names": "select country, count(distinct name) from c group by 1",
    "five regions": "with u as (select customer_code, count(distinct s.region) n from l join s on l.supplier_code = s.code group by 1) select count(*) from u where n = 5",
    "order flag": f"with o as (select order_no, sum({NET}) > 300000 b from l group by 1) select b, sum({NET}), sum(case when returned = 'R' then quantity end) from l join o on l.order_no = o.order_no group by 1",
    "percentile orders": f"with o as (select c.segment g, order_no, sum({NET}) v {BUYERS} group by 1, 2) select g, PCT from o group by 1",
    "three averages": "select extract(year from ordered_on) y, avg(cast(discount as double)), avg(cast(case when mode = 'Air' then discount end as double)), avg(cast(case when priority = '1 urgent' then discount end as double)) from l group by 1",
    "share levels": f"with k as (select c.region r, c.country k, sum({NET}) v {BUYERS} group by 1, 2) select r, k, v, cast(v as double) / cast(sum(v) over (partition by r) as double), sum(v) over () from k",
    "town town year": f"select c.town, s.town, extract(year from ordered_on) y, sum({NET}) {BUYERS} join s on l.supplier_code = s.code join p on l.sku = p.sku where p.category = 'Category 1' and c.region = 'Eastfen' and s.region = 'Eastfen' group by 1, 2, 3",
    "either or pairs": f"select c.country, s.country, extract(year from shipped_on) y, sum({NET}) {BUYERS} join s on l.supplier_code = s.code where (c.country = 'Land 01' and s.country = 'Land 02') or (c.country = 'Land 02' and s.country = 'Land 01') group by 1, 2, 3",
    "same region": f"select c.region, sum({NET}) {BUYERS} join s on l.supplier_code = s.code where c.region = s.region group by 1",
    "year to date": f"with m as (select date_trunc('month', ordered_on) m, sum({NET}) v from l group by 1) select m, v, sum(v) over (partition by extract(year from m) order by m) from m",
    "median price": "select mode, median(price) from l group by 1",
    "distinct customers": "select date_trunc('month', ordered_on) m, count(distinct customer_code) from l group by 1",
    "first second": f"with f as (select customer_code u, min(ordered_on) a from l group by 1), t as (select customer_code u, min(ordered_on) b from l join f on l.customer_code = f.u where ordered_on > a group by 1) select c.segment, avg(DAYS) from f join t on f.u = t.u join c on f.u = c.code group by 1",
    "price summary": f"select returned, mode, sum(quantity), sum(price), sum({NET}), sum(price * (1 - discount) * (1 + tax)), avg(cast(quantity as double)), avg(cast(price as double)), avg(cast(discount as double)), count(*) from l where shipped_on <= date '2025-09-01' group by 1, 2",
    "small filter": "select sum(price * discount) from l where shipped_on >= date '2022-01-01' and shipped_on < date '2023-01-01' and discount between 0.05 and 0.07 and quantity < 24",
    "having big": "select order_no, sum(quantity) q from l group by 1 having sum(quantity) > 290",
    "rank products": f"with k as (select l.sku, sum({NET}) v from l join p on l.sku = p.sku where p.family = 'Family 03' group by 1) select sku, v, rank() over (order by v desc) from k",
    "running": f"with m as (select date_trunc('month', ordered_on) m, sum({NET}) v from l group by 1) select m, v, sum(v) over (order by m) from m",
    "customers lost": "with u as (select customer_code, max(ordered_on) d from l group by 1) select count(*) from u where d < date '2024-06-01'",
    "new column": f"with o as (select order_no, sum({NET}) v from l group by 1) select extract(year from ordered_on) y, sum(v - v + quantity) from l join o on l.order_no = o.order_no group by 1",
    "two years across": f"select c.segment, sum(case when extract(year from ordered_on) = 2025 then {NET} end) a, sum(case when extract(year from ordered_on) = 2024 then {NET} end) b, sum(case when extract(year from ordered_on) = 2025 then {NET} end) - sum(case when extract(year from ordered_on) = 2024 then {NET} end) {BUYERS} group by 1",
    "a treatment on two measures": f"select c.region, sum({NET}), sum(quantity) {BUYERS} where extract(year from ordered_on) = 2023 group by 1",
    "orders of several categories": "with o as (select extract(year from ordered_on) y, order_no, count(distinct p.category) n from l join p on l.sku = p.sku group by 1, 2) select y, count(case when n > 1 then 1 end) from o group by 1",
    "goods by category": "select p.category, count(distinct l.sku) from l join p on l.sku = p.sku group by 1",
    "month before": f"with m as (select date_trunc('month', ordered_on) m, sum({NET}) v from l group by 1) select m, v, lag(v) over (order by m) from m",
    "interests over a bridge": "select t.topic, sum(quantity) from l left join t on t.customer_code = l.customer_code group by 1",
    "largest lines": f"select order_no, line_no, {NET} n from l order by n desc, order_no, line_no limit 10",
}
# A name, our query, their SQL.
with open(f"{STAR}/queries.txt") as file:
    QUERIES = [(name, query, SQL[name]) for name, query in (pair.split("\n") for pair in file.read().strip().split("\n\n"))]
# Words that one engine has and the other has not.
WORDS = {
    "duckdb": {"PCT": "quantile_cont(cast(v as double), 0.9)", "DAYS": "b - a"},
    "datafusion": {"PCT": "percentile_cont(0.9) within group (order by cast(v as double))", "DAYS": "cast(cast(b as int) - cast(a as int) as double)"},
}


def write_star():
    """A star with made-up names, from a fixed seed."""
    if os.path.exists(f"{FOLDER}/order_line.parquet"):
        return
    import numpy as np
    import polars as pl

    r = np.random.default_rng(7)
    customers, suppliers, products = ORDERS // 10, max(ORDERS // 150, 100), ORDERS * 2 // 15
    regions = ["Northmoor", "Eastfen", "Southmere", "Westholt", "Midvale"]
    town = [f"Town {i:03d}" for i in range(250)]
    country = [f"Land {i:02d}" for i in range(25)]
    places = lambda at: {"town": [town[t] for t in at], "country": [country[t % 25] for t in at], "region": [regions[t % 5] for t in at]}
    numbers = lambda count: np.arange(1, count + 1)
    save = lambda name, columns: pl.DataFrame(columns).write_parquet(f"{FOLDER}/{name}.parquet")
    segments = np.array(["Club", "Farm", "Shop", "Home", "Garden"])
    save("customer", {"code": numbers(customers), "name": [f"Customer {i:07d}" for i in numbers(customers)],
                      **places(r.integers(0, 250, customers)), "segment": segments[r.integers(0, 5, customers)]})
    save("supplier", {"code": numbers(suppliers), "name": [f"Supplier {i:06d}" for i in numbers(suppliers)], **places(r.integers(0, 250, suppliers))})
    family = r.integers(0, 25, products)
    save("product", {"sku": numbers(products), "name": [f"Product {i:07d}" for i in numbers(products)], "category": [f"Category {f // 5}" for f in family],
                     "family": [f"Family {f:02d}" for f in family], "kind": [f"Kind {k:03d}" for k in r.integers(0, 150, products)]})
    topics = np.array(["Honey", "Wax", "Queens", "Tools"])
    with_topic = r.random((customers, 4)) < 0.3
    who, what = np.nonzero(with_topic)
    save("interest", {"customer_code": who + 1, "topic": topics[what]})
    starts = range(0, ORDERS, PIECE)
    for start in starts:
        file = "order_line" if len(starts) == 1 else f"piece_{start // PIECE:03d}"
        save(file, lines_of(r, start, min(PIECE, ORDERS - start), (customers, suppliers, products)))
    if len(starts) > 1:
        pl.scan_parquet(f"{FOLDER}/piece_*.parquet").sink_parquet(f"{FOLDER}/order_line.parquet")
        for piece in glob.glob(f"{FOLDER}/piece_*.parquet"):
            os.remove(piece)


def lines_of(r, before, orders, counts):
    """The lines of a number of orders behind those before."""
    import numpy as np
    import polars as pl

    customers, suppliers, products = counts
    count = r.integers(1, 8, orders)
    lines = int(count.sum())
    order = np.repeat(np.arange(orders), count)
    ordered = (np.datetime64("2019-01-01") + r.integers(0, 2405, orders).astype("timedelta64[D]"))[order]
    after = lambda day, least, most: day + r.integers(least, most, lines).astype("timedelta64[D]")
    shipped, due = after(ordered, 1, 122), after(ordered, 30, 91)
    received = after(shipped, 1, 31)
    quantity = r.integers(1, 51, lines)
    cents = lambda values: (pl.Series(values).cast(pl.Float64) / 100).round(2).cast(pl.Decimal(15, 2))
    first = np.concatenate([[0], np.cumsum(count)[:-1]])
    return {
        "order_no": (np.arange(before + 1, before + orders + 1) * 4 + np.arange(orders) % 3)[order], "line_no": np.arange(lines) - first[order] + 1,
        "customer_code": r.integers(1, customers + 1, orders)[order], "supplier_code": r.integers(1, suppliers + 1, lines), "sku": r.integers(1, products + 1, lines),
        "ordered_on": ordered, "shipped_on": shipped, "due_on": due, "received_on": received,
        "quantity": pl.Series(quantity).cast(pl.Decimal(15, 2)), "price": cents(r.integers(90000, 200000, lines) * quantity),
        "discount": cents(r.integers(0, 11, lines)), "tax": cents(r.integers(0, 9, lines)),
        "priority": np.array(["1 urgent", "2 high", "3 medium", "4 low", "5 none"])[r.integers(0, 5, orders)][order],
        "mode": np.array(["Air", "Mail", "Rail", "Ship", "Truck", "Collect", "Foot"])[r.integers(0, 7, lines)],
        "returned": np.where(received <= np.datetime64("2022-06-17"), np.array(["A", "R"])[r.integers(0, 2, lines)], "N"),
    }


def peak():
    """The most memory of this process since it was last asked, and forgets it, in MB beside what is held now."""
    status = open("/proc/self/status").read()
    at = lambda word: int(re.search(word + r":\s+(\d+)", status).group(1)) / 1024
    return at("VmHWM"), at("VmRSS")


def timed(ask):
    """First and median time in milliseconds, the memory taken while answering, and the rows."""
    with open("/proc/self/clear_refs", "w") as file:
        file.write("5")
    before = peak()[1]
    times = []
    for _ in range(ROUNDS + 1):
        start = time.perf_counter()
        rows = ask()
        times.append((time.perf_counter() - start) * 1e3)
    first, others = times[0], sorted(times[1:])
    return first, others[len(others) // 2], max(peak()[0] - before, 0), rows


def engine(name):
    """What one engine answers to all queries; in a process of its own."""
    if name == "duckdb":
        import duckdb
        connection = duckdb.connect()
        connection.execute("set threads = 2")
        for short, file in TABLES:
            connection.execute(f"create table {short} as select * from '{FOLDER}/{file}.parquet'")
        ask = lambda sql: connection.execute(sql).fetchall()
    else:
        import datafusion
        context = datafusion.SessionContext(datafusion.SessionConfig().with_target_partitions(2))
        for short, file in TABLES:
            context.register_parquet(f"{short}_file", f"{FOLDER}/{file}.parquet")
            context.register_record_batches(short, context.table(f"{short}_file").collect_partitioned())
        ask = lambda sql: [row for batch in context.sql(sql).collect() for row in zip(*(column.to_pylist() for column in batch.columns))]
    results = {}
    for title, _, sql in QUERIES:
        for word, own in WORDS[name].items():
            sql = sql.replace(word, own)
        try:
            first, warm, memory, rows = timed(lambda: ask(sql))
            results[title] = [first, warm, memory, figures(rows)]
        except Exception as error:  # An engine may lack a function; the other one is left.
            print(f"{name}, {title}: {str(error)[:200]}", file=sys.stderr)
    json.dump(results, sys.stdout)


def number(cell):
    """A figure as it is compared: exact ones with their digits, others to ten of them. None for texts, days and nothing."""
    if isinstance(cell, bool) or cell is None:
        return None
    try:
        value = decimal.Decimal(str(cell))
    except decimal.InvalidOperation:
        return None
    return value if value.is_finite() else None


def figures(rows):
    return sorted(str(n) for row in rows for n in map(number, row) if n is not None)


def ours():
    with open(f"{FOLDER}/star.vembra", "w") as file:
        file.write(MODEL)
    with open(f"{FOLDER}/queries.txt", "w") as file:
        file.write("\n\n".join(f"{title.replace(' ', '_')}\n{query}" for title, query, _ in QUERIES))
    command = [ASKED, f"{FOLDER}/star.vembra", f"{FOLDER}/queries.txt", str(ROUNDS)]
    told = subprocess.run(command, check=True, capture_output=True, text=True, env={**os.environ, "RAYON_NUM_THREADS": "2"}).stdout
    results = {}
    for block in re.split(r"^# ", told, flags=re.M)[1:]:
        head, *lines = block.strip().split("\n")
        title, first, warm, memory = head.split()
        results[title.replace("_", " ")] = [float(first), float(warm), float(memory), figures(line.split(",") for line in lines[1:])]
    return results


def agree(one, other):
    """Whether figures are the same: exactly, or to ten digits where one of them is no exact number."""
    close = lambda a, b: a == b or math.isclose(float(a), float(b), rel_tol=1e-10, abs_tol=1e-10)
    one, other = (sorted(map(decimal.Decimal, side)) for side in (one, other))
    return len(one) == len(other) and all(map(close, one, other))


def main():
    os.makedirs(FOLDER, exist_ok=True)
    if not os.path.exists(PACKAGES):
        subprocess.run([sys.executable, "-m", "pip", "install", "-q", "--target", PACKAGES, "duckdb", "datafusion", "polars", "numpy"], check=True)
    sys.path.insert(0, PACKAGES)
    write_star()
    found = {"vembra": ours()}
    for name in () if sys.argv[4:] == ["alone"] else WORDS:
        told = subprocess.run([sys.executable, __file__, ASKED, FOLDER, str(ORDERS), name], check=True, stdout=subprocess.PIPE, text=True).stdout
        found[name] = json.loads(told)
    print("| query | first ms | warm ms | MB | DuckDB ms | DataFusion ms | best / warm | same |\n|---|---|---|---|---|---|---|---|")
    ratios = []
    for title, *_ in QUERIES:
        first, warm, memory, own = found["vembra"][title]
        others = {name: found[name][title] for name in WORDS if title in found.get(name, {})}
        best = min((other[1] for other in others.values()), default=math.nan)
        same = {name: agree(own, other[3]) for name, other in others.items()}
        shown = [f"{others[name][1]:.0f}" if name in others else "–" for name in WORDS]
        told = "yes" if all(same.values()) else "no: " + ", ".join(name for name, is_same in same.items() if not is_same)
        if not others:
            print(f"| {title} | {first:.0f} | {warm:.1f} | {memory:.0f} | – | – | – | – |")
            continue
        ratios.append(best / warm)
        print(f"| {title} | {first:.0f} | {warm:.1f} | {memory:.0f} | {' | '.join(shown)} | {best / warm:.1f} | {told} |")
    if not ratios:
        return
    mean = math.exp(sum(map(math.log, ratios)) / len(ratios))
    print(f"\n{len(ratios)} queries: {sum(r >= 3 for r in ratios)} at least three times as fast as the best, {sum(r < 1 for r in ratios)} slower; geometric mean {mean:.1f}")


if __name__ == "__main__" and sys.argv[4:] not in ([], ["alone"]):
    sys.path.insert(0, PACKAGES)
    engine(sys.argv[4])
elif __name__ == "__main__":
    main()
