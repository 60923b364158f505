"""How pickers answer to one another: for each member of a picker's field the records that all the other filters keep, so that one sees what picking it would bring."""

from __future__ import annotations

import msgspec

from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.report.report import Report
from foldbasket.spec.filter import OneField
from foldbasket.spec.fold import Fold, Measure, Placed, Where

replace = msgspec.structs.replace
PICKED = "picked"


class Counts(msgspec.Struct, frozen=True):
    """Records by the key of their member; and those that are blank in the field, or have no partner in its table."""

    members: dict[str, int]
    blank: int = 0
    no_match: int = 0


def answering(fold: Fold, word: str) -> Fold | None:
    """The fold that counts a fold's records for each member of one of its filters, by all its other filters; None for a filter that is not about one field."""
    rule = next((each for each in fold.filters if each.id == word), None)
    if not isinstance(rule, OneField):
        return None
    # The fold's own measures stay, since they say whose records are counted; what they are compared with does not.
    measures = tuple(replace(each, compare=None) for each in fold.measures)
    return Fold(
        fold.name,
        (*measures, Measure(PICKED + " records", "count")),
        (Placed(PICKED, rule.field, rule.part),),
        filters=tuple(each for each in fold.filters if each.id != word),
        row_total=Where.OFF,
    )


def counts_of(report: Report) -> Counts:
    """The counts that such a fold came to."""
    block, axis = report.blocks[-1], report.rows
    members, blank, no_match = {}, 0, 0
    for line in range(len(axis)):
        if axis.kind[line] != Kind.MEMBER or block.blank[line, 0]:
            continue
        many, key = int(block.data[line, 0]), axis.key(line, 0)
        if key is not None:
            members[key] = many
        elif int(axis.codes[line, 0]) == axis.heads[0].domain.blank:
            blank = many
        else:
            no_match = many
    return Counts(members, blank, no_match)
