"""A view: what a picker shows at one moment.

A view is worked out from the picker, the moment and what the viewer touched, each time anew; so
what is untouched follows the data, and opening is the same for everybody. Events give another view,
and never raise for what a viewer did.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import date, datetime, tzinfo
from typing import TYPE_CHECKING, Any, Final, TypeVar, Unpack
from urllib.parse import urlencode

from ulnager.choices.frozen import bounds_of, cut, frozen_text
from ulnager.choices.input_values import Inputs, value_text
from ulnager.choices.links import link_of
from ulnager.choices.picker_base import NOTHING
from ulnager.choices.picker_state import PickerState
from ulnager.choices.resolver import moment_from
from ulnager.choices.serialization import Field, fields_of, view_dict
from ulnager.choices.view_shape import ViewTold
from ulnager.core.errors import ResolveError, UlnagerError
from ulnager.core.messages import Message, message_of
from ulnager.core.notebook_tables import ShowsItself, Table, table
from ulnager.core.periods.resolution import InstantResolution, Resolution

FIXED: Final = Message("the dates are fixed here and cannot be chosen", code="fixed")
REFUSED: Final = {
    "by": ("charts are not grouped by {0} here", "no-unit"),
    "compare": ("charts are not compared with {0} here", "no-comparison"),
}
"""What is said of what cannot be said of charts, and its code."""
_MOST_TEXT: Final = 2_000


if TYPE_CHECKING:
    from sqlalchemy import ColumnElement

    from ulnager.filters.conditions import FrozenOptions
    from ulnager.filters.sql_text import Condition
    from ulnager.sources.keep_rows import KeepOptions

FrameT = TypeVar("FrameT")


class View(PickerState, ShowsItself):
    """What a picker shows at a moment to a viewer who touched ``state``; events give another view.

    ``choices``, ``inputs`` and ``by`` are typed values; ``resolution`` is None while there are
    ``problems``.

    >>> from ulnager import read_book
    >>> from ulnager.demo import book_file
    >>> view = read_book(book_file()).picker("dates").open(today="2026-05-20")
    >>> view.choose("quarter").resolution.days > 0
    True
    """

    # Events: each gives another view.

    def choose(self, key: object) -> View:
        """The view with another choice; a key that it does not have is told in a note."""
        if self.locked:
            return self._noting(FIXED)
        if not isinstance(key, str) or self.picker.choice(key) is None:
            return self._noting(
                "there is no choice {0}; nothing was changed", repr(str(key)[:40]), code="no-choice"
            )
        if key == self.choice:
            return self
        return self._with({**self._state, self.picker.name: key})

    def enter(self, range: int = 1, **values: Any) -> View:
        """The view with values typed into inputs of the chosen choice or of the picker; None makes
        one untouched again."""
        if self.locked:
            return self._noting(FIXED)
        state, notes = dict(self._state), []
        shown = {given.name: given for given in self.inputs}
        for name, value in values.items():
            key = self._key_of(self.chosen, name, range)
            if key not in shown:
                told = "there is no input {0} here; nothing was changed"
                notes.append(Message(told, repr(name[:40]), code="no-input"))
            elif value is None:
                state.pop(key, None)
            elif (text := value_text(value)[:_MOST_TEXT]) != shown[key].shown:
                state[key] = text
        return self._with(state, tuple(notes))

    def add_range(self) -> View:
        """The view with one more range, which begins as the first one opens."""
        if self.locked:
            return self._noting(FIXED)
        choice = self.chosen
        if choice is None or choice.ranges == 1:
            return self._noting("this choice has one range only", code="ranges")
        number = self._range_count(choice) + 1
        if number > choice.ranges:
            return self._noting("there are at most {0} ranges", choice.ranges, code="ranges")
        state = dict(self._state)
        reader = Inputs(self.picker, self.moment, choice)
        for name, made in self.picker._own_inputs(choice).items():
            key = self._key_of(choice, name, number)
            state[key] = value_text(reader.given(made, key, None, number, None).value)
        return self._with(state)

    def drop_range(self, number: int) -> View:
        """The view without one of its ranges; those behind it move up."""
        if self.locked:
            return self._noting(FIXED)
        choice = self.chosen
        count = 1 if choice is None else self._range_count(choice)
        if choice is None or not isinstance(number, int) or not 1 <= number <= count or count == 1:
            return self._noting("there is no such range to leave out", code="ranges")
        state = dict(self._state)
        for name in self.picker._own_inputs(choice):
            texts = [self._text(self._key_of(choice, name, n)) for n in range(1, count + 1)]
            del texts[number - 1]
            for n in range(1, count + 1):
                state.pop(self._key_of(choice, name, n), None)
            for n, text in enumerate(texts, 1):
                if text is not None:
                    state[self._key_of(choice, name, n)] = text
        return self._with(state)

    def group(self, unit: object) -> View:
        """The view grouped by another unit; None is the fitting one again."""
        if self.locked:
            return self._noting(FIXED)
        return self._of_charts("by", unit, self.by)

    def compare(self, comparison: object) -> View:
        """The view with its charts compared with something else, such as ``1 year earlier``, or
        with ``nothing``; None is what it opens with again."""
        if self.locked:
            return self._noting(FIXED)
        return self._of_charts("compare", comparison, self.compared_with or NOTHING)

    def _of_charts(self, key: str, said: object, shown: str | None) -> View:
        name = f"{self.picker.name}.{key}"
        if said is None:
            return self._with({k: v for k, v in self._state.items() if k != name})
        if not isinstance(said, str) or said not in (self.picker._known_of(name) or ()):
            told, code = REFUSED[key]
            return self._noting(told, repr(str(said)[:40]), code=code)
        return self if said == shown else self._with({**self._state, name: said})

    def refreshed(
        self,
        today: date | str | None = None,
        now: datetime | str | None = None,
        tz: str | tzinfo | None = None,
        data: object = None,
    ) -> View:
        """The view at another moment: what was chosen and typed stays, the rest follows."""
        zone = self.picker.tz if tz is None else tz
        starts = self.moment.day_starts
        moment = moment_from(today, now, zone, data, self.picker.look, self.words, starts)
        if data is None:
            moment = replace(moment, data=self.moment.data)
        return View(self.picker, moment, self._state, signed=self.signed)

    def reset(self) -> View:
        """The view as it opened."""
        if self.locked:
            return self._with(self._state)
        return View(self.picker, self.moment)

    def earlier(self) -> View:
        """One step back, as fixed dates; ResolveError while there is a problem."""
        return self._stepped(later=False)

    def later(self) -> View:
        """One step on, as fixed dates; ResolveError while there is a problem."""
        return self._stepped(later=True)

    def _stepped(self, *, later: bool, by: tuple[int, str] = (1, "period")) -> View:
        result = self._sure()
        if self.locked:
            return self._noting(FIXED)
        if isinstance(result, InstantResolution):
            return self._noting("hours are no dates, so there is no step", code="no-step")
        if result.days is None and not result.is_empty:
            told = "the dates are open on one side, so there is no step"
            return self._noting(told, code="no-step")
        try:
            bounds = bounds_of(result.counterpart(*by, later=later))
        except UlnagerError as error:
            return self._noting(message_of(error), code="no-step")
        kept = cut(bounds, self.extent)
        if not kept:
            told = "the data has nothing there; nothing was changed"
            return self._noting(told, code="no-step")
        told = "the dates are cut to those of the data"
        note = () if kept == bounds else (Message(told, code="cut-to-data"),)
        return self._with({**self._state, self.picker.name: frozen_text(kept)}, note)

    def _with(self, state: Mapping[str, str], said: tuple[str, ...] = ()) -> View:
        return View(self.picker, self.moment, state, said, signed=self.signed)

    def _noting(self, note: str, *arguments: Any, code: str = "") -> View:
        said = note if isinstance(note, Message) else Message(note, *arguments, code=code)
        return self._with(self._state, (said,))

    # What others make of it.

    def _sure(self) -> Resolution:
        if self.resolution is None:
            raise ResolveError("; ".join(self.problems))
        return self.resolution

    def condition(
        self, column: str | ColumnElement[Any], **settings: Unpack[FrozenOptions]
    ) -> Condition:
        """The condition for a column, as :func:`ulnager.condition`; ResolveError while there is a
        problem."""
        from ulnager.filters.conditions import condition

        return condition(self._sure(), column, **settings)

    def keep(self, source: FrameT, column: str, **settings: Unpack[KeepOptions]) -> FrameT:
        """The rows of a data frame that are in, as :func:`ulnager.keep`, or of a source or a path,
        as :class:`ulnager.Kept`; ResolveError while there is a problem."""
        from ulnager.sources.keep_rows import keep

        return keep(source, self._sure(), column, **settings)

    @property
    def parameters(self) -> dict[str, Any]:
        """The values for the parameters of ``picker.where``."""
        if self.chosen is None:
            raise ResolveError("fixed dates are no choice; use the condition of the view")
        from ulnager.choices.picker_statement import parameters_of

        return parameters_of(self)

    def link(
        self, frozen: bool = False, fixed: bool = False, expires: date | str | None = None
    ) -> str:
        """The view as a query string: moving, or as ``frozen`` dates.

        A ``fixed`` one cannot be chosen from by who opens it, one that ``expires`` opens as usual
        afterwards; both are signed. Raises ResolveError while there is a problem, SettingError
        where the book has no ``link_key``.
        """
        return link_of(self, self._sure(), frozen=frozen, fixed=fixed, expires=expires)

    @property
    def fields(self) -> tuple[Field, ...]:
        """The fields of a form for it: choice, inputs, unit; :meth:`Picker.read` takes them back,
        with ``view.sent_along`` beside them."""
        return fields_of(self)

    @property
    def sent_along(self) -> dict[str, str]:
        """The two hidden fields of a form, by which what nobody touched is told from the rest."""
        name = self.picker.name
        return {
            f"{name}.state": urlencode(self.state, safe="/,"),
            f"{name}.shown": urlencode(self.shown, safe="/,"),
        }

    def _table(self) -> Table:
        rows = []
        for one in self.choices:
            result = one.resolution
            mark = "●" if one.chosen else ""
            rows.append((mark, one.label, "" if result is None else result.label, one.key))
        told = f"{self.picker.label}: {self.choice_label}"
        notes = (*self.problems, *self.notes)
        return table(told, ("", self.picker.label, "dates", "key"), rows, notes=notes)

    def to_dict(self) -> ViewTold:
        """The view as plain values, ready for JSON; every key is always there."""
        return view_dict(self)
