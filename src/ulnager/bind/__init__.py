"""Pickers and pages in dashboard frameworks, one line each.

``bind.streamlit(x)``, ``bind.dash(x, app)``, ``bind.notebook(x)``, ``bind.panel(x)`` and
``bind.form(view)``: ``x`` is a picker or a page of a book, the other arguments are its moment and
data, as :meth:`ulnager.Picker.open` takes them. The view is the truth, not the widgets: each is
drawn with what the view shows, and what differs from that afterwards is what the viewer did.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from ulnager.bind.fields import Shown, shown, shown_of
from ulnager.choices.pages import OpenedPage, Page
from ulnager.choices.picker import Picker
from ulnager.choices.view import View
from ulnager.core.arguments import needed

if TYPE_CHECKING:
    from ulnager.bind.dash_components import DashFields
    from ulnager.bind.notebook_widgets import NotebookBox
    from ulnager.bind.panel_widgets import PanelColumn

__all__ = ["Shown", "dash", "form", "notebook", "panel", "shown", "streamlit"]


def _made(module: str, name: str) -> Any:
    """Something of a module whose framework may not be installed."""
    from importlib import import_module

    try:
        return getattr(import_module(f"ulnager.bind.{module}"), name)
    except ModuleNotFoundError as error:
        raise needed(error) from None


def streamlit(x: Picker | Page, **when: Any) -> View | OpenedPage:
    """Draws a picker, or those of a page, into a Streamlit app and gives its view.

    The address of the app carries what is chosen (``st.query_params``), so that it can be sent.
    Raises ImportError without Streamlit.
    """
    found: View | OpenedPage = _made("streamlit_widgets", "drawn")(x, when)
    return found


def dash(x: Picker | Page, app: Any, **when: Any) -> DashFields:
    """A component of Dash with the fields of a picker or a page, and its callback in ``app``.

    Charts take ``Input(found.store, "data")`` and ``found.read(data)`` gives the view for it.
    Raises ImportError without Dash.
    """
    found: DashFields = _made("dash_components", "DashFields")(x, app, when)
    return found


def notebook(x: Picker | Page, **when: Any) -> NotebookBox:
    """A box of ipywidgets that shows itself; ``found.view`` is the view, and ``found.on_change``
    takes a function that is called with each new one.

    Raises ImportError without ipywidgets.
    """
    found: NotebookBox = _made("notebook_widgets", "NotebookBox")(x, when)
    return found


def panel(x: Picker | Page, **when: Any) -> PanelColumn:
    """A column of Panel; ``found.view`` is the view, and ``found.on_change`` takes a function that
    is called with each new one.

    Raises ImportError without Panel.
    """
    found: PanelColumn = _made("panel_widgets", "PanelColumn")(x, when)
    return found


def form(view: View | OpenedPage, action: str = "", button: str | None = None) -> str:
    """A view, or an opened page, as an HTML form with native controls, for any web framework.

    It works without a script. What is sent comes back by ``picker.read(fields)``, or
    ``page.read(fields)``; all values are escaped. Raises ImportError without Jinja, in whose
    templates its macros can be taken one by one (:func:`ulnager.templates.loader`).
    """
    made: str = _made("html_form", "form_of")(shown_of(view), action, button)
    return made
