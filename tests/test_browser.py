"""The page in a real browser: Chromium, driven by Selenium."""

import shutil
import socket
import subprocess
import sys
import time
from datetime import date, timedelta
from pathlib import Path

import httpx
import pytest
from selenium import webdriver
from selenium.common.exceptions import WebDriverException
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select, WebDriverWait

from serving import MORE, TODAY, book_in, served

from engines import REQUIRED
from strategies import TIMES

PUTTING = (
    MORE
    + """
[pickers.mine]
choices = [{ key = "build", build = true }, "stepped"]
[periods.stepped]
phrase = "from {first} to {last}"
anchor = "load"
[periods.stepped.inputs]
first = { step = "week", opens = "2026-04-06", min = 2026-03-30 }
last = { only = "business days", opens = "latest" }
[pages.putting]
picker = "mine"
[pages.putting.charts]
people = { source = "sailings", value = "passengers" }
"""
)
AXE = "axe-core@4.14.1"
WIDE, NARROW = (1280, 900), (400, 900)
OPTIONS = ("--headless=new", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage",
           "--disable-background-networking", "--disable-component-update", "--no-first-run",
           "--lang=en-US")  # fmt: skip


@pytest.fixture(scope="module")
def start():
    """Starts browsers, and ends them."""
    if "browser" not in REQUIRED:
        pytest.skip("the browser has to be asked for: ULNAGER_REQUIRE=browser")
    begun = []
    driver = shutil.which("chromedriver")
    assert driver, "there is no chromedriver; install chromium and chromium-driver"

    def begin(*, script=True):
        options = webdriver.ChromeOptions()
        for one in OPTIONS:
            options.add_argument(one)
        options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
        if not script:
            options.add_experimental_option(
                "prefs", {"profile.managed_default_content_settings.javascript": 2}
            )
        browser = webdriver.Chrome(options=options, service=Service(driver))
        begun.append(browser)
        return browser

    yield begin
    for one in begun:
        one.quit()


@pytest.fixture(scope="module")
def one(start):
    return Page(start())


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    return tmp_path_factory.mktemp("browsed")


@pytest.fixture(scope="module")
def address(folder):
    with served(book_in(folder, PUTTING)) as (found, _):
        yield found


@pytest.fixture
def page(one, address):
    """The operations page, opened afresh on a wide screen by day."""
    one.address = address
    one.sized(*WIDE)
    one.by_night(False)
    one.open("/pages/operations")
    yield one
    assert one.wrongs() == []


class Page:
    """The page as a viewer sees and works it."""

    def __init__(self, browser, address=""):
        self.browser, self.address = browser, address

    def open(self, path):
        self.browser.get(self.address + path)

    def sized(self, width, height):
        told = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 600}
        self.browser.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", told)

    def by_night(self, dark):
        told = [{"name": "prefers-color-scheme", "value": "dark" if dark else "light"}]
        self.browser.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": told})

    def settled(self):
        """Waits until what was asked for is shown."""
        busy = "return document.readyState != 'complete' || document.body.className == 'busy'"
        WebDriverWait(self.browser, 60, 0.03).until(lambda _: not self.browser.execute_script(busy))

    def find(self, selector):
        self.settled()
        return self.browser.find_element(By.CSS_SELECTOR, selector)

    def all(self, selector):
        self.settled()
        return self.browser.find_elements(By.CSS_SELECTOR, selector)

    def text(self, selector):
        return self.find(selector).text

    @property
    def dates(self):
        return self.text(".dates strong")

    def until(self, wanted):
        """Waits for the dates, or for what a function gives."""
        told = wanted if callable(wanted) else lambda: self.dates == wanted
        try:
            wait = WebDriverWait(self.browser, 60, 0.05, ignored_exceptions=[WebDriverException])
            wait.until(lambda _: told())
        except WebDriverException:
            raise AssertionError((self.dates, self.text("main")[:600])) from None

    def unfold(self, picker="dates"):
        """Shows the choices, where they are folded."""
        if not self.all(f"#{picker}-choices[open]") and self.all(f"#{picker}-choices"):
            self.find(f"#{picker}-choices summary").click()

    def choose(self, key, picker="dates"):
        self.unfold(picker)
        self.find(f"label:has(#{picker}-{key})").click()

    def type(self, name, text):
        field = self.find(f"[name='{name}']:not([type=hidden])")
        field.send_keys(Keys.CONTROL + "a")
        field.send_keys(text)

    def date(self, name, day, end=Keys.ENTER):
        """A day typed into a native field."""
        self.find(f"[name='{name}']").send_keys(f"{day:%m%d%Y}{end}")

    def wrongs(self):
        """What the browser's console says of errors, a strict policy's refusals among them."""
        return [one["message"] for one in self.browser.get_log("browser")
                if one["level"] == "SEVERE"]  # fmt: skip

    def violations(self, script):
        self.browser.execute_script(script)
        return self.browser.execute_async_script(
            "const done = arguments[0]; axe.run().then(r => done(r.violations.map("
            "v => [v.id, v.nodes.map(n => n.html.slice(0, 120))])));"
        )


@pytest.fixture(scope="module")
def axe(tmp_path_factory):
    """The script of axe-core, from the npm registry."""
    npm, into = shutil.which("npm"), tmp_path_factory.mktemp("axe")
    assert npm, "there is no npm"
    subprocess.run([npm, "pack", "-s", AXE], cwd=into, capture_output=True, check=True)
    (found,) = into.glob("*.tgz")
    shutil.unpack_archive(found, into)
    return (into / "package" / "axe.min.js").read_text()


def test_opened(page):
    assert page.dates == "1 to 16 May 2026"
    assert (
        page.text("#chart-passengers + p .governs")
        == "follows Dates, which opened with Month so far"
    )
    page.unfold()
    assert len(page.all(".choices li label")) == 6
    assert "11 to 16 May 2026" in page.text(".choices")
    told = page.find("svg.ruler").get_attribute("aria-label")
    assert told.startswith("1 to 16 May 2026, 16 days; anchor 2026-05-16")
    assert "data ends 2026-05-17" in told
    assert len(page.all("#chart-passengers ~ .panels figure .bar")) == 16
    assert len(page.all("#chart-harbours ~ .panels figure")) == 0
    assert page.find("#dates-later").get_attribute("href") is None


def test_choosing_typing_and_going_back(page):
    page.choose("recent")
    page.until("17 Apr to 16 May 2026")
    page.type("dates.recent.n", "14" + Keys.ENTER)
    page.until("3 to 16 May 2026")
    assert "Last 14 days" in page.text(".choices .chosen")
    assert page.text("#chart-passengers + p .governs").endswith(
        "chosen by the viewer: last 14 days"
    )
    assert page.text("#chart-year_before + p strong") == "3 to 16 May 2025"
    Select(page.find("[name='dates.by']")).select_by_value("week")
    page.until(lambda: len(page.all("#chart-passengers ~ .panels figure .bar")) == 3)
    page.choose("week_so_far")
    page.until("11 to 16 May 2026")
    page.choose("recent")
    page.until("3 to 16 May 2026")
    page.browser.back()
    page.until("11 to 16 May 2026")
    page.browser.back()
    page.until("3 to 16 May 2026")
    page.browser.forward()
    page.until("11 to 16 May 2026")
    assert page.find("#dates-week_so_far").is_selected()
    page.browser.refresh()
    page.until("11 to 16 May 2026")


def test_a_switch_and_as_it_opened(page):
    page.find("[type=checkbox][name='dates.no_last_day']").click()
    page.until("1 to 15 May 2026")
    page.find("[type=checkbox][name='dates.no_last_day']").click()
    page.until("1 to 16 May 2026")
    page.choose("quarter")
    page.until("1 Feb to 30 Apr 2026")
    page.find("button[value='reset.dates']").click()
    page.until("1 to 16 May 2026")
    assert page.text("#chart-passengers + p .governs").endswith("opened with Month so far")


def test_dates_of_ones_own_and_several_ranges(page):
    page.choose("own")
    page.until("1 to 17 May 2026")
    page.date("dates.own.first", date(2026, 3, 1), end="")
    page.find("h1").click()
    page.until("1 Mar to 17 May 2026")
    page.date("dates.own.last", date(2026, 3, 10))
    page.until("1 to 10 Mar 2026")
    page.find("button[value='add.dates']").click()
    page.until(lambda: page.all("[name='dates.own.first.2']"))
    page.date("dates.own.first.2", date(2026, 4, 1))
    page.date("dates.own.last.2", date(2026, 4, 5))
    page.until("1 to 10 Mar 2026, 1 to 5 Apr 2026")
    assert len(page.all("svg.ruler .chosen")) == 2
    page.find("button[value='drop.dates.2']").click()
    page.until("1 to 10 Mar 2026")
    # The wrong way round: told, with no dates, and nothing is drawn for it.
    page.date("dates.own.first", date(2026, 3, 20))
    page.until("no dates")
    assert "2026-03-10" in page.text("[role=alert]")
    assert page.all("#chart-passengers ~ .panels figure") == []
    assert page.all("#chart-this_year ~ .panels figure")
    assert (
        page.find("[name='dates.own.first']").get_attribute("aria-invalid") == "true"
        or page.find("[name='dates.own.last']").get_attribute("aria-invalid") == "true"
    )


def test_the_ends_of_the_ruler_move(page):
    """With the arrow keys, within bounds; dragged; and a unit is picked by its name."""
    page.choose("own")
    page.until("1 to 17 May 2026")
    end = page.find("#dates-own-last-end")
    assert (end.get_attribute("role"), end.get_attribute("aria-label")) == ("slider", "To")
    assert end.get_attribute("aria-valuetext") == "May 17, 2026"
    end.send_keys(Keys.ARROW_LEFT + Keys.ARROW_LEFT + Keys.ARROW_LEFT + Keys.ARROW_RIGHT)
    page.until("1 to 15 May 2026")
    active = page.browser.switch_to.active_element
    assert active.get_attribute("id") == "dates-own-last-end"
    active.send_keys(Keys.END)
    page.until("1 to 17 May 2026")
    begin = page.find("#dates-own-first-end")
    webdriver.ActionChains(page.browser).drag_and_drop_by_offset(begin, -90, 0).perform()
    page.until(lambda: "Apr to 17 May 2026" in page.dates)
    named = page.all("text.named[data-day]")[3]
    day = named.get_attribute("data-day")
    named.click()
    page.until(lambda: page.find("[name='dates.own.first']").get_attribute("value") == day)


def test_ends_move_by_their_steps_and_a_sentence_follows_what_is_typed(page, axe):
    page.open("/pages/putting?mine=stepped")
    page.until("6 Apr to 15 May 2026")
    page.find("#mine-stepped-first-end").send_keys(Keys.ARROW_RIGHT)
    page.until("13 Apr to 15 May 2026")
    page.browser.switch_to.active_element.send_keys(Keys.PAGE_UP)
    page.until("20 Apr to 15 May 2026")
    page.find("#mine-stepped-last-end").send_keys(Keys.ARROW_LEFT * 5)
    page.until("20 Apr to 8 May 2026")
    page.open("/pages/putting")
    page.until("20 Apr to 17 May 2026")
    page.find("[name='mine.build.n']").send_keys(Keys.BACKSPACE + "2")
    page.until("4 to 17 May 2026")
    page.find("[name='mine.build.side']").send_keys("next")
    page.until("25 May to 7 Jun 2026")
    labels = [one.text for one in page.all("[name='mine.build.how'] option")]
    assert sum("(not with: next)" in one for one in labels) == 2
    assert page.violations(axe) == []


def test_weeks_from_the_list(page):
    page.choose("crew_weeks")
    page.until("11 to 17 May 2026")
    page.find("input[value='2026-W14']").click()
    page.until("30 Mar to 5 Apr 2026, 11 to 17 May 2026")
    page.find("input[value='2026-W20']").click()
    page.until("30 Mar to 5 Apr 2026")
    page.find("input[value='2026-03']").click()
    page.until("1 Mar to 5 Apr 2026")


def test_problems_keep_what_was_typed(page):
    page.choose("recent")
    page.until("17 Apr to 16 May 2026")
    for wrong in ("900", "many", "3 days plus last 900"):
        page.type("dates.recent.n", wrong + Keys.ENTER)
        page.until(lambda: page.dates == "no dates")
        field = page.find("[name='dates.recent.n']")
        assert field.get_attribute("value") == wrong
        told = page.find(f"#{field.get_attribute('aria-describedby').split()[-1]}").text
        assert "whole number" in told or "90" in told
    page.type("dates.recent.n", "7" + Keys.ENTER)
    page.until("10 to 16 May 2026")


def test_a_link_copied_and_opened(page, address):
    page.choose("recent")
    page.until("17 Apr to 16 May 2026")
    page.type("dates.recent.n", "10" + Keys.ENTER)
    page.until("7 to 16 May 2026")
    page.find("button[data-of=link]").click()
    page.until(lambda: page.text("#copied") == "Copied.")
    moving = page.find("#link").get_attribute("value")
    frozen = page.find("#frozen").get_attribute("value")
    assert moving == f"{address}/pages/operations?dates=recent&dates.recent.n=10"
    page.browser.get(moving)
    assert page.dates == "7 to 16 May 2026"
    assert "set by the link" in page.text("#chart-passengers + p")
    page.browser.get(frozen)
    assert page.dates == "7 to 16 May 2026"
    page.unfold()
    assert "fixed" in page.text(".choices .chosen")
    page.open("/pages/operations?dates=nothing&dates.foo=1")
    assert page.dates == "1 to 16 May 2026"
    assert page.all(".note")


def test_steps_and_playing(page):
    page.find("#dates-earlier").click()
    page.until("1 to 16 Apr 2026")
    assert "chosen by the viewer" in page.text("#chart-passengers + p")
    # Fixed dates step by their own length.
    page.find("#dates-later").click()
    page.until("17 Apr to 2 May 2026")
    page.open("/pages/operations?dates=2025-12-01/2025-12-31")
    Select(page.find("#pace")).select_by_value("500")
    page.find("#play").click()
    page.until(lambda: page.dates not in ("1 to 31 Dec 2025", "no dates"))
    page.until(lambda: page.find("#stop").is_enabled())
    page.find("#stop").click()
    page.until(lambda: page.text("#played") == "Stopped.")
    stopped = page.dates
    time.sleep(0.8)
    assert page.dates == stopped
    page.find("#play").click()
    page.until(lambda: page.text("#played") == "The end of the data.")
    assert "May 2026" in page.dates


def test_a_locked_picker(page):
    page.open("/pages/locked?fixed=week_so_far")
    assert page.dates == "1 Feb to 30 Apr 2026"
    assert page.all(".choices, .steps, form input:not([type=hidden])") == []
    assert "the dates are fixed here" in page.text("main")
    assert "fixed to" in page.text("#chart-crossings + p")
    assert page.all("#picker-hidden") == []
    assert page.text("#chart-week + p strong") == "11 to 16 May 2026"


def test_two_pickers_on_a_page(page):
    page.open("/pages/two")
    assert page.text("h1") == "Two <b>pickers</b>"
    page.choose("all_sailings", "repairs")
    page.until(lambda: "all dates" in page.text("#chart-repairs + p"))
    assert page.find("#repairs-all_sailings").is_selected()
    page.find("#dates-earlier").click()
    page.until("1 to 16 Apr 2026")
    assert page.find("#repairs-all_sailings").is_selected()
    assert len(page.all("#chart-routes ~ .panels figure")) == 3
    assert page.all("#chart-running ~ .panels path.firm")
    assert "more than 60" in page.text("main")


def test_without_any_script(start, address, page):
    plain = Page(start(script=False), address)
    plain.open("/pages/operations")
    assert plain.find(".play").is_displayed() is False
    plain.choose("recent")
    assert plain.dates == "1 to 16 May 2026"
    plain.find("button.show").click()
    plain.until("17 Apr to 16 May 2026")
    plain.type("dates.recent.n", "14")
    plain.find("button.show").click()
    plain.until("3 to 16 May 2026")
    plain.find("#dates-earlier").click()
    plain.until("19 Apr to 2 May 2026")
    plain.choose("own")
    plain.find("button.show").click()
    plain.until("1 to 17 May 2026")
    plain.find("button[value='add.dates']").click()
    plain.until(lambda: plain.all("[name='dates.own.last.2']"))
    plain.browser.back()
    plain.until(lambda: not plain.all("[name='dates.own.last.2']"))
    plain.choose("crew_weeks")
    plain.find("button.show").click()
    plain.until("11 to 17 May 2026")
    plain.find("input[value='2026-W14']").click()
    plain.find("button.show").click()
    plain.until("30 Mar to 5 Apr 2026, 11 to 17 May 2026")
    assert plain.wrongs() == []


def test_with_the_keyboard_only(page):
    """Tab to the choices, which Enter unfolds, arrows among them, Tab to the number, Enter."""
    reached = []
    for _ in range(12):
        webdriver.ActionChains(page.browser).send_keys(Keys.TAB).perform()
        active = page.browser.switch_to.active_element
        reached.append(active.get_attribute("id"))
        if "choose another" in active.text:
            active.send_keys(Keys.ENTER)
        if reached[-1] == "dates-month_so_far":
            break
    assert reached[-1] == "dates-month_so_far"
    webdriver.ActionChains(page.browser).send_keys(Keys.ARROW_DOWN).perform()
    page.until("17 Apr to 16 May 2026")
    assert page.browser.switch_to.active_element.get_attribute("id") == "dates-recent"
    for _ in range(4):
        webdriver.ActionChains(page.browser).send_keys(Keys.TAB).perform()
        if page.browser.switch_to.active_element.get_attribute("name") == "dates.recent.n":
            break
    keys = webdriver.ActionChains(page.browser).key_down(Keys.CONTROL).send_keys("a")
    keys.key_up(Keys.CONTROL).send_keys("7").send_keys(Keys.ENTER).perform()
    page.until("10 to 16 May 2026")
    assert page.browser.switch_to.active_element.get_attribute("name") == "dates.recent.n"
    outline = page.browser.execute_script(
        "return getComputedStyle(document.activeElement).outlineStyle"
    )
    assert outline == "solid"


def test_new_data_under_an_untouched_form(folder, page):
    sailings = Path(folder) / "sailings.csv"
    before = sailings.read_text()
    last = [line for line in before.splitlines() if line.startswith("2026-05-15")]
    try:
        with sailings.open("a") as more:
            for n in (17, 18):
                more.write(
                    "\n".join(one.replace("2026-05-15", f"2026-05-{n}") for one in last) + "\n"
                )
        page.find("button.show").click()
        page.until("1 to 18 May 2026")
        assert "opened with Month so far" in page.text("#chart-passengers + p")
        # What was typed stays, and is measured from the new day.
        page.choose("recent")
        page.until("19 Apr to 18 May 2026")
    finally:
        sailings.write_text(before)
    page.find("button.show").click()
    page.until("17 Apr to 16 May 2026")


@pytest.mark.parametrize("dark", [False, True])
@pytest.mark.parametrize("size", [WIDE, NARROW])
def test_accessible_wide_narrow_by_day_and_by_night(page, axe, size, dark):
    page.sized(*size)
    page.by_night(dark)
    paths = ["", "?dates=own&dates.own.first=2026-13-01&dates.own.last.2=2026-04-01",
             "?dates=crew_weeks&dates.crew_weeks.weeks=2026-W14",
             "?dates=2026-03-01/2026-04-30"]  # fmt: skip
    every = ["/", *(f"/pages/operations{one}" for one in paths), "/pages/locked", "/pages/two",
             "/pages/routes?dates.compare=1+year+earlier", "/pages/routes?route=x", "/try",
             "/try?phrase=last+3+months"]  # fmt: skip
    # By night it is the colours that are others.
    if TIMES <= 1 and (dark or size == NARROW):
        every = every[dark::2]
    for path in every:
        page.open(path)
        wide = page.browser.execute_script("return document.documentElement.scrollWidth")
        assert wide <= size[0], (path, wide)
        for fold in page.all("summary"):
            fold.click()
        assert page.violations(axe) == [], path
    colour = page.browser.execute_script("return getComputedStyle(document.body).backgroundColor")
    assert (sum(map(int, colour[4:-1].split(","))) < 200) is dark
    page.open("/pages/operations")
    page.unfold()
    brief = page.find(".choices .brief").is_displayed()
    assert brief is (size == NARROW)


def test_in_another_language(page, axe):
    page.open("/pages/operations?locale=de")
    assert page.dates == "1.–16. Mai 2026"
    page.choose("recent")
    page.until("17. Apr. – 16. Mai 2026".replace(" – ", "\u2009–\u2009"))
    page.type("dates.recent.n", "900" + Keys.ENTER)
    page.until("kein Zeitraum")
    assert "bitte eine Zahl von 1 bis 90" in page.text("[role=alert]")
    page.type("dates.recent.n", "7" + Keys.ENTER)
    page.until("10.–16. Mai 2026")
    page.find("#dates-earlier").click()
    page.until("3.–9. Mai 2026")
    assert page.find("html").get_attribute("lang") == "de"
    assert page.violations(axe) == []


def test_nothing_is_asked_of_another_origin(page, address):
    page.browser.get_log("performance")
    page.open("/pages/operations")
    page.choose("quarter")
    page.until("1 Feb to 30 Apr 2026")
    asked = [one["message"] for one in page.browser.get_log("performance")
             if '"Network.requestWillBeSent"' in one["message"]]  # fmt: skip
    urls = [one.split('"url":"')[1].split('"')[0] for one in asked]
    assert len(urls) >= 3
    assert all(url.startswith((address, "data:")) for url in urls), urls
    policy = httpx.get(f"{address}/pages/operations").headers["content-security-policy"]
    assert "unsafe" not in policy
    assert "default-src 'none'" in policy
    # Nothing that is put into the page runs or is fetched.
    page.browser.execute_script(
        "const s = document.createElement('script'); s.textContent = 'window.ran = 1';"
        "document.body.append(s); const i = new Image(); i.src = 'http://127.0.0.2:9/x.png';"
    )
    assert page.browser.execute_script("return window.ran") is None
    time.sleep(0.2)
    assert len(page.wrongs()) == 2


def test_another_day_stays_in_the_form(page):
    day = date.fromisoformat("2026-05-20") - timedelta(days=30)
    page.open(f"/pages/operations?today={day}")
    assert page.text(".now").startswith("20 Apr 2026")
    page.choose("recent")
    page.until(lambda: page.find("#dates-recent").is_selected())
    assert page.text(".now").startswith("20 Apr 2026")


IN_STREAMLIT = """
import streamlit as st
import ulnager
view = ulnager.bind.streamlit(ulnager.read_book("demo:ferries").picker("dates"), today="TODAY")
st.markdown("## " + ("no dates" if view.resolution is None else view.resolution.label))
"""
IN_DASH = """
import sys
import ulnager
from dash import Dash, Input, Output, html
app = Dash(__name__)
fields = ulnager.bind.dash(ulnager.read_book("demo:ferries").picker("dates"), app, today="TODAY")
app.layout = html.Div([fields.layout, html.H2("", id="told")])
@app.callback(Output("told", "children"), Input(fields.store, "data"))
def told(data):
    view = fields.read(data)
    return "no dates" if view.resolution is None else view.resolution.label
app.run(port=int(sys.argv[1]))
"""


@pytest.fixture(params=["streamlit", "dash"])
def framework(request, tmp_path):
    """A framework's own server with the demo's picker in it, and its address."""
    pytest.importorskip(request.param)
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = str(free.getsockname()[1])
    app = tmp_path / "app.py"
    text = IN_STREAMLIT if request.param == "streamlit" else IN_DASH
    app.write_text(text.replace("TODAY", TODAY))
    args = [str(app), port]
    if request.param == "streamlit":
        args = ["-m", "streamlit", "run", str(app), "--server.headless=true", "--server.port", port,
                "--browser.gatherUsageStats=false"]  # fmt: skip
    with subprocess.Popen([sys.executable, *args], stdout=subprocess.DEVNULL,
                          stderr=subprocess.DEVNULL) as process:  # fmt: skip
        yield f"http://127.0.0.1:{port}/"
        process.kill()


def test_in_frameworks(one, framework):
    """Choosing, typing, going back, the address as a link, and opening anew."""
    browser = one.browser

    def until(does, *given):
        """Tries until it is done: these frameworks draw what they show more than once."""
        wait = WebDriverWait(browser, 90, 0.1, ignored_exceptions=[WebDriverException])
        wait.until(lambda _: does(*given) is not False, (given, browser.current_url))

    def shown(wanted):
        heads = browser.find_elements(By.CSS_SELECTOR, "h2, #told")
        return wanted in [head.text for head in heads]

    def choose(label):
        browser.find_element(By.XPATH, f"//label[contains(., '{label}')]").click()

    def number(text):
        (field,) = browser.find_elements(By.CSS_SELECTOR, "input[type=number]")
        field.send_keys(Keys.CONTROL + "a")
        field.send_keys(text + Keys.ENTER)

    one.sized(*WIDE)
    until(browser.get, framework)
    until(shown, "1 to 16 May 2026")
    until(choose, "Last 30 days")
    until(shown, "17 Apr to 16 May 2026")
    until(number, "14")
    until(shown, "3 to 16 May 2026")
    until(lambda: "dates.recent.n=14" in browser.current_url)
    link = browser.current_url
    until(choose, "Week so far")
    until(shown, "11 to 16 May 2026")
    until(choose, "Last 14 days")  # What was typed there is there again.
    until(shown, "3 to 16 May 2026")
    until(browser.get, framework)
    until(shown, "1 to 16 May 2026")
    until(browser.get, link)
    until(shown, "3 to 16 May 2026")
    one.browser.get("about:blank")
    one.wrongs()
