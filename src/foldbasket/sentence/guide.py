"""The language of sentences explained, made from the grammar and from the kinds themselves: `docs/sentence.md`, with an example for every phrase."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from foldbasket.folding.members.parts.part import PARTS
from foldbasket.folding.states.aggregates.aggregate import AGGREGATES
from foldbasket.sayings import Saying, Slot, joined, saying
from foldbasket.sentence.grammar import options
from foldbasket.spec.comparison import Comparison
from foldbasket.spec.cut import Bands
from foldbasket.spec.filter import Filter, OneField
from foldbasket.spec.fold import TotalOf
from foldbasket.spec.order import Keep

HEAD = """\
# The sentence

A report is one sentence. The window writes it and reads it (Ctrl+L twice, or a double click beside its words); `fold-basket show` takes it on the
command line; pages carry it as their subtitle. What is written in full reads back as the same report, its looks aside.

```
sentence = measures [ "for each" axis ] [ "across" axis ] [ "keeping" filters ] [ ";" settings ]
measures = measure { "and" measure }
measure  = what [ ", as" comparison ] [ ", with totals …" ] [ "called" name ]
what     = field "," aggregated | "records, counted" | [ name "=" ] "[" formula "]"
axis     = placed { "›" placed }
placed   = [ part "of" ] field [ bands | "in groups" ] [ "(" wish { ";" wish } ")" ] [ "called" name ]
filters  = filter { "and" filter }
filter   = condition { "or" condition } [ ", offered as" name ] | "where" "[" formula "]"
```

> Net, summed called "Net sales" and Net, summed, as % of the column for each Region › Site (top 5 by Net sales, the rest as one; largest first by Net
> sales) across Quarter of Order date keeping Channel: Trade, Web and Order date: the last 4 quarters; no grand total of columns

- Articles, case and plural do not matter: *the last quarters*, *Last quarter*. `>` serves for `›`; `<=`, `>=` and `<>` for `≤`, `≥` and `≠`.
- A name with odd signs, or with words of the language in it, stands in double quotes; a quote within is written twice. Where two tables have a field of one
  name, and the measures do not tell which is meant, its table follows: *Line of Varieties*.
- Where a sentence can be understood in more than one way nothing is guessed: each way is offered, written in full.
- A sentence that cannot be read changes nothing, and says which word it was, where, and what was meant or could stand there.

## Short forms

| typed | means |
|---|---|
"""
SHORT = {
    "net by region": "Net, summed for each Region",
    "net by region by month": "Net, summed for each Region across Month of Order date",
    "net by region and month, trade only": "Net, summed for each Region › Month of Order date keeping Channel: Trade",
    "avg unit price by line, top 10 customer": "Unit price, averaged for each Line › Customer (top 10 by Unit price; largest first by Unit price)",
    "count orders per seller": "Order no. of Orders, values counted for each Seller",
    "net in March 2026 by team": "Net, summed for each Team keeping Month of Order date: Mar 2026",
    "net by channel, last 4 quarters": "Net, summed for each Channel keeping Order date: the last 4 quarters",
    "net 2026 vs 2025 by region": "Net, summed and Net, summed, as % change from the one before for each Region across Year of Order date keeping Year of Order date: 2026, 2025",
    "net by line without herbs": "Net, summed for each Line keeping Line: not Herbs",
    "net by pot size without promotion": "Net, summed for each Pot size keeping Promotion: blank",
    "share of net by channel": "Net, summed, as % of everything for each Channel",
    "net and share by channel": "Net, summed and Net, summed, as % of everything for each Channel",
    "net by channel as share": "Net, summed, as % of everything for each Channel",
    "net by site, net > 1,000": "Net, summed for each Site keeping Net: > 1000",
    "count by channel": "Records, counted for each Channel",
    "how many customers by region": "Customer, different values counted for each Region",
    "net by site sorted by cost": "Net, summed and Cost, summed for each Site (largest first by Cost)",
    "net since March 2026 where channel is web": "Net, summed keeping Order date: from 1 Mar 2026 and Channel: Web",
    "net by month from October 2025 to March 2026": "Net, summed for each Month of Order date keeping Order date: 1 Oct 2025 to 31 Mar 2026",
    "running net by month": "Net, summed, as running total for each Month of Order date",
    "net growth by quarter": "Net, summed, as % change from the one before for each Quarter of Order date",
    "net by quarter vs last year": "Net, summed and Net, summed, as % change from a year before for each Quarter of Order date",
    "net by region, no totals": "Net, summed for each Region; no grand total of rows; no grand total of columns",
}  # fmt: skip
WISHES = {
    "largest first by Net": "in the order of a measure; *smallest first by* turns it",
    "largest first by Net in 2026": "in the order that it has in one column, or in one row",
    "in reverse order": "by name, the last first",
    "beginning with Web, Trade": "these first, then the others",
    "top 3 by Net, the rest as one": "what is not picked stands in one line",
    "subtotals before": "the total of each member before its parts",
    "no subtotals": "no total of each member",
    "with members without records": "members that no record has, too",
    "all folded up": "every member in one line",
    "all folded up but Trade": "all but these",
    "folded up Trade, Web": "these alone",
    "Shops: Counter, Phone; the others as Elsewhere": "members that stand as one, of a field *in groups*",
}  # fmt: skip
SETTINGS = {
    "no grand total of rows": "*of columns* alike", "grand total of rows before them": "*of columns* alike",
    "totals of what is shown": "not of all records kept", "measures along rows": "one below another; *after 1 field* says where",
}  # fmt: skip
EXAMPLES = {"number": "10", "ordinal": "90th", "numbers": "0, 100, 1000", "values": "Trade, Web", "measure": "Cost", "word": "Region", "member": "2025",
            "text": '"er"', "field": "Quantity", "formula": "[Net > 2 * Cost]", "value": "100"}  # fmt: skip
FIELDS = {"relative": "Order date", "compare": "Net", "between": "Net", "blank": "Promotion"}


def document() -> str:
    """The whole document, as Markdown."""
    lines = [HEAD.rstrip()]
    lines += [f"| {said} | {full} |" for said, full in SHORT.items()]
    lines += _table(
        "Aggregations",
        "Behind a field. Before one: "
        + ", ".join(dict.fromkeys(short for each in AGGREGATES for short in each.short))
        + ".",
        _aggregates(),
    )
    lines += _table(
        "Comparisons",
        "Behind “, as”.",
        _kinds(Comparison.kinds, "Net, summed and Cost, summed, as {} for each Region across Year of Order date"),
    )
    lines += ["", "## Totals of a measure", ""]
    lines += [
        f"- `, {each.said}`: {each.meaning.lower() or each.label}" for each in TotalOf if each is not TotalOf.RECORDS
    ]
    lines += [
        "",
        "## Parts of dates",
        "",
        "Before “of” and a date: " + ", ".join(f"*{part.label.lower()}*" for part in PARTS.values()) + ".",
    ]
    lines += _table(
        "Bands", "Behind a field of numbers.", _kinds(Bands.kinds, "Records, counted for each Unit price {}")
    )
    lines += _table(
        "Picking",
        "In brackets behind a field.",
        _kinds(Keep.kinds, "Net, summed and Cost, summed for each Customer ({})"),
    )
    lines += [
        "",
        "## Other wishes in brackets",
        "",
        "| said | means |",
        "|---|---|",
        *(f"| {each} | {means} |" for each, means in WISHES.items()),
    ]
    lines += _table("Filters", "Behind a field and a colon.", _filters())
    lines += [
        "",
        "## Settings",
        "",
        "Behind a semicolon, at the end.",
        "",
        "| said | means |",
        "|---|---|",
        *(f"| {each} | {means} |" for each, means in SETTINGS.items()),
    ]
    return "\n".join(lines) + "\n"


def examples() -> list[str]:
    """Every example of it, as a sentence that reads."""
    rows = [*_aggregates(), *_kinds(Comparison.kinds, "Net, summed and Cost, summed, as {} for each Region across Year of Order date"),
            *_kinds(Bands.kinds, "Records, counted for each Unit price {}"), *_kinds(Keep.kinds, "Net, summed and Cost, summed for each Customer ({})"), *_filters()]  # fmt: skip
    wished = [
        f"Net, summed for each Channel{' in groups' if ':' in each else ''} ({each}) across Year of Order date"
        for each in WISHES
    ]
    return [
        *SHORT,
        *SHORT.values(),
        *(example for _, example, _ in rows),
        *wished,
        *(f"Net, summed for each Region; {each}" for each in SETTINGS),
    ]


Row = tuple[str, str, str]


def _table(title: str, before: str, rows: Iterator[Row]) -> list[str]:
    return [
        "",
        f"## {title}",
        "",
        before,
        "",
        "| said | for example | means |",
        "|---|---|---|",
        *(f"| {said} | {example} | {means} |" for said, example, means in rows),
    ]


def _aggregates() -> Iterator[Row]:
    for each in AGGREGATES:
        how = each.saying or saying(each.said)
        if each.needs_field:
            yield _said(each, how), f"Net, {_example(each, how)}", each.meaning
        else:
            yield "records, counted", "Records, counted", each.meaning


def _kinds(kinds: Any, sentence: str) -> Iterator[Row]:
    for kind in kinds:
        for how in _written(kind):
            yield _said(kind, how), sentence.format(_example(kind, how)), _meaning(kind)


def _filters() -> Iterator[Row]:
    for tag in Filter.kinds.keys():  # noqa: SIM118 - they are no mapping
        kind = Filter.kinds[tag]
        lead = f"{FIELDS.get(tag, 'Channel')}: " if issubclass(kind, OneField) else ""
        for how in _written(kind):
            yield _said(kind, how), f"Net, summed keeping {lead}{_example(kind, how)}", _meaning(kind)


def _written(kind: Any) -> list[Saying]:
    """The sayings that are written, without those that are only read."""
    return [how for how in kind.sayings if not any(slot.name.startswith("_") for slot in how.slots)]


def _meaning(kind: Any) -> str:
    return " ".join((kind.__doc__ or "").split()).replace("`", "").replace("|", "or")


def _said(kind: Any, how: Saying) -> str:
    words = []
    for is_optional, pieces in how.parts:
        said = joined([_slot(kind, piece) if isinstance(piece, Slot) else piece for piece in pieces])
        words.append(f"[{said}]" if is_optional and said else said)
    return joined(words)


def _slot(kind: Any, slot: Slot) -> str:
    if slot.sort in ("choice", "units"):
        return "⟨" + " / ".join(str(getattr(each, "said", each)) for each in options(kind, slot)) + "⟩"
    return f"⟨{ {'word': 'field', 'values': 'members', 'ordinal': '90th'}.get(slot.sort, slot.sort) }⟩"


def _example(kind: Any, how: Saying) -> str:
    words = []
    for piece in (piece for _, pieces in how.parts for piece in pieces):
        if not isinstance(piece, Slot):
            words.append(piece)
        elif piece.sort in ("choice", "units"):
            first = options(kind, piece)[0]
            words.append(f"{getattr(first, 'said', first)}{'s' if piece.sort == 'units' else ''}")
        elif piece.sort == "word" and any(slot.sort == "member" for slot in how.slots):
            words.append("Year of Order date")
        else:
            words.append(EXAMPLES[piece.sort])
    return joined(words)
