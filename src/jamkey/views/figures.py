"""A drawing's figure, where matplotlib is installed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from jamkey.errors import UsageError

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def figure(width: float, height: float) -> Figure:
    """Return an empty figure that needs no screen, its size in inches.

    Raises:
        UsageError: matplotlib is missing.
    """
    try:
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.figure import Figure
    except ImportError:
        raise UsageError(
            "plots are drawn with matplotlib, which is not installed: python -m pip install 'jamkey[plot]'"
        ) from None
    made = Figure(figsize=(width, height), layout="constrained")
    FigureCanvasAgg(made)
    return made
