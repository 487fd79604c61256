"""Bringing in a million samples, beside the bare csv.reader and executemany into the same table."""

import csv
import os
from datetime import UTC, datetime, timedelta

from benchmarks.timing import side_by_side, told
from voltaun.database import rigs, samples
from voltaun.database.connection import connect, prepare, transaction
from voltaun.demo.honey_house import RIG
from voltaun.formats.samples_csv import Told, pieces

ROWS = int(os.environ.get("VOLTAUN_BENCH_ROWS", 1_000_000))


def write(path, rows):
    """A monitor's file with one row a minute."""
    start = datetime(2024, 1, 1, tzinfo=UTC)
    with open(path, "w", encoding="utf-8") as out:
        out.write("at,volts,amps,watts,soc_percent,charge_wh,discharge_wh\n")
        for n in range(rows):
            amps = (n % 1440 - 700) / 40
            out.write(f"{(start + timedelta(minutes=n)).strftime('%Y-%m-%dT%H:%M:%SZ')},{26.1 + n % 9 / 10:.1f},"
                      f"{amps:.2f},{26.3 * amps:.0f},{50 + n % 400 / 10:.1f},{n * 1.7:.1f},{n * 1.6:.1f}\n")


def lines(folder):
    file = folder / "samples.csv"
    write(file, ROWS)
    count = iter(range(1000))

    def fresh():
        path = folder / f"samples-{next(count)}.db"
        prepare(path)
        db = connect(path)
        with transaction(db):
            rigs.add(db, RIG)
        return db

    def ours():
        db = fresh()
        with open(file, "rb") as source, transaction(db):
            samples.bring(db, 1, pieces(source, RIG.zone, {}, Told()))
        db.close()

    def bare():
        db = fresh()
        with open(file, encoding="utf-8", newline="") as source, transaction(db):
            reader = csv.reader(source)
            next(reader)
            db.executemany("INSERT INTO sample VALUES (1, unixepoch(?), ?, ?, ?, ? / 100.0, ?, ?, NULL)", reader)
        db.close()
    taken, theirs = side_by_side(ours, bare, 3)
    yield told(f"{ROWS} samples from a file", taken, "bare csv.reader and executemany", theirs, 2)
