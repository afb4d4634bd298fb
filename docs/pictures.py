"""Makes the pictures of the README anew: what each command prints on the demo data, and draws.

python docs/pictures.py [NAME.png …]
"""

from __future__ import annotations

import shlex
import shutil
import subprocess
import sys
import tempfile
import textwrap
from io import BytesIO
from pathlib import Path

import matplotlib
import numpy as np
from matplotlib.figure import Figure
from matplotlib.image import imread, imsave

from ulnager.pictures.paper import FAINT, INK, PAPER, PERIOD

FOLDER = Path(__file__).parent / "screenshots"
CLOCK = "--today 2026-05-20"
PICTURES = {
    "define.png": [
        f'resolve "last 3 whole months, 1 year earlier" {CLOCK}',
        f'resolve "last 5 whole business days, 1 period earlier" {CLOCK} --holiday 2026-05-18',
        f'readings "last 3 months" {CLOCK}',
    ],
    "filter.png": [
        f'filter "month to date except today" --column sailed_on {CLOCK}',
        'filter "last 3 whole months" --column sailed_on --live --for postgresql',
        'filter "last 3 whole months except today" --column sailed_on --live --for sqlite',
        f'filter "last 7 whole days" --column sailed_on --for odata {CLOCK}',
        'filter "last 24 rolling hours" --column scanned_at --type timestamptz --tz America/Halifax'
        " --live --for postgresql",
        f'filter "last 3 whole months" --column sailed_on {CLOCK} --run demo:sailings',
    ],
    "preview.png": [f'preview "last 3 whole months as of latest" demo:sailings {CLOCK} --rows 6'],
    "profile.png": [f"profile demo:sailings {CLOCK}"],
    "units.png": [
        f'buckets "last 3 months to date as of latest" --by month --source demo:sailings {CLOCK}',
        'buckets "last 3 months to date as of latest" --by month --source demo:sailings '
        f'--value passengers --beside "1 year earlier" {CLOCK}',
        'running "last 7 rolling days" --over "last 5 rolling days as of latest" '
        f"--source demo:sailings --value passengers --per day {CLOCK}",
        f"calendar 2026-05-11 2026-05-20 --year-starts 10-01 {CLOCK}",
    ],
    "show.png": [
        f"show dates --book demo:ferries {CLOCK} --choose recent --set n=14 --by week",
        f"show operations --book demo:ferries {CLOCK}",
    ],
    "check.png": [f"check demo:careless {CLOCK}"],
    "demo.png": ["demo"],
    "help.png": ["--help"],
}
DRAWN = {
    "rehearse.png": f'rehearse "last 3 months" {CLOCK} --picture',
    "rows_a_day.png": f"profile demo:sailings {CLOCK} --picture",
    "draw.png": f'draw "last 3 whole months" "month to date" "last 90 rolling days" {CLOCK} --to',
}
# Several pictures on one: half as wide and high each, from left to right and down.
TOGETHER = {
    "numbers.png": [
        'buckets "last 6 months to date as of latest" --by month --source demo:sailings --value '
        f'passengers --beside "1 year earlier" {CLOCK} --size 640x400 --picture',
        'running "last 7 rolling days" --over "last 90 rolling days as of latest" --source '
        f"demo:sailings --value passengers --per day {CLOCK} --size 640x400 --picture",
        'buckets "last 6 months to date as of latest" --by day --source demo:sailings --value '
        f"passengers --layout calendar {CLOCK} --size 640x400 --picture",
        'ages demo:work_orders --since raised_on --until closed_on --unit "business day" '
        f"{CLOCK} --size 640x400 --picture",
    ],
    "walk.png": [
        'draw "last 30 rolling days" --step "1 month" --source demo:sailings --value passengers '
        f"{CLOCK} --size 1280x800 --to"
    ],
}
# Pages of the service, as wide and high as a browser's window; in the dark, or unfolded. Of the
# bindings the picture is made by hand, of the apps in examples/dashboard.
OWN = "dates=own&dates.own.first=2026-02-01&dates.own.last=2026-03-15&dates.own.first.2=2026-05-01"
SERVED = {
    "page.png": [("operations?", (1280, 800), "")],
    "page_choosing.png": [
        (f"operations?{OWN}&dates.own.last.2=2026-05-10&dates.by=week", (1280, 800), "open")
    ],
    "page_routes.png": [
        ("routes?dates.compare=1+year+earlier&route=Alder+Point&route=Saltmarsh", (1280, 1500), "")
    ],
    "page_phone.png": [
        ("operations?dates=recent&dates.recent.n=14", (400, 1250), "dark"),
        ("operations?dates=crew_weeks&locale=de", (400, 1250), ""),
    ],
}
COLUMNS, LINES = 112, 42


def main() -> None:
    """Every picture, made anew."""
    only = set(sys.argv[1:])
    for name, commands in PICTURES.items():
        if only and name not in only:
            continue
        text: list[tuple[str, str]] = []
        for command in commands:
            text.append((f"$ ulnager {command}", PERIOD))
            text += [(line, INK) for line in _printed(command)]
            text.append(("", INK))
        _drawn(FOLDER / name, text)
    for name, command in DRAWN.items():
        if only and name not in only:
            continue
        _printed(f"{command} {FOLDER / name}")
    for name, commands in TOGETHER.items():
        if only and name not in only:
            continue
        _laid_out(FOLDER / name, commands)

    pages = {name: shot for name, shot in SERVED.items() if not only or name in only}
    if pages:
        _photographed(pages)


def _photographed(pages: dict[str, list[tuple[str, tuple[int, int], str]]]) -> None:
    """Pages of the service in headless Chromium, several of them side by side."""
    from selenium import webdriver
    from selenium.webdriver.chrome.service import Service

    args = ["serve", "--book", "demo:ferries", "--port", "0", *shlex.split(CLOCK)]
    with subprocess.Popen(
        [sys.executable, "-m", "ulnager", *args], stdout=subprocess.PIPE, text=True
    ) as served:
        assert served.stdout is not None
        address = served.stdout.readline().split()[0]
        options = webdriver.ChromeOptions()
        for one in ("--headless=new", "--no-sandbox", "--hide-scrollbars"):
            options.add_argument(one)
        browser = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
        for name, shots in pages.items():
            found = []
            for query, (width, height), how in shots:
                size = {
                    "width": width,
                    "height": height,
                    "deviceScaleFactor": 1,
                    "mobile": width < 600,
                }
                browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
                colours = "dark" if how == "dark" else "light"
                media = {
                    "media": how if how == "print" else "",
                    "features": [{"name": "prefers-color-scheme", "value": colours}],
                }
                browser.execute_cdp_cmd("Emulation.setEmulatedMedia", media)
                browser.get(f"{address}pages/{query}")
                if how == "open":
                    browser.find_element("css selector", "details.choices summary").click()
                found.append(imread(BytesIO(browser.get_screenshot_as_png())))
            imsave(FOLDER / name, np.ascontiguousarray(np.hstack(found)))
        browser.quit()
        served.terminate()


def _laid_out(path: Path, commands: list[str]) -> None:
    """Pictures of equal size on one."""
    with tempfile.TemporaryDirectory() as folder:
        pages = []
        for place, command in enumerate(commands):
            _printed(f"{command} {folder}/{place}.png")
            pages.append(imread(f"{folder}/{place}.png"))
    wide = 2 if len(pages) > 1 else 1
    rows = [np.hstack(pages[start : start + wide]) for start in range(0, len(pages), wide)]
    imsave(path, np.ascontiguousarray(np.vstack(rows)))


def _printed(command: str) -> list[str]:
    done = subprocess.run(
        [sys.executable, "-m", "ulnager", *shlex.split(command)],
        capture_output=True,
        text=True,
        check="check" not in command.split()[0],
    )
    return [*done.stdout.splitlines(), *done.stderr.splitlines()]


def _drawn(path: Path, text: list[tuple[str, str]]) -> None:
    """Lines of text as a page of 1280x800, in the type of a terminal."""
    matplotlib.rcParams["font.family"] = "DejaVu Sans Mono"
    lines = [
        (part, colour)
        for line, colour in text
        for part in textwrap.wrap(
            line,
            COLUMNS,
            subsequent_indent="    ",
            drop_whitespace=False,
            replace_whitespace=False,
            break_on_hyphens=False,
        )
        or [""]
    ][:LINES]
    figure = Figure(figsize=(12.8, 8.0), dpi=100, facecolor=PAPER)
    for place, (line, colour) in enumerate(lines):
        figure.text(
            0.025,
            0.955 - place * 0.0222,
            line,
            color=colour,
            size=10.4,
            va="top",
            parse_math=False,
            weight="bold" if colour == PERIOD else "normal",
        )
    figure.text(0.975, 0.02, "demo data, made up throughout", color=FAINT, size=8, ha="right")
    figure.savefig(path, facecolor=PAPER)


if __name__ == "__main__":
    main()
