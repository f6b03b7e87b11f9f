"""Drawing: what all figures share — loading matplotlib, the palette, the size of a page.

The colours are those of Okabe and Ito ("Color universal design", 2008), told apart without colour vision too;
every series also has its own dash or marker.
"""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

from cleaver import files
from cleaver.errors import MissingExtraError

BLUE, ORANGE, GREEN, RED, PURPLE, SKY, YELLOW, GREY = (
    "#0072B2",
    "#E69F00",
    "#009E73",
    "#D55E00",
    "#CC79A7",
    "#56B4E9",
    "#F0E442",
    "#6b6b6b",
)
SERIES = (BLUE, ORANGE, GREEN, PURPLE, RED, SKY)
DASHES = ("-", "--", "-.", ":")
SIZE = (12.8, 8.0)  # inches at 100 dots an inch: 1280 × 800


def figure_class() -> Any:
    """Return matplotlib's figure class, or raise `MissingExtraError` naming what to install."""
    try:
        import matplotlib  # heavy, and only figures need it

        matplotlib.use("Agg")
        from matplotlib.figure import Figure
    except ImportError:
        raise MissingExtraError("drawing figures", "figures") from None
    return Figure


def figure(
    title: str,
    *,
    size: tuple[float, float] = SIZE,
    left: float = 0.085,
    right: float = 0.98,
    bottom: float = 0.085,
    top: float = 0.92,
    hspace: float = 0.12,
    wspace: float = 0.25,
) -> Any:
    """Return an empty figure of a page's size with a title. Margins are given, as working them out costs half
    a second a figure."""
    made = figure_class()(figsize=size, dpi=100)
    made.set_facecolor("white")
    made.subplots_adjust(left=left, right=right, bottom=bottom, top=top, hspace=hspace, wspace=wspace)
    made.suptitle(title, fontsize=16, fontweight="bold", y=0.975)
    return made


def tidy_axes(axes: Any) -> None:
    """Give axes the common look: no frame on top and right, a light grid."""
    axes.spines[["top", "right"]].set_visible(False)
    axes.grid(visible=True, color="#e4e4e4", linewidth=0.8)
    axes.set_axisbelow(True)
    axes.tick_params(labelsize=11)


def save(drawn: Any, path: str | Path) -> Path:
    """Write a figure as PNG; returns where."""
    path = Path(path)
    made = io.BytesIO()
    drawn.savefig(made, format=Path(path).suffix.lstrip(".").lower() or "png")
    files.write(Path(path), made.getvalue())  # whole, and never through a link
    return path
