"""The service as it is run: ``ulnager serve`` in a process of its own, on a book made for it."""

import shutil
import socket
import subprocess
import sys
import threading
from contextlib import contextmanager
from itertools import cycle
from pathlib import Path

import ulnager
from ulnager.demo import TABLES, book_file, table

TODAY = "2026-05-20"
MORE = """
[pickers.fixed]
label = "Fixed"
choices = ["quarter"]
opens = "quarter"
viewers = "see"
[pickers.hidden]
choices = ["week_so_far"]
opens = "week_so_far"
viewers = "nothing"
[pickers.repairs]
label = "Repairs"
choices = ["year_so_far", "all_sailings", "office_days", "recent"]
opens = "recent"
labels = "short"
[pages.locked.charts.crossings]
source = "sailings"
follows = "fixed"
value = "fares"
[pages.locked.charts.week]
source = "sailings"
follows = "hidden"
[pages.two]
label = "Two <b>pickers</b>"
picker = "dates"
[pages.two.charts.routes]
source = "sailings"
value = "passengers"
split = "route"
by = "week"
beside = "1 year earlier"
form = "bars"
[pages.two.charts.running]
source = "sailings"
value = "passengers"
running = "last 7 rolling days"
[pages.two.charts.repairs]
source = "work_orders"
follows = "repairs"
[pages.two.charts.days]
source = "sailings"
period = "year_so_far"
by = "day"
max_buckets = 60
"""


def book_in(folder, more=MORE):
    """The demo's book and its data in a folder of their own, with more to choose from."""
    for name in TABLES:
        shutil.copy(table(name), folder)
    path = Path(folder) / "book.toml"
    text = book_file().read_text()
    path.write_text(f"{text}\n{more}")
    return path


@contextmanager
def served(book, *options, today=TODAY, patience=None, told=None):
    """The address of a service that runs meanwhile, and process; ``told`` takes what it says."""
    code = f"""from ulnager.web import request_guard
request_guard.SECONDS_TO_SEND = {patience}
from ulnager.cli.main import main
main()"""
    run = ["-m", "ulnager"] if patience is None else ["-c", code]
    args = [sys.executable, *run, "serve", "--book", str(book), "--port", "0", *options]
    args += ["--today", today, "--any-day"] if today else []
    process = subprocess.Popen(args, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    try:
        line = process.stdout.readline()
        assert line.startswith("http://"), process.communicate()
        heard = [] if told is None else told
        threading.Thread(target=heard.extend, args=(process.stderr,), daemon=True).start()
        yield line.split()[0].rstrip("/"), process
    finally:
        process.terminate()
        process.wait(10)


@contextmanager
def round_robin(*addresses):
    """A proxy that hands each connection to the next of several copies."""
    copies = cycle([tuple(one.removeprefix("http://").split(":")) for one in addresses])
    listening = socket.create_server(("127.0.0.1", 0))

    def pump(source, target):
        while data := source.recv(65_536):
            target.sendall(data)
        target.shutdown(socket.SHUT_WR)

    def accept():
        while True:
            try:
                client, _ = listening.accept()
            except OSError:
                return
            host, port = next(copies)
            copy = socket.create_connection((host, int(port)))
            for pair in ((client, copy), (copy, client)):
                threading.Thread(target=pump, args=pair, daemon=True).start()

    threading.Thread(target=accept, daemon=True).start()
    yield f"http://127.0.0.1:{listening.getsockname()[1]}"
    listening.close()


def library(book):
    """The same book in this process."""
    return ulnager.read_book(book)
