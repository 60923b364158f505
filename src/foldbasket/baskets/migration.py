"""Baskets of older versions of the format, brought to the present one step at a time, as JSON gives them.

A step changes what is there and leaves alone what does not have the shape it expects: that is told afterwards, by the types. Each is
described in docs/basket-format.md.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
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


FISCAL_MONTH = "fiscal month of year"


def _fiscal_months_of_the_calendar(document: Document) -> Document:
    """2 to 3: a month of the fiscal year is named by the month of the calendar, `07` for July whenever the year starts. Version 2 read it as its place in the
    fiscal year, so that with a year from July `07` meant January."""
    fiscal = document.get("fiscal")
    start = fiscal.get("month", 1) if isinstance(fiscal, dict) else 1
    if not isinstance(start, int) or not 2 <= start <= 12:
        return document

    def key(said: Any) -> Any:
        if not isinstance(said, str) or not re.fullmatch(r"0[1-9]|1[0-2]", said):
            return said
        return f"{(int(said) + start - 2) % 12 + 1:02d}"

    document = _copied(document)
    for fold in _dicts(document.get("folds")):
        _rename_members(fold, key)
        for rule in _rules(fold.get("filters")):
            if rule.get("part") == FISCAL_MONTH:
                for name in ("members", "value", "low", "high"):
                    if name in rule:
                        rule[name] = _mapped(rule[name], key)
    return document


def _rename_members(fold: Document, key: Callable[[Any], Any]) -> None:
    """Gives members of months of the fiscal year other keys, in all that an axis, a look or a comparison says of them."""
    axes = [_dicts(fold.get(axis)) for axis in ("rows", "columns")]
    for words, others in (axes, axes[::-1]):
        is_month, other_is_month = ([word.get("part") == FISCAL_MONTH for word in each] for each in (words, others))
        for word, own in zip(words, is_month, strict=True):
            if own:
                groups = word.get("groups")
                for group in _dicts(groups.get("groups") if isinstance(groups, dict) else None):
                    group["members"] = _mapped(group.get("members"), key)
                if "first" in word:
                    word["first"] = _mapped(word["first"], key)
            if isinstance(word.get("turned"), list):
                word["turned"] = [_path(each, is_month, key) for each in word["turned"]]
            if isinstance(by := word.get("by"), dict) and "among" in by:
                by["among"] = _path(by["among"], other_is_month, key)
    months = {word.get("id") for words in axes for word in words if word.get("part") == FISCAL_MONTH}
    look = fold.get("look")
    for said in _dicts(look.get("said") if isinstance(look, dict) else None):
        if said.get("word") in months and "member" in said:
            said["member"] = key(said["member"])
    innermost = next((words[-1].get("id") for words in axes if words), None)
    for measure in _dicts(fold.get("measures")):
        compare = measure.get("compare")
        if isinstance(compare, dict) and compare.get("along", innermost) in months and "member" in compare:
            compare["member"] = key(compare["member"])


def _rules(filters: Any) -> Iterator[Document]:
    """Every filter, those within alternatives too."""
    for rule in _dicts(filters):
        yield rule
        yield from _rules(rule.get("rules"))


def _path(path: Any, is_month: Sequence[bool], key: Callable[[Any], Any]) -> Any:
    if not isinstance(path, list):
        return path
    return [key(each) if at < len(is_month) and is_month[at] else each for at, each in enumerate(path)]


def _mapped(value: Any, key: Callable[[Any], Any]) -> Any:
    return [key(each) for each in value] if isinstance(value, list) else key(value)


def _copied(value: Any) -> Any:
    if isinstance(value, dict):
        return {name: _copied(each) for name, each in value.items()}
    return [_copied(each) for each in value] if isinstance(value, list) else value


STEPS: dict[int, Callable[[Document], Document]] = {1: _kinds_said, 2: _fiscal_months_of_the_calendar}
"""From each older version to the next."""
