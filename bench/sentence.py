"""The sentence: reading what is typed, in full and in short, against one frame of the screen, and a very long one."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from pathlib import Path

from bench.timing import Row, timed

FRAME = 0.016
SENTENCE = (
    'Net, summed called "Net sales" and Net, summed, as % of the column for each Region › Site (top 5 by Net sales, the rest as one; largest first by Net sales) '
    "across Quarter of Order date keeping Channel: Trade, Web and Order date: the last 4 quarters; no grand total of columns"
)


def rows() -> list[Row]:
    """Each reading of a text against what somebody waits for it at most; the best of ten rounds."""
    from foldbasket.demo.scenario import write_demo
    from foldbasket.opening.prepared import basket_or_data, prepare
    from foldbasket.sentence.completing import completions
    from foldbasket.sentence.reading import readings
    from foldbasket.sentence.vocabulary import Vocabulary

    with tempfile.TemporaryDirectory() as folder:
        words = Vocabulary(prepare(basket_or_data(write_demo(Path(folder)))).source)
        long = (
            SENTENCE.partition(" keeping ")[0] + " keeping " + " and ".join(["Channel: Trade, Web", "Net: ≥ 100"] * 155)
        )
        tried: list[tuple[str, str, float, float, Callable[[], object]]] = [
            ("read a typed sentence", "one frame, 16 ms", FRAME, 0.3, lambda: readings(SENTENCE, words)),
            (
                "read a short one",
                "one frame, 16 ms",
                FRAME,
                0.3,
                lambda: readings("net by region and month, trade only", words),
            ),
            (f"read a sentence of {len(long):,} characters", "50 ms", 0.05, 1, lambda: readings(long, words)),
            (
                "list what can come next",
                "two frames",
                2 * FRAME,
                1,
                lambda: completions("net by region and month, tr", words),
            ),
        ]
        found = []
        for what, anchor, seconds, aim, work in tried:
            work()
            found.append(Row(what, anchor, min(timed(work) for _ in range(10)), seconds, aim))
            print(found[-1].markdown(), flush=True)
        return found
