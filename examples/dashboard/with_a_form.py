"""The demo's page of routes as a form of our own under FastAPI: ``python …/with_a_form.py serve``.

Any web framework will do: one call makes the form, one reads what was sent.
"""

import sys

from fastapi import FastAPI, Request
from fastapi.responses import HTMLResponse

import ulnager
from ulnager.demo import CLOCK

page = ulnager.read_book("demo:ferries").page("routes")
app = FastAPI()


@app.get("/")
def shown(request: Request):
    """The form, and the numbers of the first chart."""
    opened = page.read(str(request.url.query), today=CLOCK)
    found = opened.values()["all"]
    told = found if isinstance(found, str) else f"{found.rows[0].value:,} passengers"
    return HTMLResponse(f"<h1>{page.label}</h1>{ulnager.bind.form(opened)}<h2>{told}</h2>")


if __name__ == "__main__":
    if "serve" in sys.argv:
        import uvicorn

        uvicorn.run(app)
    print("python", __file__, "serve")
