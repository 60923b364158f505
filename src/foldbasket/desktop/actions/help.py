"""The menu Help."""

from __future__ import annotations

from typing import Any

from foldbasket import __version__, faults
from foldbasket.desktop.actions.action import action
from foldbasket.desktop.widgets import dialogs


@action("Guide", "Help", "F1", also="manual help documentation")
def guide(window: Any) -> None:
    window.help("Guide")


@action("Keys", "Help", also="shortcuts keyboard")
def keys(window: Any) -> None:
    window.help("Keys")


@action("What the numbers mean", "Help")
def numbers(window: Any) -> None:
    window.help("What the numbers mean")


@action("Formulas", "Help")
def formulas(window: Any) -> None:
    window.help("Formulas")


@action("About Fold Basket", "Help", line=True)
def about(window: Any) -> None:
    """Says what this is, and where faults are written."""
    dialogs.tell(
        window,
        f"Fold Basket {__version__}",
        "Pivot and crosstab reports from sales transactions.",
        "Free software under the GNU General Public License, version 3 or later.\n\n"
        f"Faults are written, without any of your data, to\n{faults.log_file()}",
    )
