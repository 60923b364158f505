"""The text of a formula looked at sign by sign before it is parsed, and what a parser says told in plain words."""

from __future__ import annotations

import re

from foldbasket.errors import FormulaError
from foldbasket.formulas.language import (
    DEEPEST,
    KEYWORDS,
    LONGEST,
    MOST_PARTS,
    SYNONYMS,
    function_names,
)
from foldbasket.later import sqlglot
from foldbasket.typed import near


def check_called(text: str) -> None:
    """Refuses what the parser takes for another name of a function that is known: names differ from program to program in what they
    mean and in the order of their values, so only those that are listed are taken."""
    plain = re.sub(r"'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"", lambda found: " " * len(found.group()), text)
    for match in re.finditer(r"\b([^\W\d]\w*)\s*\(", plain):
        name = match.group(1).upper()
        is_type = re.search(r"\bAS\s+$", plain[: match.start()], re.IGNORECASE) is not None
        known = is_type or name in KEYWORDS or name in SYNONYMS or name in function_names()
        if name in sqlglot.Parser.FUNCTIONS and not known:
            other = near(name, function_names(), 0.5)
            raise FormulaError(
                f"there is no function “{match.group(1)}”.", match.start(1), match.end(1),
                todo=f"Did you mean {other}?" if other else "Functions are listed as you type.",
            )  # fmt: skip


_TOKEN = re.compile(
    r"'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"|\d[\w.]*|[^\W\d]\w*|\s+|--|/\*|\|\||<=|>=|<>|!=|::|->|.", re.DOTALL
)


_PLAIN = set("+-*/%(),.=<>") | {"||", "<=", ">=", "<>", "!="}


def scan(text: str) -> None:
    if len(text) > LONGEST:
        raise FormulaError(
            f"this formula has {len(text):,} characters; the most is {LONGEST:,}.", LONGEST, len(text), todo="Make it of smaller formulas."
        )  # fmt: skip
    if not text.strip():
        raise FormulaError("there is no formula.", 0, 1, todo="Type one, such as Net - Cost.")
    open_at: list[int] = []
    parts = 0
    for match in _TOKEN.finditer(text):
        token, at = match.group(), match.start()
        if token.isspace():
            continue
        parts += 1
        if parts > MOST_PARTS:
            raise FormulaError(
                f"this formula has more than {MOST_PARTS:,} words.", at, at + 1, todo="Make it of smaller formulas."
            )
        if token == "(":
            open_at.append(at)
            if len(open_at) > DEEPEST:
                raise FormulaError(
                    f"brackets are nested more than {DEEPEST} deep.", at, at + 1, todo="Make it of smaller formulas."
                )
        elif token == ")":
            if not open_at:
                raise FormulaError("this bracket closes nothing.", at, at + 1, todo="Take it out, or open one before.")
            open_at.pop()
        else:
            _check_token(token, at, match.end(), len(text))
    if open_at:
        raise FormulaError("this bracket is not closed.", open_at[-1], open_at[-1] + 1, todo="Type ) where it ends.")


def _check_token(token: str, start: int, stop: int, end: int) -> None:
    """Refuses what has no meaning in a formula."""
    if token in ("'", '"'):
        raise FormulaError("this quote is not closed.", start, end, todo=f"Type {token} where it ends.")
    if token in ("--", "/*"):
        raise FormulaError("a formula has no remarks.", start, start + 2, todo="Take it out.")
    if not (token[0].isalnum() or token[0] in "_'\"" or token in _PLAIN):
        raise FormulaError(f"“{token}” has no meaning in a formula.", start, stop, todo=_instead(token))


def _instead(token: str) -> str:
    return {
        "::": "Write CAST(… AS …).",
        "[": "Write names with odd signs in double quotes.",
        "`": "Write names with odd signs in double quotes.",
        "&": "Write || to join text.",
        ";": "A formula is one expression.",
        "^": "Write POWER(x, y).",
        "“": "Write text in plain quotes: '…'.",
        "”": "Write text in plain quotes: '…'.",
    }.get(token, "Take it out.")


def told(text: str, error: sqlglot.errors.ParseError) -> FormulaError:
    first = error.errors[0] if error.errors else {}
    mark = str(first.get("highlight") or "")
    before = text.split("\n")
    line = min(int(first.get("line") or 1), len(before))
    stop = sum(len(each) + 1 for each in before[: line - 1]) + int(first.get("col") or 0)
    start = max(0, min(len(text) - 1, stop - max(1, len(mark))))
    if str(first.get("description", "")).startswith("Required"):
        return FormulaError(
            f"something is missing after “{mark}”." if mark else "something is missing.", start, stop, todo="Type a field, a number or a function."
        )  # fmt: skip
    said = f"“{mark}” cannot stand here." if mark.strip() else "something is missing at the end."
    return FormulaError(said, start, stop, todo="Look for a missing operator, comma, bracket or quote before it.")
