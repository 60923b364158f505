"""What an editor offers while a formula is written: words to complete, what they mean, and patterns to start from."""

from __future__ import annotations

import re
from collections.abc import Sequence

import msgspec

from foldbasket.formulas.function import FUNCTIONS
from foldbasket.formulas.language import AGGREGATE_NAMES, KEYWORDS
from foldbasket.formulas.parsing import written
from foldbasket.formulas.values import Kind
from foldbasket.typed import BEGINS, fit


class Offer(msgspec.Struct, frozen=True):
    """A word to complete: what is shown, what is written, and what it means."""

    shown: str
    text: str
    meaning: str
    is_measure: bool = False


class Pattern(msgspec.Struct, frozen=True):
    """A formula to start from. Words in double angle brackets are to be filled in; the first is selected."""

    name: str
    text: str
    meaning: str


PATTERNS = (
    Pattern("Difference of two measures", "SUM(«one») - SUM(«other»)", "Right at every total."),
    Pattern("Ratio of two sums", "SUM(«one») / SUM(«other»)", "The ratio of the sums, never the sum of ratios."),
    Pattern("Margin in percent", "(SUM(«net») - SUM(«cost»)) / SUM(«net»)", "What is left of every unit of sales."),
    Pattern("Share where …", "SUM(«amount») FILTER (WHERE «field» = '«member»') / SUM(«amount»)", "How much of an amount a condition holds for."),
    Pattern("Count where …", "COUNT(*) FILTER (WHERE «amount» > 500)", "How many records a condition holds for."),
    Pattern("Days between two dates", "«later date» - «earlier date»", "A number of days for each record."),
    Pattern("Band by amount", "CASE WHEN «amount» >= 500 THEN 'large' WHEN «amount» >= 100 THEN 'middle' ELSE 'small' END", "A name for each record."),
    Pattern("Text before a sign", "SUBSTRING(«field» FROM 1 FOR POSITION('-' IN «field») - 1)", "The first piece of a code."),
    Pattern("Product of two fields", "«one» * «other»", "For each record, exactly."),
)  # fmt: skip


def offers(
    fields: Sequence[tuple[str, str, str]], measures: Sequence[str], ambiguous: frozenset[str] = frozenset()
) -> list[Offer]:
    """Every word that can stand in a formula. `fields` are name, table and what is said of each; those of one name in several
    tables are written with their table."""
    found = [Offer(f"{name} · measure", written(name), "A measure of this report.", True) for name in measures]
    for name, table, said in fields:
        text = written(name, table) if name in ambiguous else written(name)
        found.append(Offer(f"{name} · {table}", text, f"{table} · {said}"))
    found += [Offer(name, f"{name}(", meaning) for name, meaning in AGGREGATE_NAMES.items()]
    for function in FUNCTIONS:
        if not function.is_operator:
            call = function.name if function.most == 0 else f"{function.name}("
            found.append(Offer(function.name, call, f"{function.meaning} {function.example}"))
    found += [Offer(word, word, "a word of the language") for word in KEYWORDS]
    return found


def word_before(text: str, at: int) -> tuple[int, str]:
    """Where the word that is being typed begins, and what there is of it; an open double quote belongs to it."""
    opened = re.search(r'"[^"]*$', text[:at])
    if opened is not None and text[:at].count('"') % 2:
        return opened.start(), text[opened.start() + 1 : at]
    match = re.search(r"[^\W\d]\w*$", text[:at])
    return (match.start(), match.group()) if match is not None else (at, "")


def member_before(text: str, at: int) -> tuple[str, int, str] | None:
    """The field that text in plain quotes is compared with, where that text begins, and what there is of it; for completing
    members. None outside of quotes."""
    if text[:at].count("'") % 2 == 0:
        return None
    start = text.rindex("'", 0, at) + 1
    before = re.search(r"(\"[^\"]+\"|[^\W\d]\w*)\s*(=|<>|IN\s*\((?:\s*'[^']*'\s*,)*)\s*'$", text[:start], re.IGNORECASE)
    return (before.group(1).strip('"'), start, text[start:at]) if before is not None else None


def matching(offered: Sequence[Offer], typed: str, most: int = 12) -> list[Offer]:
    """The offers that what was typed may be the beginning of, or of whose words it is, as all lists are searched."""
    if not typed.strip():
        return []
    found = [(rank, each) for each in offered if (rank := fit(typed, each.shown)) is not None and rank <= BEGINS]
    return [each for _, each in sorted(found, key=lambda pair: pair[0])][:most]


def inside_aggregate(text: str, at: int) -> bool:
    """Whether the cursor stands within the brackets of an aggregate, where only fields can stand."""
    depth = 0
    for place in range(at - 1, -1, -1):
        if text[place] == ")":
            depth += 1
        elif text[place] == "(":
            if depth == 0:
                word = re.search(r"\w+\s*$", text[:place])
                if word is not None and word.group().strip().upper() in AGGREGATE_NAMES:
                    return True
                continue
            depth -= 1
    return False


def kind_said(kind: Kind, is_summary: bool) -> str:
    """What a formula gives, in words."""
    if is_summary:
        return f"A measure: {kind.value} for each cell and total."
    return f"A field: {kind.value} for each record."


def brackets_at(text: str, at: int) -> tuple[int, int] | None:
    """The places of a bracket beside the cursor and of its partner; None where there is none. Brackets in quotes do not count."""
    partner: dict[int, int] = {}
    opened: list[int] = []
    quote = ""
    for place, sign in enumerate(text):
        if quote:
            quote = "" if sign == quote else quote
        elif sign in "'\"":
            quote = sign
        elif sign == "(":
            opened.append(place)
        elif sign == ")" and opened:
            start = opened.pop()
            partner[start], partner[place] = place, start
    for place in (at - 1, at):
        if place in partner:
            return place, partner[place]
    return None
