"""Records inside a basket: never readable by others while they are saved, cleared after a killed save, and never replaced without asking."""

import os
import signal
import stat
import time

import pytest
from tests.folding.build import table

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.files import is_other, open_basket, save_basket, state_of
from foldbasket.opening.reading import load_tables
from foldbasket.tables.reading import parquet

SPECS = (SourceSpec("one", data="pasted/1"), SourceSpec("two", data="pasted/2"))


def records(first):
    return {"one": table("one", {"Net": [first, 2]}), "two": table("two", {"Net": [3, 4]})}


def test_files_of_a_save_are_private_from_the_first_byte_and_a_killed_one_is_cleared(tmp_path):
    path = tmp_path / "private.basket"
    save_basket(Basket(sources=SPECS), path, records(1))
    path.chmod(0o600)
    child = os.fork()
    if child == 0:
        parquet.pq.ParquetWriter.write_table = lambda *_: time.sleep(60)
        try:
            save_basket(Basket(name="again", sources=SPECS), path, records(5))
        finally:
            os._exit(1)
    end, seen = time.monotonic() + 30, set()
    while time.monotonic() < end and not any(".parquet" in each.name for each in tmp_path.iterdir()):
        time.sleep(0.01)
    for each in tmp_path.iterdir():
        seen.add((each.name, stat.S_IMODE(each.stat().st_mode)))
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    assert len(seen) == 3, seen
    assert {mode for _, mode in seen} == {0o600}
    save_basket(Basket(sources=SPECS), path, records(1))
    assert sorted(each.name for each in tmp_path.iterdir()) == ["private.basket", "private.basket~"]


@pytest.mark.parametrize("what", ["records", "name", "further source"])
def test_any_entry_that_changed_is_another_basket(tmp_path, what):
    path = tmp_path / "b.basket"
    save_basket(Basket(sources=SPECS), path, records(1))
    mine = open_basket(path)
    assert not is_other(path, mine.state)
    basket, tables = Basket(sources=SPECS), records(1)
    if what == "records":
        tables = records(9)
    elif what == "name":
        basket = Basket(name="other", sources=SPECS)
    else:
        basket = Basket(sources=(*SPECS, SourceSpec("three", data="pasted/3")))
        tables["three"] = table("three", {"Net": [7]})
    save_basket(basket, path, tables)
    assert is_other(path, mine.state)
    assert not is_other(path, state_of(path))
    assert load_tables(open_basket(path))["one"].count == 2


def test_the_same_basket_written_again_is_the_same(tmp_path):
    path = tmp_path / "b.basket"
    save_basket(Basket(sources=SPECS), path, records(1))
    state = open_basket(path).state
    save_basket(Basket(sources=SPECS), path, records(1))
    assert not is_other(path, state)
