"""Reports of a basket written without a window: which folds, for which members, in which style, into which files.

The command line asks for it; it decides nothing about how problems are shown.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import msgspec

from foldbasket.baskets.basket import Basket
from foldbasket.baskets.files import Opened
from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.errors import BasketError, FoldBasketError, OutputError, reason_of
from foldbasket.folding.engine import Engine
from foldbasket.folding.filters.members import Members
from foldbasket.folding.report.report import Report
from foldbasket.opening.ready import Ready
from foldbasket.outputs.formats import save_report
from foldbasket.outputs.index import Entry, save_index
from foldbasket.paging.each import for_each
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter
from foldbasket.spec.fold import Fold
from foldbasket.spec.page import Each
from foldbasket.styling.styles import STYLES
from foldbasket.typed import meant

replace = msgspec.structs.replace


class Wanted(msgspec.Struct, frozen=True):
    """What is to be written: files by patterns with {fold} and {member}, their shape, one fold or all, a field for each member of which a
    report is written, a style, what is set of pickers and of the as-of date, by name, and a file for an index of all that was written."""

    to: Sequence[str]
    shape: str = "table"
    fold: str | None = None
    each: str | None = None
    style: str | None = None
    settings: tuple[tuple[str, str], ...] = ()
    index: str | None = None


class Written(msgspec.Struct, frozen=True):
    """A report and the file that it was written to."""

    report: Report
    path: Path
    member: str = ""

    @property
    def entry(self) -> Entry:
        """What an index says of it."""
        report = self.report
        return Entry(report.name, self.member, self.path, report.height, report.width, report.kept, report.records)


def prepared(basket: Basket, wanted: Wanted) -> Basket:
    """The basket with its pickers and its as-of date set, and in a style. Raises BasketError for a name that is not there."""
    for name, value in wanted.settings:
        basket = replace(basket, as_of=value) if name.casefold() == "as-of" else _picked(basket, name, value)
    if wanted.style is not None:
        known = [*STYLES, *(style.key for style in basket.styles)]
        if wanted.style not in known:
            raise BasketError(
                f"there is no style “{wanted.style}”. {meant(wanted.style, known)}".rstrip(),
                todo=f"Styles are: {', '.join(known)}.",
            )
        folds = tuple(replace(fold, look=replace(fold.look, style=wanted.style)) for fold in basket.folds)
        basket = replace(basket, folds=folds)
    return basket


def _picked(basket: Basket, name: str, value: str) -> Basket:
    """The basket with a picker set to members, with commas between; “any” keeps all."""
    pickers = list(dict.fromkeys(rule.picker for fold in basket.folds for rule in fold.filters if rule.picker))
    if name not in pickers:
        listed = ", ".join(pickers) or "none"
        raise BasketError(
            f"there is no picker “{name}”. {meant(name, pickers)}".rstrip(), todo=f"Pickers are: {listed}; and as-of."
        )
    members = () if value == "any" else tuple(each.strip() for each in value.split(",") if each.strip())

    def set_to(rule: Filter) -> Filter:
        if rule.picker != name:
            return rule
        if rule.field is None:
            raise BasketError(f"the picker “{name}” is about no single field.", todo="Set it in the window.")
        return Members(rule.id, rule.field, rule.part, members=members, exclude=not members, picker=name)

    folds = tuple(replace(fold, filters=tuple(map(set_to, fold.filters))) for fold in basket.folds)
    return replace(basket, folds=folds)


def folds_of(basket: Basket, wanted: Wanted) -> list[Fold]:
    """The folds to write. Raises OutputError where it is not said which."""
    if wanted.fold is not None:
        return [basket.fold_named(wanted.fold)]
    if len(basket.folds) == 1 or all("{fold}" in each for each in wanted.to):
        return list(basket.folds)
    listed = ", ".join(f"“{fold.name}”" for fold in basket.folds) or "none"
    raise OutputError(
        f"the basket has {len(basket.folds)} folds.", where=basket.name, todo=f"Name one with --fold: {listed}."
    )


def written(
    opened: Opened, basket: Basket, ready: Ready, wanted: Wanted, tell: Callable[[str], None]
) -> Iterator[Written]:
    """Writes every report that is wanted, one after the other, and an index of them at the end; what cannot be written is told, and the others are."""
    done: list[Entry] = []
    guard = OutputGuard(opened.basket, opened.path, opened.folder)
    taken: set[str] = set()
    for fold in folds_of(basket, wanted):
        try:
            asked = list(_each(fold, ready.engine, wanted))
        except FoldBasketError as error:
            tell(f"the fold “{fold.name}” cannot be made: {error}")
            continue
        for one, member, patterns in asked:
            # Named before it is folded, so that a file bears the same name whether others fail or not.
            paths = [free_path(pattern, fold.name, member, taken) for pattern in patterns]
            try:
                report = basket.worn(ready.engine.fold(one), one).of(one, opened.path.name)
                report = report.listing() if wanted.shape == "listing" else report
            except FoldBasketError as error:
                tell(f"the fold “{fold.name}” cannot be made: {error}")
                continue
            for path in paths:
                try:
                    _save(report, path, "table" if wanted.shape == "listing" else wanted.shape, guard)
                except FoldBasketError as error:
                    tell(f"the fold “{fold.name}” cannot be made: {error}")
                    continue
                done.append(Written(report, path, member).entry)
                yield Written(report, path, member)
            for remark in report.remarks:
                tell(f"the fold “{fold.name}”: {remark}")
    if wanted.index is not None:
        try:
            save_index(done, Path(wanted.index), basket.name, guard)
        except FoldBasketError as error:
            tell(f"the index cannot be made: {error}")


def _each(fold: Fold, engine: Engine, wanted: Wanted) -> Iterator[tuple[Fold, str, list[str]]]:
    """The folds to write, the member that each is kept to and named by, and the patterns of its files: the fold as it is; or once for each member of a
    field that has records. A PDF whose name has no {member} holds them all, behind one another."""
    if wanted.each is None:
        yield fold, "", list(wanted.to)
        return
    each = Each(field_named(engine, wanted.each, fold))
    together = [pattern for pattern in wanted.to if pattern.lower().endswith(".pdf") and "{member}" not in pattern]
    if together:
        yield replace(fold, page=replace(fold.page, each=each)), "", together
    apart = [pattern for pattern in wanted.to if pattern not in together]
    if apart:
        yield from ((one, member, apart) for one, member in for_each(fold, engine.fold, each))


def field_named(engine: Engine, name: str, fold: Fold) -> FieldRef:
    """The field of a name: where several tables have one, that which the fold uses, or the one with its table before a dot. Raises
    BasketError."""
    tables = engine.source.tables
    found = [
        FieldRef(key, field)
        for key, table in tables.items()
        for field in table.columns
        if name.casefold() in (field.casefold(), f"{table.name}.{field}".casefold())
    ]
    used = [ref for ref in found if ref in fold.fields()]
    if len(found) == 1 or len(used) == 1:
        return (used or found)[0]
    known = [field for table in tables.values() for field in table.columns]
    if not found:
        raise BasketError(
            f"there is no field “{name}”. {meant(name, known)}".rstrip(),
            todo="Fields are listed by: fold-basket check.",
        )
    listed = ", ".join(f"{tables[ref.table].name}.{ref.field}" for ref in found)
    raise BasketError(f"“{name}” is a field of several tables.", todo=f"Say which: {listed}.")


def _save(report: Report, path: Path, shape: str, guard: OutputGuard) -> None:
    guard.check(path)  # before its folder is made
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except (OSError, ValueError) as error:
        raise OutputError(
            f"the folder cannot be made ({reason_of(error)}).", where=str(path.parent), todo="Choose another place."
        ) from None
    save_report(report, path, shape, guard=guard)


def free_path(pattern: str, fold: str, member: str, taken: set[str]) -> Path:
    """The file of a report: its names where a file can bear them, with a number behind where two would be one file."""
    number, own = 1, {"{fold}": file_name(fold), "{member}": file_name(member) if member else ""}
    where = "{member}" if member and "{member}" in pattern else "{fold}"
    while True:
        numbered = {where: f"{own[where]} ({number})"} if number > 1 else {}
        # In one go, so that a report or member that is called by a mark is not taken for one.
        path = re.sub(r"\{fold\}|\{member\}", lambda mark, names={**own, **numbered}: names[mark[0]], pattern)  # type: ignore[misc]
        if number > 1 and where not in pattern:
            whole = Path(path)
            path = str(whole.with_name(f"{whole.stem} ({number}){whole.suffix}"))
        if path.casefold() not in taken:
            taken.add(path.casefold())
            return Path(path)
        number += 1


def file_name(name: str) -> str:
    """A name as part of a file's name."""
    return "".join("-" if sign in '/\\:*?"<>|\0' else sign for sign in name).strip(". ") or "fold"
