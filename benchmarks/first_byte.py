"""First byte of Today after the process starts, against a bare Flask page on waitress."""

import compileall
import os
import socket
import statistics
import subprocess
import sys
import time
from pathlib import Path

from benchmarks.pages import application
from benchmarks.timing import told
from tests.support import free_port

ROOT = Path(__file__).parents[1]
BARE = """
import sys
from flask import Flask
import waitress
app = Flask("bare")
app.get("/1/today")(lambda: "<!doctype html><p>Hello")
waitress.serve(app, host="127.0.0.1", port=int(sys.argv[1]))
"""


def first_byte(command) -> float:
    """Seconds from starting the process to the first byte of its page."""
    port = free_port()
    start = time.perf_counter()
    process = subprocess.Popen([*command, str(port)], cwd=ROOT, stdout=subprocess.DEVNULL,
                               env=os.environ | {"PYTHONPATH": str(ROOT)})
    try:
        while True:
            try:
                with socket.create_connection(("127.0.0.1", port), timeout=30) as web:
                    web.sendall(b"GET /1/today HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n")
                    assert web.recv(1)
                return time.perf_counter() - start
            except ConnectionRefusedError:
                time.sleep(0.002)
    finally:
        process.kill()
        process.wait()


def lines(folder):
    path = folder / "first.db"
    application(path, 60)
    # As an installed package is; a checkout may be run where Python is told to write no bytecode.
    compileall.compile_dir(ROOT / "voltaun", quiet=1)
    ours, theirs = [], []
    for _ in range(8):
        ours.append(first_byte([sys.executable, "-m", "voltaun", "serve", "--db", str(path), "--port"]))
        theirs.append(first_byte([sys.executable, "-c", BARE]))
    yield told("First byte of Today after process start", statistics.median(ours), "bare Flask on waitress",
               statistics.median(theirs), 2.2)
