"""What of a document an edit changed, found by comparing what was with what is, so that no edit can forget to say it."""

from __future__ import annotations

from enum import Flag, auto

from foldbasket.baskets.basket import Basket


class Changed(Flag):
    """Parts of a document."""

    NOTHING = 0
    SOURCES = auto()
    """Where tables come from, how they are read and mended, their links, and the fields made of them."""
    FOLDS = auto()
    """Any of the folds."""
    SETTINGS = auto()
    """Its name, and how numbers and dates are meant and written."""


def changed(before: Basket, after: Basket) -> Changed:
    """The parts in which two baskets differ. Parts that were left alone are the same object, so this costs next to nothing."""
    found = Changed.NOTHING
    for name in Basket.__struct_fields__:
        was, now = getattr(before, name), getattr(after, name)
        if was is not now and was != now:
            found |= _PART.get(name, Changed.SETTINGS)
    return found


_PART = {
    "sources": Changed.SOURCES,
    "links": Changed.SOURCES,
    "shared": Changed.SOURCES,
    "calculated": Changed.SOURCES,
    "folds": Changed.FOLDS,
}
