"""The grammar of sentences: made of the frame below and of the sayings that stand on every kind, for reader, completion and docs alike.

There are two ways in: `sentence` is what is written in full, `brief` what people type. Terminals are whole phrases (“for each”, “, as”), so that one
token of look-ahead decides; what stands for a field, a name or a number is found by the reader, which knows what can stand where.
"""

from __future__ import annotations

import contextlib
import re
from collections.abc import Iterator, Mapping
from functools import lru_cache
from pathlib import Path
from typing import Any, get_args, get_type_hints

import msgspec
import platformdirs
from lark import Lark

from foldbasket.folding.compare.shares import Whole
from foldbasket.folding.filters.values import Sign
from foldbasket.folding.members.parts.part import KINDS as PART_KINDS
from foldbasket.folding.members.parts.part import PARTS
from foldbasket.folding.states.aggregates.aggregate import AGGREGATES
from foldbasket.kinds import Choice
from foldbasket.sayings import Saying, Slot, saying
from foldbasket.sentence.tokens import ARTICLES, tokens_of
from foldbasket.spec.comparison import Comparison
from foldbasket.spec.cut import Bands
from foldbasket.spec.filter import Filter, OneField
from foldbasket.spec.fold import TotalOf
from foldbasket.spec.order import Keep
from foldbasket.turns import give_way

NAMES = ("FIELD", "NAME", "NUMBER", "PLACE", "FORMULA", "QUOTED", "MEMBER", "PERIOD", "TABLE")
"""The terminals that are no phrases."""

WORDS: Mapping[str, Sign] = {
    "above": ">",
    "more than": ">",
    "greater than": ">",
    "below": "<",
    "under": "<",
    "less than": "<",
    "at least": "≥",
    "at most": "≤",
}
SIGNS: Mapping[str, Sign] = {
    **{sign: sign for sign in get_args(Sign)},
    **WORDS,
    **{f"is {said}": sign for said, sign in WORDS.items()},
}
"""How a short form says a sign."""

FRAME = """
sentence: [show] [measures] clause* (~;~ setting)*
clause: ~for each|for every|by|per|for~ axis -> rows
    | ~across|over~ axis -> columns
    | ~keeping|only|with~ filters -> kept
show: ~show|give me|what is|what are|what was|what were|how much|how much is~
measures: measure (~and~ measure)*
measure: what suffix*
what: FIELD aggregated -> aggregate | NAME aggregated -> there | FIELD -> usual | records -> recorded | NAME ~=~ FORMULA -> formula | FORMULA -> formula
records: ~records, counted|records|number of records|count of records|how many|how many records~
suffix: ~, as|as~ comparison -> compared | @totals -> totals | ~called~ NAME -> called
axis: placed (~›|then|>~ placed)*
placed: field [bands | ~in groups~] [wishes] [~called~ NAME]
field: [part] FIELD | NAME -> there
wishes: ~(~ wish (~;~ wish)* ~)~
wish: picking [rest] -> picked
    | ~largest first by~ NAME [~in~ path] -> falling
    | ~smallest first by~ NAME [~in~ path] -> rising
    | ~in reverse order~ -> reversed
    | ~beginning with~ values -> first
    | ~subtotals before~ -> before
    | ~no subtotals~ -> off
    | ~with members without records~ -> empty
    | ~all folded up~ [~but~ paths] -> closed
    | ~folded up~ paths -> turned
    | NAME ~:~ values -> group
    | ~the others as~ NAME -> others
rest: ~, the rest as one~
paths: path (~,~ path)*
path: value (~›|>~ value)*
values: value (~,~ value)*
value: NAME | blank | unmatched
blank: ~(blank)~
unmatched: ~(no match)~
filters: filter (~and~ filter)*
filter: plain (~or|, or~ plain)* [offered] -> plainly | ~where~ FORMULA [offered] -> where
offered: ~, offered as~ NAME
plain: field ~:~ condition
setting: ~no grand total of rows~ -> no_row_total
    | ~grand total of rows before them~ -> row_total_before
    | ~no grand total of columns~ -> no_column_total
    | ~grand total of columns before them~ -> column_total_before
    | ~totals of what is shown~ -> shown
    | ~measures along rows~ [after] -> along_rows
    | ~measures along columns~ [after] -> along_columns
after: ~after~ NUMBER ~field~

brief: [show] bit+
bit: joint* item
joint: ~,|and|;|or|then|›|>~ -> also | ~by|per|for each|for every|each~ -> by | ~for|in|of|during|on~ -> for_
    | ~across|over|against~ -> across | ~keeping|where|with~ -> keeping
    | ~not|without|except|but not|except for|excluding|other than~ -> not_ | ~vs|versus~ -> versus
item: FIELD done -> aggregate
    | front FIELD -> front
    | ~count|how many~ FIELD -> front
    | ~share of|% of all|% of~ FIELD -> share
    | ~as share|as a share|in percent|as percent|as % of all|as % of the total~ -> as_share
    | ~share|its share|% of the total~ -> with_share
    | WHOLES -> with_share
    | front TABLE -> counted
    | ~count|how many~ TABLE -> counted
    | FIELD -> bare
    | part FIELD -> part
    | PARTALONE -> part_alone
    | PARTALONE ~:|is|are~ value -> part_is
    | PARTALONE ~is not|are not~ value -> part_is_not
    | PARTALONE sign NAME -> part_compare
    | ends NUMBER (FIELD | TABLE) -> ends
    | NUMBER ends (FIELD | TABLE) -> ends
    | ~top|bottom~ FIELD -> ends_unsaid
    | ends NUMBER part FIELD -> ends
    | ends NUMBER PARTALONE -> ends_alone
    | ends NUMBER -> ends_there
    | ~largest first|biggest first|highest first|descending|desc|in descending order~ -> falling
    | ~smallest first|lowest first|ascending|asc|in ascending order~ -> rising
    | ~sorted by|sort by|ordered by|, order by~ FIELD -> sorted
    | ~no totals|without totals~ -> no_totals
    | ~no subtotals|without subtotals~ -> no_subtotals
    | ~running|cumulative|running total of|cumulative total of~ FIELD -> running
    | ~running total|cumulative~ -> running_there
    | ~growth of~ FIELD -> growth
    | ~growth~ -> growth_there
    | ~year on year|year over year|yoy~ -> year_before
    | FIELD ~:|is|are~ value -> is
    | FIELD ~is not|are not~ value -> is_not
    | FIELD sign NAME -> compare
    | FIELD ~between~ (NUMBER ~and~ (NUMBER | PERIOD) | PERIOD ~and~ NUMBER) -> is_between
    | [FIELD] stretch -> stretched
    | MEMBER -> member
    | PERIOD -> period
    | relative -> relative
    | ~as|, as~ comparison -> compared
    | records -> recorded
    | ~count~ -> recorded
    | TABLE -> table
    | ~only|with totals|with subtotals~ -> anyway
    | ~called~ NAME -> called
stretch: ~since|starting~ PERIOD -> is_since
    | ~after~ PERIOD -> is_after
    | ~before~ PERIOD -> is_before
    | ~until|up to~ PERIOD -> is_until
    | ~from~ PERIOD ~to|until~ PERIOD -> is_within
    | ~between~ PERIOD ~and~ PERIOD -> is_within
ends: ~top|largest|best|highest~ -> top | ~bottom|smallest|worst|lowest~ -> bottom
"""


class Grammar(msgspec.Struct, eq=False):
    """The parser of sentences and what its terminals mean."""

    phrases: dict[str, tuple[str, ...]] = msgspec.field(default_factory=dict)
    """The words of each phrase, as they are known by, by the name of its terminal."""
    shown: dict[str, str] = msgspec.field(default_factory=dict)
    """Each phrase as it is written."""
    meant: dict[str, list[tuple[Any, Saying, tuple[Slot | str, ...]]]] = msgspec.field(default_factory=dict)
    """By the name of a rule, the kinds that it may say, each with its saying and what stands in each place: a slot, or the name of a terminal."""
    choices: dict[str, list[Any]] = msgspec.field(default_factory=dict)
    """What a phrase stands for where it is a choice: members of enums, aggregates, parts of dates."""
    text: str = ""
    alone: frozenset[str] = frozenset()
    """The terminals of the parts of a date that are said by themselves."""

    def terminal(self, words: str) -> str:
        """The terminal of a phrase; the same for phrases of the same words."""
        stems = stems_of(words)
        for name, known in self.phrases.items():
            if known == stems:
                return name
        name = f"P{len(self.phrases)}"
        self.phrases[name], self.shown[name] = stems, words
        return name

    def choice(self, words: str, means: Any) -> str:
        """The terminal of a phrase that stands for a choice."""
        name = self.terminal(words)
        known = self.choices.setdefault(name, [])
        if not any(each is means for each in known):
            known.append(means)
        return name

    def rule(self, name: str, sayings: Iterator[tuple[Any, Saying]], before: str = "") -> str:
        """A rule with every form of some sayings; those of the same form are one alternative, which several kinds may mean."""
        forms: dict[str, list[tuple[Any, Saying, tuple[Slot | str, ...]]]] = {}
        for kind, each in sayings:
            give_way()
            for pieces in each.forms():
                parts = [
                    self.terminal(f"{before}{piece}" if at == 0 else piece) if isinstance(piece, str) else piece
                    for at, piece in enumerate(pieces)
                ]
                said = " ".join(part if isinstance(part, str) else self._slot(kind, part) for part in parts)
                forms.setdefault(said, []).append((kind, each, tuple(parts)))
        lines = []
        for at, (said, means) in enumerate(forms.items()):
            alias = f"{name}_{at}"
            self.meant[alias] = sorted(
                means, key=lambda each: not any(slot.sort == "measure" for slot in each[1].slots)
            )
            lines.append(f"{said} -> {alias}")
        return f"{name}: " + "\n    | ".join(lines) + "\n"

    def _slot(self, kind: Any, slot: Slot) -> str:
        if slot.sort in ("choice", "units"):
            return "(" + " | ".join(self.choice(getattr(one, "said", one), one) for one in options(kind, slot)) + ")"
        return {
            "number": "(NUMBER | QUOTED)", "ordinal": "PLACE", "numbers": "number_list", "values": "values", "value": "value", "member": "NAME",
            "text": "QUOTED", "measure": "NAME", "word": "NAME", "field": "FIELD", "formula": "FORMULA",
        }[slot.sort]  # fmt: skip


@lru_cache(maxsize=256)
def options(kind: Any, slot: Slot) -> tuple[Any, ...]:
    """What can be chosen in a slot."""
    hint = get_type_hints(kind)[slot.name]
    return tuple(hint) if isinstance(hint, type) and issubclass(hint, Choice) else get_args(hint)


@lru_cache(maxsize=256)
def is_whole(kind: Any, slot: Slot) -> bool:
    """Whether a slot takes whole numbers alone."""
    return get_type_hints(kind)[slot.name] is int


def stems_of(words: str) -> tuple[str, ...]:
    """What a phrase is known by: articles, case and number do not matter."""
    return tuple(each.stem for each in tokens_of(words) if each.stem not in ARTICLES)


def grammar() -> Grammar:
    """The grammar of all kinds there are."""
    sorts = (Comparison.kinds, Keep.kinds, Bands.kinds, Filter.kinds, AGGREGATES, PART_KINDS)
    return _made(tuple(each.version for each in sorts))


@lru_cache(maxsize=8)
def _made(versions: tuple[int, ...]) -> Grammar:
    made = Grammar()

    def phrase(match: re.Match[str]) -> str:
        names = [made.terminal(each) for each in match[1].split("|")]
        return names[0] if len(names) == 1 else f"({' | '.join(names)})"

    text = re.sub(r"~([^~]+)~", phrase, FRAME)
    totals = [made.choice(f", {each.said}", each) for each in TotalOf if each is not TotalOf.RECORDS]
    alone = [made.choice(each, each) for each in _alone()]
    made.alone = frozenset(alone)
    text = text.replace("@totals", f"({' | '.join(totals)})").replace("PARTALONE", f"({' | '.join(alone)})")
    wholes = [made.choice(each.said, each) for each in Whole]
    text = text.replace("WHOLES", f"({' | '.join(wholes)})")
    comma = made.terminal(",")
    rules = [
        made.rule("comparison", _of(Comparison.kinds)),
        made.rule("picking", _of(Keep.kinds)),
        made.rule("bands", _of(Bands.kinds)),
        made.rule("condition", _conditions()),
        made.rule("relative", ((kind, each) for kind, each in _conditions() if kind.stands_alone)),
        made.rule("aggregated", _aggregates(), ", "),
        made.rule("done", _unmistaken(), ", "),
        f"number_list: (NUMBER | QUOTED) ({comma} (NUMBER | QUOTED))*\n",
        "part: " + " | ".join(made.choice(f"{part.label} of", name) for name, part in PARTS.items()) + "\n",
        "front: " + " | ".join(_fronts(made)) + "\n",
        "sign: " + " | ".join(made.terminal(each) for each in SIGNS) + "\n",
    ]
    declared = "%declare " + " ".join([*NAMES, *made.phrases])
    made.text = "\n".join([text, *rules, declared])
    return made


def _of(kinds: Any) -> Iterator[tuple[Any, Saying]]:
    return ((kind, each) for kind in kinds for each in kind.sayings)


def _conditions() -> Iterator[tuple[Any, Saying]]:
    return ((kind, each) for kind, each in _of(Filter.kinds) if issubclass(kind, OneField))


def _aggregates() -> Iterator[tuple[Any, Saying]]:
    for each in AGGREGATES:
        if each.needs_field:
            yield each, each.saying or saying(each.said)


def _unmistaken() -> Iterator[tuple[Any, Saying]]:
    """Aggregates that stand behind their field in a short form, too: not those whose words begin something else there, as “last” does “last month”."""
    others = {stems_of(words)[0] for each in AGGREGATES for words in each.short}
    others |= {
        stems_of(piece)[0]
        for kind, each in _conditions()
        if kind.stands_alone
        for piece in each.parts[0][1][:1]
        if isinstance(piece, str)
    }
    return (
        (each, how) for each, how in _aggregates() if stems_of(how.text)[:1] and stems_of(how.text)[0] not in others
    )


def _fronts(made: Grammar) -> Iterator[str]:
    """The words before what they are about. Those that can stand by themselves, too, are no rule of their own: what follows tells which they are."""
    seen = {made.terminal("count"), made.terminal("how many")}
    for each in AGGREGATES:
        for short in each.short:
            for words in (short, f"{short} of"):
                name = made.choice(words, each)
                if name not in seen:
                    seen.add(name)
                    yield name
    yield made.terminal("number of")


def _alone() -> list[str]:
    """The parts of a date that are said by themselves: “month”, “by weekday”."""
    return [name for name, part in PARTS.items() if "of year" not in name]


@lru_cache(maxsize=8)
def _parser(text: str, start: str) -> Lark:
    """The tables are kept beside other caches of the user, since to make them takes 0.5 s and to read them 0.1; they are made anew where they are of
    another grammar, cannot be read or not be kept."""
    kept = Path(platformdirs.user_cache_dir("fold-basket")) / "grammar" / f"{start}.table"
    with contextlib.suppress(OSError):
        kept.parent.mkdir(0o700, parents=True, exist_ok=True)
    return Lark(text, parser="lalr", start=start, keep_all_tokens=True, maybe_placeholders=False, cache=str(kept))


def parser_of(made: Grammar, start: str) -> Lark:
    """The parser that a grammar makes, from one of its two ways in: each has a table of its own, so that neither takes what only the other has."""
    return _parser(made.text, start)
