"""Baskets of older versions of the format, brought to the present one step at a time, as JSON gives them.

A step changes what is there and leaves alone what does not have the shape it expects: that is told afterwards, by the types. Each is
described in docs/basket-format.md.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

Document = dict[str, Any]


def migrated(document: Document, version: int) -> Document:
    """A document of a version as one of the present version."""
    while version in STEPS:
        document = STEPS[version](document)
        version += 1
    return {**document, "version": version}


def _placed(document: Document) -> Iterator[Document]:
    """Every field on an axis of every fold."""
    for fold in _dicts(document.get("folds")):
        for strand in ("rows", "columns"):
            yield from _dicts(fold.get(strand))


def _dicts(value: Any) -> list[Document]:
    return [each for each in value if isinstance(each, dict)] if isinstance(value, list) else []


def _kinds_said(document: Document) -> Document:
    """1 to 2: bands and pickings are kinds of their own, so which one it is always said, and nothing stands with it that says nothing.

    Version 1 left out “width” and “top”, the number 10 and the sign “>”, the size 100. Ids need no step: where none is given the name
    serves, and version 1 referred by names.
    """
    document = _copied(document)
    for word in _placed(document):
        bands, keep = word.get("bands"), word.get("keep")
        if isinstance(bands, dict):
            bands.setdefault("how", "width")
            if bands["how"] == "edges":
                bands.pop("size", None)
                bands.setdefault("edges", [])
            else:
                bands.pop("edges", None)
                bands.setdefault("size", "100")
        if isinstance(keep, dict):
            keep.setdefault("kind", "top")
            keep.setdefault("number", "10")
            if keep["kind"] == "where":
                keep.setdefault("sign", ">")
            else:
                keep.pop("sign", None)
    return document


def _copied(value: Any) -> Any:
    if isinstance(value, dict):
        return {name: _copied(each) for name, each in value.items()}
    return [_copied(each) for each in value] if isinstance(value, list) else value


STEPS: dict[int, Callable[[Document], Document]] = {1: _kinds_said}
"""From each older version to the next."""
