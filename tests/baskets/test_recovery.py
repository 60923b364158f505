"""Unsaved work that a crash left is found again; that of a running program is not."""

import os

from foldbasket.baskets import recovery
from foldbasket.demo.scenario import demo_basket

BASKET = demo_basket(["order_lines", "orders", "customers", "varieties", "sellers"])


def test_work_of_a_program_that_died_is_found_and_that_of_a_running_one_is_not(tmp_path):
    recovery.write_aside(BASKET, tmp_path / "b.basket")
    assert recovery.left_over() == []
    child = os.fork()
    if child == 0:
        recovery.write_aside(BASKET, None)
        os._exit(0)
    os.waitpid(child, 0)
    (found,) = recovery.left_over()
    assert (found.basket, found.path) == (BASKET, None)
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
    assert recovery.left_over() == []
    assert len(list(recovery.folder().iterdir())) == 3
