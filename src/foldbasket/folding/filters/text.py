"""Keeping by what a text contains."""

from __future__ import annotations

from typing import Annotated, ClassVar

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.errors import FoldError
from foldbasket.folding.filters.asked import Says
from foldbasket.folding.filters.onefield import Mask, RecordFilter
from foldbasket.folding.members.domain import Domain
from foldbasket.kinds import Choice, entered, set_by
from foldbasket.later import exp
from foldbasket.sayings import Saying, saying
from foldbasket.sql.pieces import NoSqlError, Sql, applied, both, is_known, negated, number, text
from foldbasket.tables.types import FieldType


class Way(Choice):
    """How a text is looked for in another."""

    CONTAINS = "contains", "contains", "contain"
    STARTS = "starts", "starts with", "start with"
    ENDS = "ends", "ends with", "end with"
    MATCHES = "matches", "matches (regular expression)", "match"


@entered
class TextRule(RecordFilter, frozen=True, tag="text"):
    """Text that contains, starts with, ends with or matches something; case counts. `matches` takes a regular expression
    (RE2's, which never runs away). With `exclude`, text that does not."""

    standing: ClassVar[int] = 40
    sayings: ClassVar[tuple[Saying, ...]] = tuple(
        saying(f"{words} {{text:text}}", how=how, exclude=exclude)
        for how in Way
        for exclude, words in ((False, how.label.partition(" (")[0]), (True, f"does not {how.said}"))
    )
    label: ClassVar[str] = "Text"
    meaning: ClassVar[str] = "Keep text that contains, starts with, ends with or matches something."
    how: Annotated[Way, set_by("It", "How the text is looked for.")] = Way.CONTAINS
    text: Annotated[str, set_by("Text", "What is looked for; case counts.", hint="case counts")] = ""
    exclude: Annotated[
        bool, set_by("Keep records", "Records whose text does, or does not.", yes_no=("leave these out", "keep these"))
    ] = False

    @classmethod
    def fits(cls, kind: FieldType) -> bool:
        return kind is FieldType.TEXT

    def keeps_codes(self, domain: Domain) -> Mask:
        if domain.type is not FieldType.TEXT:
            raise FoldError(
                f"“{self.field.field}” is {domain.type.value}, not text.",
                where=f"Filter on “{self.field.field}”",
                todo="Compare it, or give a range.",
            )
        values = domain.dictionary.values
        ask = {
            Way.CONTAINS: pc.match_substring,
            Way.STARTS: pc.starts_with,
            Way.ENDS: pc.ends_with,
            Way.MATCHES: pc.match_substring_regex,
        }[self.how]
        try:
            hit = np.asarray(ask(values, self.text).to_numpy(zero_copy_only=False), np.bool_)
        except pa.ArrowInvalid as error:
            raise FoldError(
                f"“{self.text}” is not a regular expression ({str(error).removeprefix('Invalid regular expression: ')}).",
                where=f"Filter on “{self.field.field}”",
                todo="Mend it, or use contains.",
            ) from None
        kept = np.zeros(domain.size, np.bool_)
        kept[: domain.blank] = hit != self.exclude
        return kept

    def in_sql(self, say: Says) -> Sql:
        said, many = say.member(self.field, self.way).said, len(self.text)
        if self.how is Way.MATCHES:
            raise NoSqlError(f"the regular expression “{self.text}”")
        if not many:
            found = is_known(said)
        elif self.how is Way.CONTAINS:
            found = applied(exp.GT, exp.StrPosition(this=said, substr=text(self.text)), number(0))
        else:
            start: Sql = number(1)
            if self.how is Way.ENDS:
                start = applied(exp.Sub, say.dialect.length(said.copy()), number(many - 1))
            found = applied(exp.EQ, exp.Substring(this=said, start=start, length=number(many)), text(self.text))
            if self.how is Way.ENDS:
                found = both(applied(exp.GTE, say.dialect.length(said.copy()), number(many)), found)
        return both(is_known(said.copy()), negated(found)) if self.exclude else found
