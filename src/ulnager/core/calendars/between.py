"""How many business days lie between two days, or between pairs of days in arrays."""

from __future__ import annotations

from datetime import date, datetime
from typing import TYPE_CHECKING, Any, TypeVar, overload

from ulnager.core.arguments import Wanted, checked
from ulnager.core.calendars.business import BusinessDays
from ulnager.core.errors import SettingError
from ulnager.core.units import EPOCH

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


_ENDS = {
    # Whether the earlier and the later of the two days count.
    "later": (False, True),
    "earlier": (True, False),
    "both": (True, True),
    "neither": (False, False),
}

DaysT = TypeVar("DaysT")


@overload
def business_days_between(
    first: date, second: date, *, ends: str = ..., business: BusinessDays | None = ...
) -> int: ...


@overload
def business_days_between(
    first: DaysT, second: object, *, ends: str = ..., business: BusinessDays | None = ...
) -> DaysT: ...


@checked(business=Wanted((BusinessDays, type(None)), "a BusinessDays"))
def business_days_between(
    first: Any, second: Any, *, ends: str = "later", business: BusinessDays | None = None
) -> object:
    """How many business days lie between two days, or between pairs of days in arrays.

    ``ends`` says which of the two days counts if it is a business day: the ``"later"`` one
    (the default: after ``first`` up to and with ``second``), the ``"earlier"``, ``"both"`` or
    ``"neither"``. The count is negative when ``second`` is the earlier day. Dates give an int;
    arrays of ``datetime64`` give an array of ``int64`` in their common shape, masked where a date
    is missing; series of pandas and Polars give such a series, with its missing values. A missing
    date (None, NaT) gives None.

    >>> business_days_between(date(2026, 5, 15), date(2026, 5, 20))
    3
    >>> business_days_between(date(2026, 5, 20), date(2026, 5, 15))
    -3

    Raises SettingError for another word for ``ends``.
    """
    if ends not in _ENDS:
        raise SettingError(f"ends is {ends!r}; choose {', '.join(_ENDS)}")
    business = business or BusinessDays()
    with_earlier, with_later = _ENDS[ends]
    if any(_is_missing(one) for one in (first, second)) and not any(
        hasattr(one, "__len__") for one in (first, second)
    ):
        return None
    if isinstance(first, date) and isinstance(second, date):
        first, second = (
            one.date() if isinstance(one, datetime) else one for one in (first, second)
        )
        low, high = sorted((first.toordinal(), second.toordinal()))
        count = business._position(high + with_later) - business._position(low + (not with_earlier))
        count = max(count, 0)
        return count if first <= second else -count
    return _between_arrays(first, second, with_earlier, with_later, business)


def _is_missing(day: object) -> bool:
    """Whether it is None, or a NaT of whatever library, which is not even itself."""
    return day is None or (not hasattr(day, "__len__") and bool(day != day))


def _between_arrays(
    first: Any, second: Any, with_earlier: bool, with_later: bool, business: BusinessDays
) -> Any:
    import numpy as np

    from ulnager.core.calendars.arrays import epoch_days

    one, one_gaps = epoch_days(_days_of(first))
    two, two_gaps = epoch_days(_days_of(second))
    if not one.size or not two.size:
        return np.zeros(np.broadcast_shapes(one.shape, two.shape), dtype=np.int64)
    low, high = int(min(one.min(), two.min())), int(max(one.max(), two.max()))
    if high - low < 4 * (one.size + two.size):
        # A position for each day that occurs, and for the day after the last one.
        table = business._positions(low + EPOCH, high + EPOCH + 1)

        def positions(days: NDArray[np.int64]) -> NDArray[np.int64]:
            return table[days - low]
    else:

        def positions(days: NDArray[np.int64]) -> NDArray[np.int64]:
            return business._positions_of(days + EPOCH)

    if with_earlier != with_later:
        # These two sums change their sign by themselves when the days change places.
        count = positions(two + with_later) - positions(one + with_later)
    else:
        ordered = np.minimum(one, two), np.maximum(one, two)
        count = positions(ordered[1] + with_later) - positions(ordered[0] + (not with_earlier))
        count = np.where(one <= two, 1, -1) * np.maximum(count, 0)
    gaps: Any = np.zeros(count.shape, dtype=bool)
    for given, missing in ((first, one_gaps), (second, two_gaps)):
        if missing is not None:
            gaps = gaps | missing
        if isinstance(given, np.ma.MaskedArray):
            gaps = gaps | np.ma.getmaskarray(given)
    return _as_given(np.ma.masked_array(count, gaps) if gaps.any() else count, first, second)


def _days_of(days: Any) -> Any:
    """Days for NumPy: the NaT of a library among dates is NumPy's."""
    if _is_missing(days):
        return ["NaT"]
    return days


def _as_given(found: Any, *given: Any) -> Any:
    """The counts in the library of the days: a missing date has a missing age there."""
    for days in given:
        root = type(days).__module__.partition(".")[0]
        if root == "pandas" and hasattr(days, "index"):
            return type(days)(found.tolist(), index=days.index, dtype="Int64")
        if root == "polars" and hasattr(days, "to_frame"):
            return type(days)("business_days", found.tolist())
    return found if found.shape else found.tolist()
