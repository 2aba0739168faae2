"""How many instructions each query takes for each row of its star: what a clock is too unsteady for.

    python crates/bench/peers.py target/release/examples/asked FOLDER 150000 alone
    python crates/bench/instructions.py target/release/examples/asked FOLDER

FOLDER is one that `peers.py` has written. Each query is asked under callgrind (Debian: `valgrind`) twice and six times, on one thread; the difference,
by four and by the rows of the fact, is what one more answer takes. What is read, resolved and kept for the first two is not counted.
"""

import os
import re
import subprocess
import sys

ASKED, FOLDER = os.path.abspath(sys.argv[1]), os.path.abspath(sys.argv[2])
FEW, MANY = 1, 5


def counted(queries, rounds):
    """The instructions of a whole process that asks once more than a number of times."""
    valgrind = ["valgrind", "--tool=callgrind", "--callgrind-out-file=/dev/null", ASKED, "star.vembra", queries, str(rounds)]
    done = subprocess.run(valgrind, cwd=FOLDER, capture_output=True, text=True, env={**os.environ, "RAYON_NUM_THREADS": "1"})
    found = re.search(r"Collected : (\d+)", done.stderr)
    if done.returncode or not found:
        sys.exit(f"callgrind failed:\n{done.stderr}")
    return int(found[1])


def rows_of_fact():
    sys.path.insert(0, f"{FOLDER}/python")
    import polars

    return polars.scan_parquet(f"{FOLDER}/order_line.parquet").select(polars.len()).collect().item()


def main():
    rows = rows_of_fact()
    print(f"{rows:,} rows\n\n| query | instructions a row |\n|---|---|")
    with open(f"{FOLDER}/queries.txt") as file:
        blocks = file.read().strip().split("\n\n")
    for block in blocks:
        with open(f"{FOLDER}/counted.txt", "w") as file:
            file.write(block + "\n")
        more = counted("counted.txt", MANY) - counted("counted.txt", FEW)
        print(f"| {block.splitlines()[0].replace('_', ' ')} | {more / (MANY - FEW) / rows:.1f} |", flush=True)


main()
