"""The form of a CSV file: what parts its fields, its header, its encoding, and what does not fit.

A file is read as its first line says. What does not fit is named with its line, and never left out
in silence.
"""

from __future__ import annotations

import codecs
import csv
import gzip
import io
import itertools
import os
import re
import sys
import tempfile
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any, Final

from ulnager.core.errors import SourceError
from ulnager.core.text import visible
from ulnager.sources.guard import own_folder

DELIMITERS: Final = (",", ";", "\t", "|")
ENCODINGS: Final = ("utf-8", "latin-1", "utf-16")
_SAMPLE: Final = 1 << 18
_LINES: Final = 100
_NUMBER: Final = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?")
# A field may be as long as a file; the default stops at 128 KiB.
csv.field_size_limit(min(sys.maxsize, 2**31 - 1))


@dataclass(frozen=True)
class CsvSettings:
    """What a person says of a CSV file; None for what the file shows by itself.

    Raises SettingError for a delimiter that is not one character, an unknown encoding, or a sign
    that numbers have no decimals behind.
    """

    delimiter: str | None = None
    header: bool | None = None
    encoding: str | None = None
    decimal: str | None = None

    def __post_init__(self) -> None:
        from ulnager.core.errors import SettingError

        if self.delimiter is not None and (
            not isinstance(self.delimiter, str)
            or len(self.delimiter) != 1
            or self.delimiter in '"\r\n'
        ):
            raise SettingError(
                f"delimiter is {self.delimiter!r}; give one character, such as ';' or a tab"
            )
        if self.decimal not in (None, ",", "."):
            raise SettingError(f"decimal is {self.decimal!r}; write ',' or '.'")
        if self.encoding is not None:
            object.__setattr__(self, "encoding", _named_encoding(self.encoding))


@dataclass(frozen=True)
class CsvForm:
    """How a CSV file is read: ``names`` are its columns in order, ``skipped`` the lines before
    them, which are empty, begin with ``#`` or name the delimiter."""

    delimiter: str
    header: bool
    encoding: str
    names: tuple[str, ...]
    skipped: int = 0


def form_of(path: str, settings: CsvSettings, at: str | None = None) -> CsvForm:
    """The form of a file, by its first lines and by what is said of it; ``at`` is where it lies, if
    that is not ``path``.

    Raises SourceError for another encoding, a file without a header where it might have one, and
    for lines that do not fit.
    """
    at = at or path
    sample = _sample(path, at)
    encoding = _encoding(path, sample, settings.encoding, at)
    text = sample.decode("utf-8-sig" if encoding == "utf-8" else encoding, errors="replace")
    skipped, named, text = _begun(text)
    delimiter = settings.delimiter or named or _delimiter(text)
    records = _records(text, delimiter)
    if not records:
        raise SourceError(f"{path} is empty: it has no header and no rows")
    header = settings.header
    if delimiter == "," and settings.delimiter is None and len(records[0]) == 1:
        _check_title(path, text, skipped)
    if header is None:
        _check_header(path, records)
        header = True
    first = records[0]
    names = _names(first) if header else tuple(f"column{n}" for n in range(len(first)))
    return CsvForm(delimiter, header, encoding, names, skipped)


_NAMES_DELIMITER: Final = re.compile(r'"?sep=(.)"?', re.IGNORECASE)


def _begun(text: str) -> tuple[int, str, str]:
    """How many lines stand before the first record, the delimiter that one of them names, as
    spreadsheets write it, and the text from there on."""
    lines = text.splitlines(keepends=True)
    named, skipped = "", 0
    for line in lines:
        said = _NAMES_DELIMITER.fullmatch(line.strip("\r\n"))
        if line.strip() and (said is None or named):
            break
        named = said[1] if said else named
        skipped += 1
    skipped += _noted(lines[skipped:])
    return skipped, named, "".join(lines[skipped:])


def _noted(lines: list[str]) -> int:
    """How many lines that begin with ``#``, or are empty, stand before a header; one with as many
    fields as the values behind it is the header itself."""
    noted = list(itertools.takewhile(lambda line: line.startswith("#") or not line.strip(), lines))
    behind = lines[len(noted)] if len(noted) < len(lines) else ""
    signs = [sign for sign in DELIMITERS if sign in behind]
    if not noted or not signs:
        return 0
    last = max(place for place, line in enumerate(noted) if line.strip())
    is_of_values = re.search(rf"(^|[{''.join(signs)}])\s*[+-]?\d", behind) is not None
    if is_of_values and any(noted[last].count(sign) == behind.count(sign) for sign in signs):
        return last
    return len(noted)


def _check_title(path: str, text: str, skipped: int) -> None:
    """SourceError for a file that has another line before its header."""
    for delimiter in DELIMITERS:
        counts = [len(record) for record in _records(text, delimiter)]
        usual, often = Counter(counts).most_common(1)[0]
        if usual > 1 and len(counts) > 2 and often * 10 > len(counts) * 7:
            first = visible(text.splitlines()[0])[:40]
            raise SourceError(
                f"{path}, line {skipped + 1}: {first!r} is no header: it holds 1 field, and most "
                f"lines hold {usual}; take away what stands before the header"
            )


def check_records(path: str, form: CsvForm, at: str | None = None) -> None:
    """SourceError for the first record of a file that does not fit its form.

    The whole file is read, so this is for a file that is known to be wrong.
    """
    expected = len(form.names)
    ends: dict[str, int] = {}
    encoding = "utf-8-sig" if form.encoding == "utf-8" else form.encoding
    line = 1 + form.skipped
    try:
        with (
            _opened(at or path) as raw,
            io.TextIOWrapper(raw, encoding=encoding, newline="") as lines,
        ):
            told = itertools.islice(_whole(lines, ends), form.skipped, None)
            reader = csv.reader(told, delimiter=form.delimiter, strict=True)
            for record in reader:
                begun, line = line, form.skipped + reader.line_num + 1
                if record and len(record) != expected:
                    raise _unfit(path, begun, record, expected, reader)
        if len(ends) > 1:
            raise SourceError(
                f"{path}, line {max(ends.values())}: from there on lines end in another way than "
                "before (with and without a carriage return); write the file anew with one of them"
            )
    except UnicodeDecodeError:
        raise SourceError(_undecodable(path, form.encoding, at or path)) from None
    except csv.Error as error:
        what = "a quote is opened and never closed" if "end of data" in str(error) else str(error)
        raise SourceError(f"{path}, line {line}: {what}") from None
    except OSError as error:
        raise SourceError(f"{path} cannot be read: {error.strerror or error}") from None


def _whole(lines: io.TextIOWrapper, ends: dict[str, int]) -> Iterator[str]:
    """Lines as they are read, and where each way to end one is first met."""
    for number, line in enumerate(lines, 1):
        if line.endswith("\n"):
            ends.setdefault(line[-2:] if line.endswith("\r\n") else "\n", number)
        yield line.replace("\0", "")


def _unfit(path: str, line: int, record: list[str], expected: int, reader: Any) -> SourceError:
    held = visible(reader.dialect.delimiter.join(record))
    held = held if len(held) <= 60 else f"{held[:60]}…"
    count = f"{len(record)} field{'s' * (len(record) != 1)}"
    is_last = next(reader, None) is None
    if is_last and len(record) < expected:
        what = f"the last line, {line}, breaks off: it holds {count}, '{held}'"
    else:
        what = f"line {line} holds {count}, '{held}'"
    return SourceError(
        f"{path}: {what}, and the first line has {expected}; mend the file, or name what parts "
        "its fields with --delimiter (delimiter=)"
    )


def _sample(path: str, at: str) -> bytes:
    try:
        with _opened(at) as raw:
            found: bytes = raw.read(_SAMPLE)
            return found
    except (OSError, EOFError) as error:
        said = getattr(error, "strerror", None) or error
        raise SourceError(f"{path} cannot be read: {said}") from None


def _opened(path: str) -> Any:
    return gzip.open(path) if path.lower().endswith(".gz") else open(path, "rb")  # noqa: PTH123


def _named_encoding(name: object) -> str:
    """An encoding as it is called here; SettingError for none that Python knows."""
    from ulnager.core.errors import SettingError

    try:
        known = codecs.lookup(name) if isinstance(name, str) else None
    except (LookupError, ValueError):
        known = None
    if known is None or not getattr(known, "_is_text_encoding", True):
        raise SettingError(
            f"encoding is {name!r}; give one that Python knows, such as utf-8, latin-1, cp1252, "
            "utf-16 or shift_jis"
        )
    if known.name in ("utf-8", "utf-8-sig"):
        return "utf-8"
    return "latin-1" if known.name == "iso8859-1" else known.name


def transcoded(path: str, at: str, encoding: str) -> str:
    """A copy of a file in UTF-8, which is gone when the process ends, for what the engine cannot
    read; SourceError, with the line, for what is not in the encoding."""
    handle, made = tempfile.mkstemp(suffix=".csv", dir=own_folder())
    try:
        with (
            _opened(at) as raw,
            io.TextIOWrapper(raw, encoding=encoding, newline="") as lines,
            os.fdopen(handle, "w", encoding="utf-8", newline="") as copy,
        ):
            while block := lines.read(_SAMPLE):
                copy.write(block)
    except (UnicodeDecodeError, UnicodeError):
        raise SourceError(_undecodable(path, encoding, at)) from None
    return made


_LIKELY: Final = ("cp1252", "cp1250", "cp1251", "shift_jis", "gb18030", "euc_kr")


def _fitting(line: bytes, start: int) -> str:
    """The encodings that a line may be in, each with what it says there."""
    # Bytes from 0x80 on are controls in Latin-1, which nobody types; 0x80 is Windows' euro sign.
    has_controls = any(0x80 <= byte <= 0x9F for byte in line)
    names: tuple[str, ...] = _LIKELY if has_controls else ("latin-1", *_LIKELY[1:])
    if not has_controls and 0xA4 in line:
        names = ("iso8859-15", *names)  # There it is the euro sign, and nobody types a ¤.
    told: list[str] = []
    seen = set()
    for name in names:
        try:
            said = line.decode(name)
        except UnicodeDecodeError:
            continue
        at = len(line[:start].decode(name, errors="ignore"))
        near = said[max(0, at - 8) : at + 8].strip()
        if near.isprintable() and near not in seen:
            told.append(f"{near!r} in {name}")
            seen.add(near)
        if len(told) == 4:
            break
    if not told:
        return ""
    first = told[0].rpartition(" ")[2]
    look = "Latin-1" if first == "latin-1" else first
    others = f" (it reads {', '.join(told)})"
    return f"; it looks like {look}: say so with --encoding {first} (encoding={first!r}){others}"


def _encoding(path: str, sample: bytes, given: str | None, at: str) -> str:
    if given is not None:
        return given
    if sample.startswith((b"\xff\xfe", b"\xfe\xff")) or b"\0" in sample[:2_000]:
        begun = sample[:2_000]
        if begun.count(b"\0") * 5 > len(begun) or begun[:1] in (b"\xff", b"\xfe"):
            raise SourceError(
                f"{path}, line 1: this is UTF-16, not UTF-8; say so with --encoding utf-16 "
                "(encoding='utf-16')"
            )
        raise SourceError(f"{path} is no text: it holds bytes of zero")
    try:
        sample.decode("utf-8")
    except UnicodeDecodeError as error:
        # The sample may end inside a character.
        if error.start < len(sample) - 4 or len(sample) < _SAMPLE:
            raise SourceError(_undecodable(path, "utf-8", at)) from None
    return "utf-8"


def _undecodable(path: str, encoding: str, at: str) -> str:
    """Which line of a file is not in the encoding."""
    with _opened(at) as raw:
        for number, line in enumerate(raw, 1):
            try:
                line.decode(encoding)
            except UnicodeDecodeError as error:
                byte = line[error.start]
                guess = _fitting(line, error.start) if encoding == "utf-8" else ""
                return f"{path}, line {number}: byte 0x{byte:02X} is not {encoding.upper()}{guess}"
    return f"{path} is not {encoding.upper()}"


def _records(text: str, delimiter: str, most: int = _LINES) -> list[list[str]]:
    """The first records; a last one that the sample may have cut is left out."""
    lines = text.splitlines(keepends=True)
    if len(text) >= _SAMPLE // 4 and len(lines) > 1:
        lines.pop()
    found: list[list[str]] = []
    try:
        for record in csv.reader(iter(lines), delimiter=delimiter):
            if record:
                found.append(record)
            if len(found) == most:
                break
    except csv.Error:
        pass
    return found


def _delimiter(text: str) -> str:
    """What parts the fields: that by which the most lines have as many as the first, and of
    several the one by which most are fields, and most of these numbers and dates."""
    parted = {delimiter: _records(text, delimiter) for delimiter in DELIMITERS}
    fitting = [delimiter for delimiter, found in parted.items() if found and len(found[0]) > 1]
    if len(fitting) < 2:
        return fitting[0] if fitting else ","

    def score(delimiter: str) -> tuple[int, int, int]:
        records = parted[delimiter]
        fields = len(records[0])
        typed = sum(bool(_sort(field)) for record in records[1:20] for field in record[:50])
        return sum(len(record) == fields for record in records), fields, typed

    return max(fitting, key=score)


def _check_header(path: str, records: list[list[str]]) -> None:
    first = records[0]
    for place, field in enumerate(first):
        sort = _sort(field)
        below = [record[place] for record in records[1:] if len(record) > place]
        if sort and any(_sort(value) == sort for value in below):
            raise SourceError(
                f"{path}: the first line holds {visible(field)!r}, as the lines below it do, so "
                "it may be no header; say --no-header, or --header if it is one "
                "(header=False, header=True)"
            )


def _sort(field: str) -> str:
    field = field.strip()
    if _NUMBER.fullmatch(field):
        return "number"
    for read in (date.fromisoformat, datetime.fromisoformat):
        try:
            read(field)
        except ValueError:
            continue
        return "date" if field[:1].isdigit() else ""
    return "date" if re.fullmatch(r"\d{1,2}[./-]\d{1,2}[./-]\d{2,4}", field) else ""


def _names(first: list[str]) -> tuple[str, ...]:
    """The names in a header, each once: a second ``day`` is ``day_1``."""
    taken: dict[str, None] = {}
    for place, name in enumerate(first):
        plain = name.strip() or f"column{place}"
        made, number = plain, 0
        while made.lower() in taken:
            number += 1
            made = f"{plain}_{number}"
        taken[made.lower()] = None
        first[place] = made
    return tuple(first)
