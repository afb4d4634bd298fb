"""What all pictures have in common: the palette, the size, and writing the file.

The colours differ in lightness as much as in hue, so that they also read in grey and for
colour-blind eyes; nothing is told by colour alone.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Final

from ulnager.core.errors import SourceError
from ulnager.sources.writing import whole_file

if TYPE_CHECKING:
    from matplotlib.figure import Figure

INK: Final = "#22262b"
FAINT: Final = "#8a9099"
PAPER: Final = "#fbfaf7"
BAND: Final = "#efece4"
PERIOD: Final = "#2f6690"
LIGHT: Final = "#9cc0d8"
WARN: Final = "#b5541c"
# From few rows to many: light to dark.
SCALE: Final = ("#e4edf2", "#b4cfdf", "#7fa9c4", "#4a7fa5", "#1f4e70")

SIZE: Final = (12.8, 8.0)
DPI: Final = 100
FORMATS: Final = (".png", ".svg", ".pdf")


def new_figure() -> Figure:
    """An empty figure of 1280x800."""
    from matplotlib.figure import Figure

    return Figure(figsize=SIZE, dpi=DPI, facecolor=PAPER)


def write_figure(figure: Figure, target: str | Path) -> None:
    """Write a figure to a file; SourceError when it cannot be written."""
    if Path(target).suffix.lower() not in FORMATS:
        raise SourceError(f"{target}: pictures are written as {', '.join(FORMATS)}")
    with whole_file(target) as path:
        figure.savefig(path, facecolor=PAPER)
