"""What all pictures have in common: the palette, the sheet with its heading, and writing the file.

The colours differ in lightness as much as in hue, so that they also read in grey and for
colour-blind eyes; nothing is told by colour alone. Sizes are in pixels: a narrow sheet has the same
letters as a wide one, and less room.
"""

from __future__ import annotations

import re
import unicodedata
from pathlib import Path
from textwrap import wrap
from typing import TYPE_CHECKING, Any, Final

from ulnager.core.arguments import shown
from ulnager.core.errors import SettingError, SourceError
from ulnager.core.text import number_text
from ulnager.core.words import ENGLISH, Words
from ulnager.sources.writing import whole_file

if TYPE_CHECKING:
    from matplotlib.figure import Figure
from collections.abc import Sequence
from datetime import date
from itertools import pairwise

from ulnager.core.calendars.calendar import Calendar
from ulnager.core.calendars.zones import date_of
from ulnager.core.errors import ResolveError
from ulnager.core.units import WEEKDAYS, Unit

INK: Final = "#22262b"
FAINT: Final = "#8a9099"
PAPER: Final = "#fbfaf7"
BAND: Final = "#efece4"
PERIOD: Final = "#2f6690"
LIGHT: Final = "#9cc0d8"
WARN: Final = "#b5541c"
# From few rows to many: light to dark.
SCALE: Final = ("#e4edf2", "#b4cfdf", "#7fa9c4", "#4a7fa5", "#1f4e70")

# The same by night, for a page that is read in the dark.
DARK: Final = {
    "ink": "#e8e6e1",
    "faint": "#a0a7b1",
    "paper": "#15181c",
    "band": "#21262c",
    "period": "#7fb3d9",
    "light": "#3d5f7a",
    "warn": "#eb9a63",
}

# Several lines in one chart, by day and by night; they differ in their dashes, too.
SERIES: Final = (
    ("#2f6690", "#7fb3d9"),
    ("#b5541c", "#eb9a63"),
    ("#557a26", "#a8cc74"),
    ("#7a4b94", "#c79be0"),
    ("#0f7a75", "#5fc9c2"),
    ("#8a6a14", "#dcb752"),
    ("#4a4f57", "#c3c9d2"),
)
DASHES: Final[tuple[tuple[float, ...], ...]] = (
    (),
    (7, 3),
    (2, 3),
    (9, 3, 2, 3),
    (4, 2),
    (13, 4),
    (1, 5),
)

SIZE: Final = (1280, 800)
DPI: Final = 100
FORMATS: Final = (".png", ".svg", ".pdf")
_LEAST, _MOST = 320, 8000
_LETTER: Final = 8.7
"""How wide a letter of 11 points is, in pixels."""
_FONTS: Final = {
    "ja": (
        "Noto Sans CJK JP",
        "Noto Sans JP",
        "IPAexGothic",
        "IPAGothic",
        "Hiragino Sans",
        "Yu Gothic",
        "MS Gothic",
        "Noto Serif CJK JP",
    ),
    "ko": ("Noto Sans CJK KR", "Noto Sans KR", "NanumGothic", "Malgun Gothic"),
    "zh": ("Noto Sans CJK SC", "Noto Sans SC", "WenQuanYi Zen Hei", "Microsoft YaHei", "SimHei"),
}
"""What has the signs that the usual font lacks."""
_KEY: Final = 200
"""How much room a sign and what it means take, in pixels."""


def size_of(text: str | tuple[int, int] | None) -> tuple[int, int]:
    """Width and height of ``1280x800``; of a width alone, a height that goes with it.

    Raises SettingError for anything else, or what is too small or large.
    """
    if text is None:
        return SIZE
    if isinstance(text, tuple):
        found = text
    else:
        match = re.fullmatch(r"(\d{1,5})(?:x(\d{1,5}))?", str(text).strip().lower())
        if match is None:
            raise SettingError(f"size is {shown(text)}; give pixels, such as '1280x800' or '400'")
        width = int(match[1])
        found = (width, int(match[2]) if match[2] else max(480, width * 5 // 8))
    if not all(_LEAST <= one <= _MOST for one in found):
        raise SettingError(f"size is {found[0]}x{found[1]}; give {_LEAST} to {_MOST} pixels each")
    return found


class Sheet:
    """A figure with a heading, and the room that is left below it."""

    def __init__(
        self,
        title: str,
        text: str,
        size: str | tuple[int, int] | None = None,
        words: Words = ENGLISH,
    ) -> None:
        from matplotlib.figure import Figure

        self.words = words
        self.width, self.height = size_of(size)
        self.is_narrow = self.width < 700
        self.figure: Figure = Figure(
            figsize=(self.width / DPI, self.height / DPI), dpi=DPI, facecolor=PAPER
        )
        letters = 17 if not self.is_narrow else 13
        self.left = 24
        columns = max(20, int((self.width - 48) / (_LETTER * letters / 11 * 1.04)))
        self.top = 24.0
        for line in wrapped(title, columns)[:3]:
            self._line(line, letters, INK, "bold")
        self.top += 4
        small = 11 if not self.is_narrow else 9.5
        for line in wrapped(text, int((self.width - 48) / (_LETTER * small / 11)))[:5]:
            self._line(line, small, FAINT, "normal")
        self.top += 14

    def _line(self, text: str, size: float, colour: str, weight: str) -> None:
        self.figure.text(
            self.left / self.width,
            1 - self.top / self.height,
            text,
            fontsize=size,
            color=colour,
            weight=weight,
            va="top",
        )
        self.top += size * DPI / 72 * 1.35

    def axes(self, left: float, bottom: float, right: float = 24, top: float | None = None) -> Any:
        """Axes with margins in pixels; the heading is above unless ``top`` says more."""
        top = self.top if top is None else top
        found = self.figure.add_axes(
            (
                left / self.width,
                bottom / self.height,
                max(0.01, 1 - (left + right) / self.width),
                max(0.01, 1 - (bottom + top) / self.height),
            )
        )
        return plain(found, self.words)

    def instead(self, text: str) -> None:
        """A sentence in place of axes."""
        middle = (self.height - self.top) / 2 / self.height
        self.figure.text(0.5, middle, text, fontsize=14, color=INK, ha="center", va="center")

    def key(self, handles: list[Any], columns: int = 6, narrow: int = 2) -> None:
        """What the signs mean, at the bottom."""
        room = narrow if self.is_narrow else min(columns, self.width // _KEY)
        self.figure.legend(
            handles=handles,
            loc="lower left",
            bbox_to_anchor=(12 / self.width, 4 / self.height),
            ncol=room,
            frameon=False,
            labelcolor=INK,
            fontsize=8.5 if self.is_narrow else 10,
            handlelength=1.6,
            columnspacing=1.4,
        )

    def write(self, target: str | Path) -> None:
        """Write it to a file; SourceError when it cannot be written."""
        write_figure(self.figure, target, self.words)


def letters_of(text: str) -> int:
    """How many letters wide a text is; the signs of East Asia are as wide as two."""
    return len(text) + sum(unicodedata.east_asian_width(sign) in "WF" for sign in text)


def wrapped(text: str, columns: int) -> list[str]:
    """Lines of so many letters."""
    return wrap(text, max(20, int(columns * len(text) / max(1, letters_of(text)))))


def cut(text: str, columns: int) -> str:
    """A text of at most so many letters, with a sign where something is left out."""
    if letters_of(text) <= columns:
        return text
    kept = text
    while kept and letters_of(kept) >= columns:
        kept = kept[:-1]
    return f"{kept.rstrip()}…"


def plain(axes: Any, words: Words) -> Any:
    """Axes without a frame, but for a faint line at the bottom."""
    axes.set_facecolor("white")
    for side in ("left", "right", "top"):
        axes.spines[side].set_visible(False)
    axes.spines["bottom"].set_color(FAINT)
    axes.tick_params(length=0, labelsize=9.5, labelcolor=INK)
    axes.yaxis.set_major_formatter(lambda value, _: words.digits(number_text(float(value))))
    return axes


def new_figure() -> Figure:
    """An empty figure of 1280x800."""
    from matplotlib.figure import Figure

    return Figure(figsize=(SIZE[0] / DPI, SIZE[1] / DPI), dpi=DPI, facecolor=PAPER)


def write_figure(figure: Figure, target: str | Path, words: Words = ENGLISH) -> None:
    """Write a figure to a file; SourceError when it cannot be written.

    Raises SettingError where no font here has the signs of the language.
    """
    if Path(target).suffix.lower() not in FORMATS:
        raise SourceError(f"{target}: pictures are written as {', '.join(FORMATS)}")
    set_fonts(figure, words)
    with whole_file(target) as path:
        figure.savefig(path, facecolor=PAPER)


def set_fonts(figure: Figure, words: Words) -> None:
    """Have all words of a figure in fonts that have the signs of the language, and of the data."""
    from matplotlib.text import Text

    texts = figure.findobj(Text)
    families = _families(words, "".join(text.get_text() for text in texts))
    for text in texts:
        text.set_fontfamily(families)


def _families(words: Words, said: str) -> list[str]:
    """The fonts of a picture, the usual one first."""
    language = words.locale.partition("-")[0]
    is_wide = letters_of(said) > len(said)
    if language not in _FONTS and not is_wide:
        return ["DejaVu Sans"]
    from matplotlib.font_manager import fontManager

    there = {font.name for font in fontManager.ttflist}
    wanted = _FONTS.get(language) or [name for names in _FONTS.values() for name in names]
    found = [name for name in wanted if name in there]
    if not found and language in _FONTS:
        raise SettingError(
            f"no font here has the signs of {words.locale!r}; install one of "
            f"{', '.join(_FONTS[language][:3])}, or draw in another language"
        )
    return ["DejaVu Sans", *found[:1]]


_WIDE = 8.2
"""How much room a letter of a label takes, in pixels."""


def calendar_told(calendar: Calendar, words: Words) -> str:
    """A calendar for a person to read."""
    parts = []
    for part in str(calendar).split(", "):
        start, _, day = part.rpartition(" ")
        is_day = day.lower() in WEEKDAYS
        name = words.weekday(WEEKDAYS.index(day.lower())) if is_day else day
        is_from = start in ("weeks from", "years from")
        parts.append(words.say(f"{start} {{0}}", name) if is_from else words.say(part))
    return ", ".join(parts)


def year_of(calendar: Calendar, day: date, unit: Unit) -> str:
    """The year of the unit around a day, as its label says it: 2026 of ``2026-W01``, though that
    begins in December; else the label of the year around the day, and nothing where that stands in
    the unit's own."""
    short, whole = calendar.label(day, unit, short=True), calendar.label(day, unit)
    year = whole.removesuffix(short) if whole.endswith(short) else whole.removeprefix(short)
    year = year.strip(" -")
    if year and year != whole:
        return year
    around = calendar.label(day, Unit.YEAR)
    return "" if around in short and around != short else around


def bucket_labels(buckets: Sequence[Any], calendar: Calendar, width: float) -> list[str]:
    """A short label for each bucket, with the year below the first and where it changes; empty
    where there is no room."""
    short = [bucket.short_label for bucket in buckets]
    years = [bucket_year(calendar, bucket) for bucket in buckets]
    longest = max([*map(len, short), *(len(year) for year in years if year)], default=1)
    step = max(1, -(-len(buckets) // max(1, int(width / (longest * _WIDE)))))
    found = []
    before = ""
    for place, (text, year) in enumerate(zip(short, years, strict=True)):
        if place % step:
            found.append("")
            continue
        found.append(f"{text}\n{year}" if year and year != before and year != text else text)
        before = year or before
    return found


def bucket_year(calendar: Calendar, bucket: Any) -> str:
    """The year that a bucket belongs to, as its labels say it; empty where nobody can tell."""
    start = bucket.unit_start
    day = date(start.year, start.month, start.day)
    try:
        return year_of(calendar, day, bucket.unit)
    except ResolveError:
        return ""


def mark_units(
    axes: Any, calendar: Calendar, first: int, last: int, width: float, words: Words
) -> Unit:
    """Bands and labels of units that there is room for, on an axis of day numbers."""
    known = [
        unit
        for unit in (Unit.DAY, Unit.WEEK, Unit.MONTH, Unit.QUARTER, Unit.YEAR)
        if unit in calendar.units or unit in (Unit.DAY, Unit.WEEK)
    ]
    unit = known[-1]
    for one in known:
        try:
            start = calendar._unit_start(first, one)
            size = calendar._move_start(start, one, 1) - start
            label = calendar.label(date_of(start), one, short=True)
        except ResolveError:
            continue
        if (last - first + 1) / size * (len(label) + 1) * _WIDE <= width:
            unit = one
            break
    edges = [calendar._unit_start(first, unit)]
    while edges[-1] <= last and len(edges) < 4_000:
        edges.append(calendar._move_start(edges[-1], unit, 1))
    ticks, names, before = [], [], ""
    for number, (begin, stop) in enumerate(pairwise(edges)):
        low, high = max(begin, first), min(stop, last + 1)
        if number % 2:
            axes.axvspan(low - 0.5, high - 0.5, color=BAND, zorder=0, linewidth=0)
        text = calendar.label(date_of(begin), unit, short=True)
        text = words.unit(text)
        if (high - low) / (last - first + 1) * width < len(text) * 6.5:
            continue
        year = year_of(calendar, date_of(begin), unit)
        ticks.append((low + high) / 2 - 0.5)
        names.append(f"{text}\n{year}" if year not in ("", before, text) else text)
        before = year
    axes.set_xticks(ticks, names)
    axes.set_xlim(first - 0.5, last + 0.5)
    return unit
