"""Threads that decode the same types for the first time at once."""

import subprocess
import sys

import pytest

from foldbasket.demo.scenario import write_demo

AT_ONCE = """
import sys, threading
from pathlib import Path
{imports}
many = 8
gate = threading.Barrier(many)
def go():
    gate.wait()
    {work}
threads = [threading.Thread(target=go) for _ in range(many)]
[each.start() for each in threads]
[each.join() for each in threads]
print("done")
"""
WORK = {
    "basket": ("from foldbasket.baskets.files import open_basket", "open_basket(Path(sys.argv[1]))"),
    "sources": (
        "from foldbasket.tables.reading.readers import read_table",
        "read_table(Path(sys.argv[1]).parent / 'orders.csv', 'T')",
    ),
    "schema": ("from foldbasket.baskets.schema import basket_schema", "basket_schema()"),
    "edits": (
        "from foldbasket.baskets.files import decode, encode\nfrom foldbasket.demo.scenario import demo_basket",
        "decode(encode(demo_basket(['order_lines'])), 'b')",
    ),
}


@pytest.mark.parametrize("what", WORK)
def test_a_process_lives_through_it(tmp_path, what):
    basket = write_demo(tmp_path, 300)
    imports, work = WORK[what]
    for _ in range(4):
        made = subprocess.run(
            [sys.executable, "-c", AT_ONCE.format(imports=imports, work=work), str(basket)],
            capture_output=True,
            text=True,
        )
        assert (made.returncode, made.stdout) == (0, "done\n"), made.stderr[-2000:]
