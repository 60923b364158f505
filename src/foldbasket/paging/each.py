"""One report after the other: a fold kept to each member of a field in turn, with its own totals and the member in its title."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import msgspec

from foldbasket.folding.filters.members import of_member
from foldbasket.folding.report.report import Report
from foldbasket.sentence.phrases import label_of
from foldbasket.spec.filter import Filter, OneField
from foldbasket.spec.fold import Fold, Measure, Placed
from foldbasket.spec.page import Each

replace = msgspec.structs.replace


def for_each(fold: Fold, again: Callable[[Fold], Report], each: Each) -> Iterator[tuple[Fold, str]]:
    """The fold once for each member that has records, in order of their labels, and what the member is called. A picker of the field is set to the
    member; where there is none, a filter keeps to it. `again` folds; raises what it raises."""
    named = Placed("each", each.field, part=each.part)
    # With the fold's own measures, which decide whose records it is about: some of them may find no partner in the field's table.
    measures = (*(replace(each, compare=None) for each in fold.measures), Measure(_free(fold), "count"))
    listed = again(Fold("members", measures, (named,), filters=fold.filters)).rows
    picker = next((rule for rule in fold.filters if rule.picker and _is_about(rule, each)), None)
    title = fold.look.title if fold.look.title is not None else label_of(fold)
    for line in range(len(listed)):
        if not listed.heads or int(listed.level[line]) != 1:
            continue
        label = listed.label(line, 0)
        rule = of_member(picker.id if picker is not None else _free(fold), each.field, each.part, listed.token(line, 0))
        if picker is not None:
            rule = replace(rule, picker=picker.picker)
            filters = tuple(rule if one is picker else one for one in fold.filters)
        else:
            filters = (*fold.filters, rule)
        yield replace(fold, filters=filters, look=replace(fold.look, title=f"{title}, {label}")), label


def _is_about(rule: Filter, each: Each) -> bool:
    return isinstance(rule, OneField) and (rule.field, rule.part) == (each.field, each.part)


def _free(fold: Fold) -> str:
    taken = {word.id for word in fold.words()}
    return next(name for at in range(len(taken) + 1) if (name := f"each {at}") not in taken)
