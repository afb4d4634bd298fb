"""The demo's operations page in a browser, in one command: python examples/dashboard/serve.py

It needs pip install 'ulnager[web]'. With --once it says what the page would show, and leaves. Copy
this file and put your own book in: ``service`` is an ASGI application like any other.
"""

import json
import sys
import threading
import time
import urllib.request

import uvicorn

import ulnager
from ulnager.demo import CLOCK, book_file

app = ulnager.service(book_file(), today=CLOCK)


def once():
    """What a viewer sees first, asked for over HTTP as any front end would."""
    server = uvicorn.Server(uvicorn.Config(app, port=0, log_level="warning"))
    threading.Thread(target=server.run, daemon=True).start()
    while not server.started:
        time.sleep(0.05)
    port = server.servers[0].sockets[0].getsockname()[1]
    address = f"http://127.0.0.1:{port}/api/pages/operations?dates=recent&dates.recent.n=14"
    with urllib.request.urlopen(address, timeout=30) as answer:
        page = json.load(answer)["page"]
    for chart in page["charts"].values():
        dates = chart["dates"]["label"] if chart["dates"] else "no dates"
        print(f"{chart['label']}: {dates}; {chart['governed_by']}")
    server.should_exit = True


if __name__ == "__main__":
    if "--once" in sys.argv:
        once()
    else:
        print("http://127.0.0.1:8000/pages/operations  (Ctrl-C ends it)")
        uvicorn.run(app, port=8000, log_level="warning")
