"""`make bench`: runs every measurement, prints the ratios, and writes them into docs/performance.md.

Give names to run some only (folding, reading, large, database, sentence, gestures, window, workbook, charts), or --quick for a tenth of the size; neither writes.
"""

from __future__ import annotations

import datetime
import platform
import sys
from pathlib import Path

from bench import charts, database, folding, gestures, large, reading, sentence, window, workbook

TARGET = Path(__file__).parents[1] / "docs" / "performance.md"
DATA = Path(__file__).parent / "data"
START, STOP = "<!-- measured: begin -->", "<!-- measured: end -->"
HEAD = "| what | anchor | time | anchor's time | ratio | aim | met |\n|---|---|---|---|---|---|---|"


def main(arguments: list[str]) -> None:
    """Runs the bench."""
    quick = "--quick" in arguments
    chosen = [each for each in arguments if not each.startswith("-")]
    lines, size = (1_000_000, 100_000_000) if quick else (10_000_000, 1_000_000_000)
    parts = {
        "folding": lambda: folding.rows(lines),
        "reading": lambda: reading.rows(DATA, size),
        "large": lambda: large.rows(DATA, quick),
        "database": lambda: database.rows(quick),
        "sentence": sentence.rows,
        "gestures": lambda: gestures.rows(lines),
        "window": window.rows,
        "workbook": workbook.rows,
        "charts": charts.rows,
    }
    print(HEAD)
    found = [row for name, run in parts.items() if not chosen or name in chosen for row in run()]
    folds = not chosen or "folding" in chosen
    sizes = (100_000, 1_000_000, lines, 5 * lines)
    growth = folding.growth(sizes) if folds else []
    groups = folding.groups_growth(lines, (10, 1_000, 100_000, 1_000_000)) if folds else []
    if not chosen and not quick:
        today = datetime.date.today().isoformat()
        said = "\n".join(
            [
                f"Measured on {today}, {_machine()}.",
                "",
                HEAD,
                *(row.markdown() for row in found),
                "",
                "How one fold grows:",
                "",
                *growth,
                "",
                f"How one fold of {lines:,} records grows with its groups (two row fields, sum and count, all totals):",
                "",
                *groups,
            ]
        )
        text = TARGET.read_text("utf-8")
        before, after = text.split(START)[0], text.split(STOP)[1]
        TARGET.write_text(f"{before}{START}\n{said}\n{STOP}{after}", "utf-8")
        print(f"written to {TARGET.name}")


def _machine() -> str:
    import os

    return f"{os.cpu_count()} cores, Python {platform.python_version()}, {platform.system()} {platform.machine()}"


if __name__ == "__main__":
    main(sys.argv[1:])
