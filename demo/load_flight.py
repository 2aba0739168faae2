"""Runs load_spark.sql on a server that is asked by Arrow Flight SQL: python load_flight.py, from the folder of the files.

SHOP_URL says where the server is. Needs: pip install adbc-driver-flightsql pyarrow
"""

import os
import pathlib

from adbc_driver_flightsql import dbapi

here = pathlib.Path(__file__).resolve().parent
text = (here / "load_spark.sql").read_text(encoding="utf-8")
lines = [line for line in text.splitlines() if not line.startswith("--")]
with dbapi.connect(os.environ["SHOP_URL"], autocommit=True) as connection, connection.cursor() as cursor:
    for statement in "\n".join(lines).replace("FOLDER", str(here)).split(";"):
        if statement.strip():
            cursor.execute(statement)
            cursor.fetchall()
    cursor.execute("select count(*) from order_line")
    print(cursor.fetchone()[0], "lines of orders")
