"""Labels and messages in other languages: dates by the CLDR, sentences by a catalogue."""

import ast
import functools
import io
import json
import re
from datetime import date, timedelta

import matplotlib
import pytest
from babel import Locale
from babel.dates import format_date, format_interval, format_skeleton
from babel.messages.pofile import read_po
from hypothesis import given
from hypothesis import strategies as st

import ulnager
from serving import book_in
from ulnager import BookError, SettingError
from ulnager.book.labels_by_language import one_language
from ulnager.core.messages import code_of
from ulnager.core.words import ENGLISH, words_of
from ulnager.demo import CLOCK, book_file, table
from ulnager.locales.locale_words import LANGUAGES, words

from conftest import ROOT
from engines import REQUIRED
from strategies import TIMES, examples

CATALOGUES = ROOT / "src" / "ulnager" / "locales" / "catalogues"
LOCALES = ["de", "en-GB", "en-US", "fr", "fr-CA", "ja", "es", "de-CH"]
DAYS = st.dates(date(1900, 1, 1), date(2100, 12, 31))
BOOK = ulnager.read_book(book_file())
LABELS = {
    "last 3 whole months": {
        None: "1 Feb to 30 Apr 2026", "de": "1. Feb. – 30. Apr. 2026",
        "fr": "1 févr. – 30 avr. 2026", "ja": "2026年2月1日～4月30日",
        "en-US": "Feb 1 – Apr 30, 2026",
    },
    "until yesterday": {
        None: "up to 19 May 2026", "de": "bis 19. Mai 2026", "fr": "jusqu’au 19 mai 2026",
        "ja": "2026年5月19日まで",
    },
    "all dates": {"de": "alle Daten", "fr": "toutes les dates", "ja": "すべての日付"},
    "today": {"de": "20. Mai 2026", "en-US": "May 20, 2026", "ja": "2026年5月20日"},
    "month to date except (month to date)": {"de": "kein Zeitraum", "fr": "aucune date"},
    "today plus 2026-01-01": {"de": "1. Jan. 2026, 20. Mai 2026"},
}  # fmt: skip


def plain(text):
    """Text with ordinary spaces: the CLDR has several sorts."""
    return re.sub(r"[\u00a0\u2009\u202f\u200a]", " ", text)


@pytest.mark.parametrize("phrase", LABELS)
def test_labels(phrase):
    for locale, label in LABELS[phrase].items():
        result = ulnager.period(phrase).resolve(today=CLOCK, locale=locale)
        assert plain(result.label) == label, locale
        # The language is of labels only.
        assert result == ulnager.period(phrase).resolve(today=CLOCK)
        assert str(result.period) == str(ulnager.period(phrase))


@examples(150)
@given(DAYS, st.integers(1, 400), st.sampled_from(LOCALES))
def test_intervals_are_those_of_the_cldr(first, days, locale):
    last = first + timedelta(days - 1)
    result = ulnager.period(f"from {first} to {last}").resolve(locale=locale)
    known = Locale.parse(locale.replace("-", "_"))
    wanted = (format_skeleton("yMMMd", first, locale=known) if first == last
              else format_interval(first, last, "yMMMd", locale=known))  # fmt: skip
    assert result.label == wanted
    assert str(first.year) in result.label
    pattern = words_of(locale, "dd.MM.yyyy").span(result.spans[0])
    assert pattern.startswith(f"{first:%d.%m.%Y}")
    assert pattern.endswith(f"{last:%d.%m.%Y}")


@examples(60)
@given(DAYS, st.sampled_from(["day", "week", "month", "quarter", "year"]),
       st.sampled_from(LOCALES))  # fmt: skip
def test_labels_of_units(first, unit, locale):
    span = ulnager.period(f"from {first} to {first + timedelta(100)}")
    ours, theirs = span.resolve(locale=locale).buckets(unit), span.resolve().buckets(unit)
    assert [one._replace(label="", short_label="") for one in ours] == [
        one._replace(label="", short_label="") for one in theirs
    ]
    for one, other in zip(ours, theirs, strict=True):
        if locale.startswith("en"):
            assert one.label == other.label
        elif unit == "month":
            wanted = format_skeleton("yMMM", one.unit_start, locale=Locale.parse(
                locale.replace("-", "_")))  # fmt: skip
            assert one.label == wanted
        elif unit in ("week", "year"):
            assert one.label == other.label
        assert one.short_label


@pytest.mark.parametrize("language", [one for one in LANGUAGES if one != "en"])
def test_the_catalogues_are_whole(language):
    """The same keys, each translated, with the same slots, and found by its own sentence."""
    found = {one: read_po(io.BytesIO((CATALOGUES / f"{one}.po").read_bytes()), locale=one)
             for one in (language, "en")}  # fmt: skip
    keys = [message.id for message in found["en"] if message.id]
    assert keys == [message.id for message in found[language] if message.id]
    for message in found[language]:
        if not message.id:
            continue
        assert message.string, message.id
        assert not message.fuzzy
        slots = sorted(re.findall(r"\{\d\}", message.id))
        assert sorted(re.findall(r"\{\d\}", message.string)) == slots, message.id
        parts = [f"«{n}»" for n in range(len(slots))]
        told = words(language).say(message.id, *parts)
        assert told == message.string.format(*parts), message.id


@functools.cache
def viewer_sentences():
    """Every sentence that a visit to the demo's pages brings up: problems, notes, what governs."""
    found = set()
    fields = [
        {}, {"dates": "recent", "dates.recent.n": "900"},
        {"dates": "recent", "dates.recent.n": "x"},
        {"dates": "recent", "dates.recent.n": ""}, {"dates": "nothing"}, {"dates.foo": "1"},
        {"dates": "own", "dates.own.first": "2026-05-10", "dates.own.last": "2026-05-01"},
        {"dates": "own", "dates.own.first": "1999-01-01"}, {"dates": "own", "dates.own.last": "x"},
        {"dates": "own", "dates.own.first": "2026-13-40"}, {"dates.by": "fortnight"},
        {"dates": "own", "dates.own.first": "10/05/2026"}, {"dates": "2099-01-01/2099-02-01"},
        {"dates": "2020-01-01/2026-02-01"}, {"dates": "crew_weeks", "dates.crew_weeks.weeks": "z"},
        {"dates": "crew_weeks", "dates.crew_weeks.weeks": ""}, {"dates.no_last_day": "perhaps"},
        {"dates": "recent", "dates.by": "month"}, {"dates.signed": "x"},
        {"dates": "quarter", "dates.by": "day"}, {"dates.no_last_day": "on", "dates": "own"},
        {"dates": "own", "dates.own.first.2": "2026-05-01", "dates.own.last.2": "2026-05-09"},
    ]  # fmt: skip
    for place, sent in enumerate(fields):
        for who in ("link", "viewer", "schedule")[: 1 if place > 2 else 3]:
            more = {"dates.state": ""} if who == "viewer" else {}
            opened = BOOK.page("operations").read({**sent, **more}, today=CLOCK, who=who)
            view = opened.views["dates"]
            found |= {one.arguments[1] for one in view.problems} | set(view.notes)
            found |= {chart.governed_by for chart in opened.charts.values()}
            found |= {unit.why for unit in view.units if unit.why}
            if view.resolution is not None:
                found |= set(view.choose("x").notes) | set(view.add_range().notes)
                found |= set(view.drop_range(9).notes) | set(view.later().notes)
                found |= set(view.enter(foo=1).notes) | set(view.group("x").notes)
    spring = ulnager.period("last 6 months to date").resolve(today=CLOCK, data=table("sailings"))
    for unit in ("day", "week", "month", "quarter"):
        found |= {why for one in spring.buckets(unit, data=table("sailings"))
                  for why in one.reasons}  # fmt: skip
    return sorted(found)


@pytest.mark.parametrize("language", ["de", "es", "fr", "ja"])
def test_what_viewers_meet_is_translated(language):
    say = words(language).say
    left = [one for one in viewer_sentences() if say(one) == one]
    assert left == []


def test_every_message_of_a_viewer_has_a_code():
    left = [one for one in viewer_sentences() if not code_of(one) and one not in PLAIN]
    assert [one for one in left if not one.startswith(("follows ", "pinned to ", "has no "))] == []


# Reasons that are a word or two, and where a shift goes, say no more than a code would.
PLAIN = {"starts late", "ends early", "days are cut out", "not begun", "still running",
         "the data ends", "the data begins later", "half loaded"}  # fmt: skip


def test_every_message_has_its_key_in_the_catalogues():
    known = {message.id for message in read_po(io.BytesIO((CATALOGUES / "en.po").read_bytes()))}
    for path in sorted((ROOT / "src" / "ulnager").rglob("*.py")):
        if path.parent.name == "book":  # what it says is for developers
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            called = getattr(node, "func", None)
            name = getattr(called, "attr", getattr(called, "id", ""))
            if name in ("say", "said", "in_words", "Message") and node.args:
                key = getattr(node.args[0], "value", None)
                assert not isinstance(key, str) or key in known | {"{0}: {1}"}, (path, key)


def test_one_word_for_one_thing():
    """The glossary of the docs is what the catalogues say, whole and inside of their sentences."""
    rows = re.findall(r"^\|(.*)\|$", (ROOT / "docs" / "languages.md").read_text(), re.MULTILINE)
    table = [[cell.strip() for cell in row.split("|")] for row in rows]
    assert table[0] == ["English", "German", "French", "Japanese", "Spanish"]
    for place, language in enumerate(["de", "fr", "ja", "es"], 1):
        found = read_po(io.BytesIO((CATALOGUES / f"{language}.po").read_bytes()), locale=language)
        for row in table[2:]:
            assert found[row[0]].string == row[place], (language, row[0])
        anchor = table[2][place].lower()
        for message in found:
            if message.id and re.search(r"\banchor\b", message.id):
                assert anchor in message.string.lower(), (language, message.id)


def test_a_view_in_another_language():
    picker, page = BOOK.picker("dates"), BOOK.page("operations")
    english, german = (picker.open(today=CLOCK, locale=one) for one in (None, "de"))
    for one, other in zip(english.to_dict()["choices"], german.to_dict()["choices"], strict=True):
        assert one["key"] == other["key"]
        assert one["dates"]["spans"] == other["dates"]["spans"]
    assert [one.label for one in german.choices][:3] == ["Woche bisher", "Monat bisher",
                                                         "Letzte 30 Tage"]  # fmt: skip
    view = german.choose("recent").enter(n=900)
    assert view.problems == ("Tage: 900 liegt außerhalb; bitte eine Zahl von 1 bis 90",)
    assert view.refreshed(today="2026-05-21").problems == view.problems
    opened = page.open(today=CLOCK, locale="de")
    told = {key: chart.governed_by for key, chart in opened.charts.items()}
    assert told["passengers"] == "folgt Zeitraum, geöffnet mit Monat bisher"
    assert told["year_before"] == "folgt Zeitraum, geöffnet mit Monat bisher, 1 Jahr früher"
    assert told["harbours"] == "hat keinen Zeitraum"
    # What is sent and stored has no language.
    for locale in ("de", "ja", "fr"):
        other = picker.open(today=CLOCK, locale=locale).choose("recent").enter(n=7)
        assert other.state == english.choose("recent").enter(n=7).state
        assert other.link() == english.choose("recent").enter(n=7).link()


def test_a_book_in_two_languages(tmp_path):
    path = book_in(tmp_path, "")
    text = path.read_text().replace(
        'label = "Fiscal year so far"',
        'label = { en = "Fiscal year so far", de = "Geschäftsjahr", fr-CA = "Exercice" }'
    ).replace('label = "Days"', 'label = { de = "Tage her", en = "Days" }')  # fmt: skip
    path.write_text(f'locale = "de"\ndates_as = "dd.MM.yyyy"\n{text}')
    book = ulnager.read_book(path)
    assert book.period("year_so_far").label == "Geschäftsjahr"
    assert plain(book.resolve("month_so_far", today=CLOCK).label) == "01.05.2026 – 16.05.2026"
    view = book.picker("dates").open(today=CLOCK).choose("recent")
    assert view.inputs[-1].made.label == "Tage her"
    assert plain(view.resolution.label) == "17.04.2026 – 16.05.2026"
    charts = book.page("operations").open(today=CLOCK, locale="en").charts
    assert charts["this_year"].governed_by == "pinned to Fiscal year so far"
    charts = book.page("operations").open(today=CLOCK, locale="fr-CA").charts
    assert charts["this_year"].governed_by == "fixé sur Exercice"
    assert ulnager.check(path, today=CLOCK) == ()
    path.write_text(path.read_text().replace('dates_as = "dd.MM.yyyy"', 'dates_as = "yyyy"'))
    with pytest.raises(BookError, match="dates_as"):
        ulnager.read_book(path)
    path.write_text(path.read_text().replace('dates_as = "yyyy"', "").replace('"de"\n', '"xx"\n'))
    with pytest.raises(BookError, match="no locale 'xx'"):
        ulnager.read_book(path)


def test_one_language_of_several():
    values = {"locale": "fr", "x": [{"heading": {"en": "H", "de": "Ü"}}],
              "where": {"label": {"Alder": 1}},
              "periods": {"a": {"label": {"de": "A", "fr": "B"}, "short": "s"}}}  # fmt: skip
    found, texts = one_language(values)
    assert found["periods"]["a"] == {"label": "B", "short": "s"}
    assert found["x"] == [{"heading": "H"}]
    assert found["where"] == values["where"]
    assert texts == {"B": {"de": "A", "fr": "B"}, "H": {"en": "H", "de": "Ü"}}


@pytest.mark.parametrize("wrong", ["xx", "", "de_", "klingon", 5, "de\x00", "../de", "d" * 500])
def test_locales_that_there_are_not(wrong):
    with pytest.raises(SettingError, match="locale"):
        ulnager.period("today").resolve(locale=wrong)


@pytest.mark.parametrize("wrong", ["", "x", "yyyy", "dd", "'", "yyyy-MM", "d" * 100, "QQQQQQQQ"])
def test_patterns_that_are_none(wrong):
    with pytest.raises(SettingError, match="dates_as"):
        words("de", wrong)


def test_the_rest_of_a_language():
    starts = {one: words(one).week_starts for one in ("en-US", "ja", "pt", "de-CH", "en-GB", "ar")}
    assert starts == {"en-US": "sunday", "ja": "sunday", "pt": "sunday", "de-CH": "monday",
                      "en-GB": "monday", "ar": "saturday"}  # fmt: skip
    assert words("de").week_starts == "monday"
    assert plain(words("fr").counted(3, "month")) == "3 mois"
    assert words("ja").counted(3, "day") == "3 日"
    assert words("de").digits("1,234.5") == "1.234,5"
    assert plain(words("fr").digits("1,234.5")) == "1 234,5"
    assert words("de").unit("week 14 of 2026") == "Woche 14 von 2026"
    assert words("de").unit("2026-W14") == "2026-W14"
    assert words("de").unit("4 May") == "4. Mai"
    assert words("pt").say("no dates") == "no dates"
    assert words("es-MX").say("no dates") == "sin fechas"
    assert words_of(None) is ENGLISH
    assert words_of(words("de")) == words("de")
    hours = ulnager.period("last 3 hours").resolve(now="2026-05-20T10:00Z", tz="UTC", locale="de")
    assert plain(hours.label) == "20.05.2026, 07:00:00 – 20.05.2026, 10:00:00"
    assert format_date(date(2026, 5, 20), "dd.MM.yyyy") == "20.05.2026"


def test_languages_on_the_command_line(cli, tmp_path):
    today = ("--today", str(CLOCK))
    assert "20. Mai 2026" in cli("resolve", "today", *today, "--locale", "de")[1]
    assert "mars 2026" in cli("buckets", "last 3 whole months", "--by", "month", *today,
                              "--locale", "fr")[1]  # fmt: skip
    out = cli("show", "dates", "--book", "demo:ferries", *today, "--locale", "ja")[1]
    assert "今月これまで" in out
    code, _, err = cli("resolve", "today", "--locale", "xx")
    assert (code, "no locale" in err) == (2, True)
    assert cli("show", "monday_mail", "--book", "demo:ferries", "--locale", "de")[0] == 2
    picture = tmp_path / "p.svg"
    code, _, _ = cli("buckets", "last 3 months to date as of latest", "--by", "month", "--source",
                     "demo:sailings", "--value", "passengers", *today, "--locale", "de",
                     "--picture", str(picture))  # fmt: skip
    assert code == 0
    assert picture.stat().st_size > 1_000


DRAWN = {
    "draw": ("draw", "last 3 whole months", "this month except this month",
             "last 2 months only weekends", "--source", "demo:sailings", "--to"),
    "walk": ("draw", "last 30 rolling days", "--step", "6 months", "--source", "demo:sailings",
             "--value", "passengers", "--to"),
    "bars": ("buckets", "last 6 months to date as of latest", "--by", "month", "--source",
             "demo:sailings", "--value", "passengers", "--beside", "1 year earlier", "--picture"),
    "series": ("buckets", "last 2 months to date", "--by", "month", "--source", "demo:sailings",
               "--split", "route", "--top", "2", "--picture"),
    "shades": ("buckets", "last 3 months to date", "--by", "day", "--layout", "calendar",
               "--source", "demo:sailings", "--picture"),
    "line": ("running", "last 7 rolling days", "--over", "last 30 days as of latest", "--source",
             "demo:sailings", "--value", "passengers", "--per", "day", "--picture"),
    "ages": ("ages", "demo:work_orders", "--since", "raised_on", "--until", "closed_on", "--unit",
             "business day", "--picture"),
}  # fmt: skip


@pytest.mark.parametrize("what", DRAWN)
def test_pictures_are_in_the_language(what, cli, tmp_path):
    """What a picture says in English and in another language too are names, phrases, numbers."""

    def words_in(locale):
        path = tmp_path / f"{locale}.svg"
        with matplotlib.rc_context({"svg.fonttype": "none"}):
            command = (*DRAWN[what], str(path), "--today", str(CLOCK), "--locale", locale)
            code, _, err = cli(*command)
        if locale == "ja" and "no font here has the signs" in err and "browser" not in REQUIRED:
            return set()  # On a machine without such a font; CI has one.
        assert code == 0, err
        return set(re.findall(r"<text[^>]*>([^<]*)</text>", path.read_text()))

    english = words_in("en-GB")
    same = r"[\d\W]*|W\d+|last \d.*|this month.*|passengers|[A-Z]\w+ [A-Z]\w+|[A-Z][a-z]{2}"
    place = list(DRAWN).index(what) % 2
    for locale in ("de", "es", "fr", "ja")[place :: 2 if TIMES < 1 else 1]:
        left = {text for text in english & words_in(locale) if not re.fullmatch(same, text)}
        assert not left, locale


def test_a_picture_needs_a_font_with_the_signs(cli, tmp_path, monkeypatch):
    monkeypatch.setattr("matplotlib.font_manager.fontManager.ttflist", [])
    target = tmp_path / "x.png"
    code, _, err = cli("draw", "today", "--locale", "ja", "--to", str(target))
    assert (code, "no font here has the signs of 'ja'" in err) == (2, True)
    assert not target.exists()


def test_names_in_the_data_have_no_language(cli, tmp_path):
    """Columns and series that are called as a word of ours stay as they are."""
    lines = [f"2026-0{1 + n % 5}-07,{n},{('nothing', 'empty')[n % 2]}" for n in range(40)]
    (tmp_path / "rows.csv").write_text("\n".join(["at,month,other", *lines]))
    target = tmp_path / "x.svg"
    with matplotlib.rc_context({"svg.fonttype": "none"}):
        assert cli("running", "last 40 rolling days", "--over", "last 60 days", "--source",
                   str(tmp_path / "rows.csv"), "--value", "month", "--split", "other", "--today",
                   str(CLOCK), "--locale", "de", "--picture", str(target))[0] == 0  # fmt: skip
    texts = re.findall(r"<text[^>]*>([^<]*)</text>", target.read_text())
    assert "Summe: month" in " ".join(texts)
    assert {"nothing", "empty"} <= set(texts)
    assert not {"nichts", "leer", "Monat"} & set(" ".join(texts).split())
    code, _, err = cli("ages", "demo:work_orders", "--since", "raised_on", "--locale", "de")
    assert (code, "--locale is of a picture" in err) == (2, True)


@pytest.mark.parametrize("locale", [None, "de", "es", "fr", "ja"])
def test_codes_are_the_same_in_every_language(cli, tmp_path, locale):
    view = BOOK.picker("dates").open(today=CLOCK, locale=locale).choose("recent").enter(n=900)
    told = view.to_dict()
    coded = ulnager.with_codes(told)
    assert coded["problem_codes"] == ["out-of-bounds"]
    assert [one.get("problem_code") for one in coded["inputs"]][-1:] == ["out-of-bounds"]
    units = {one["key"]: one.get("why_code") for one in coded["by"]["options"]}
    assert set(units.values()) <= {None, *map(code_of, (one.why for one in view.units))}
    asked = ["show", "dates", "--book", "demo:ferries", "--today", CLOCK.isoformat(), "--choose",
             "recent", "--set", "n=900", *(["--locale", locale] if locale else [])]  # fmt: skip
    assert [json.loads(cli(*asked, one)[1]) for one in ("--json", "--codes")] == [told, coded]
