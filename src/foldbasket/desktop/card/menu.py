"""A card as a menu, for a right click: the same choices, under the same names."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMenu, QWidget

from foldbasket.desktop.card.parts import CardBody, Offered

MOST_LISTED = 60
"""A menu of more choices than that could not be read; they stay on the card, which can be typed into."""


def new_menu(parent: QWidget) -> QMenu:
    """A menu that goes when it was used."""
    menu = QMenu(parent)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    return menu


def add(menu: QMenu, text: str, act: Callable[[], Any], *, chosen: bool | None = None) -> None:
    """Adds an action; one of several choices has a mark where it is `chosen`."""
    action = menu.addAction(_plain(text))
    assert action is not None
    if chosen is not None:
        action.setCheckable(True)
        action.setChecked(chosen)
    action.triggered.connect(lambda _=False: act())


def submenu(menu: QMenu, text: str) -> QMenu:
    """Adds a menu within a menu."""
    inner = menu.addMenu(_plain(text))
    assert inner is not None
    return inner


def add_card(menu: QMenu, body: CardBody) -> None:
    """Adds what a card offers: a section of one choice as a menu of its own, its links as they are."""
    last = ""
    for each in body.offered:
        if len(each.choices) > MOST_LISTED:
            continue
        if not each.choices:
            if each.section != last:
                menu.addSeparator()
            add(menu, each.label, each.act)
        else:
            _add_choices(menu, each)
        last = each.section


def _add_choices(menu: QMenu, offered: Offered) -> None:
    name = offered.section if not offered.label else f"{offered.section}: {offered.label}"
    inner = submenu(menu, name)
    for value, text in offered.choices:
        add(inner, text, partial(offered.act, value), chosen=value == offered.chosen)


def _plain(text: str) -> str:
    return text.replace("&", "&&")  # a name may hold the sign that marks a key
