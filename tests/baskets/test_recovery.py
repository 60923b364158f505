"""Unsaved work that a crash left is found again, its pasted records too; that of a running program is not."""

import json
import os
import signal

import msgspec

from foldbasket.baskets import recovery
from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.files import encode
from foldbasket.demo.scenario import demo_basket
from foldbasket.tables.column import text_column
from foldbasket.tables.table import Table

BASKET = demo_basket(["order_lines", "orders", "customers", "varieties", "sellers"])


def in_another_process(work):
    child = os.fork()
    if child == 0:
        work()
        os.kill(os.getpid(), signal.SIGKILL)
    os.waitpid(child, 0)
    return child


def test_work_of_a_program_that_died_is_found_and_that_of_a_running_one_is_not(tmp_path):
    recovery.write_aside(BASKET, tmp_path / "b.basket")
    assert recovery.left_over() == []
    in_another_process(lambda: recovery.write_aside(BASKET, None))
    (found,) = recovery.left_over()
    assert (found.basket, found.path) == (BASKET, None)
    recovery.forget(found.found)
    assert recovery.left_over() == []
    recovery.close()
    assert list(recovery.folder().iterdir()) == []


def test_a_process_number_that_is_in_use_again_hides_and_overwrites_nothing(monkeypatch):
    number = in_another_process(lambda: recovery.write_aside(BASKET, None))
    # A new program that happens to have the number of the dead one finds its work, and writes elsewhere.
    monkeypatch.setattr(os, "getpid", lambda: number)
    assert len(recovery.left_over()) == 1
    other = msgspec.structs.replace(BASKET, name="Other")
    recovery.write_aside(other, None)
    (found,) = recovery.left_over()
    assert found.basket == BASKET
    recovery.close()


def test_pasted_records_come_back_with_the_work():
    table = Table.of("Pasted", [text_column("Site", ["Oak", None, "Ash"])])
    spec = SourceSpec("Pasted", data="pasted/abc")
    in_another_process(lambda: recovery.write_aside(Basket(sources=(spec,)), None, {"Pasted": table}))
    (found,) = recovery.left_over()
    column = found.tables()["Pasted"].columns["Site"]
    assert [column.text(at) for at in range(3)] == ["Oak", None, "Ash"]


def test_work_that_an_earlier_version_left_is_found():
    recovery.folder().mkdir(parents=True)
    body = json.dumps({"path": "/x/b.basket", "basket": encode(BASKET).decode()})
    (recovery.folder() / f"{os.getpid()}.json").write_text(body)
    (found,) = recovery.left_over()
    assert str(found.path) == "/x/b.basket"
    recovery.forget(found.found)
    assert recovery.left_over() == []


def test_what_cannot_be_read_is_left_alone():
    recovery.folder().mkdir(parents=True)
    for name, content in (
        ("999999991.json", "{"),
        ("999999992.json", '{"path": null, "basket": "[]"}'),
        ("notes.json", "{}"),
    ):
        (recovery.folder() / name).write_text(content)
    (recovery.folder() / "empty").mkdir()
    assert recovery.left_over() == []
    assert len(list(recovery.folder().iterdir())) == 4
