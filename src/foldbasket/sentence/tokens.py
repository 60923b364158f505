"""A text cut into the words, names in quotes, formulas and signs that a sentence is read from."""

from __future__ import annotations

import re
from enum import Enum

import msgspec

from foldbasket.errors import SentenceError

ARTICLES = frozenset({"the", "a", "an"})
ALIKE = {">=": "≥", "<=": "≤", "<>": "≠", "!=": "≠", "->": "›", "–": "-"}
QUOTES = {'"': '"', "“": "”", "„": "“"}
MOST = 100_000
"""The longest text that is read, in characters."""
_PLAIN = re.compile(r">=|<=|<>|!=|->|[,;:()›=<>≤≥≠%]|[^\s,;:()›=<>≤≥≠%\[\]\"“”„]+")
_GROUPED = re.compile(r"[-+−]?\d{1,3}(?:,\d{3})+(?:\.\d+)?(?![\w,.]\w)(?!\w)")
"""A number with its thousands set apart; a list of numbers has a space behind each comma."""


class Sort(Enum):
    """What a token is."""

    WORD = "word"
    SIGN = "sign"
    QUOTED = "quoted"
    FORMULA = "formula"


class Token(msgspec.Struct):
    """A piece of a text, from `start` to below `stop`. `text` is what it says: of a name in quotes or a formula what is within; `stem` is what
    words of the grammar are known by, whatever their case and number."""

    text: str
    stem: str
    start: int
    stop: int
    sort: Sort


def stem(word: str) -> str:
    """What a word is known by, in whatever case, one of it or several: “Quarters” as “quarter”."""
    small = word.casefold().rstrip(".") or word
    if len(small) > 4 and small.endswith("ies"):
        return small[:-3] + "y"
    if len(small) > 4 and small.endswith(("xes", "ches", "shes", "sses")):
        return small[:-2]
    return small[:-1] if len(small) > 3 and small.endswith("s") and not small.endswith("ss") else small


def tokens_of(text: str) -> list[Token]:
    """The tokens of a text, in time in proportion to its length. Raises SentenceError for a quote or bracket that is never closed, and for a
    text longer than `MOST`."""
    if len(text) > MOST:
        raise SentenceError(f"a sentence of {len(text):,} characters is too long.", todo="Say it in fewer words.")
    found: list[Token] = []
    at = 0
    while at < len(text):
        sign = text[at]
        if sign.isspace():
            at += 1
        elif sign in QUOTES:
            said, stop = _quoted(text, at)
            found.append(Token(said, "", at, stop, Sort.QUOTED))
            at = stop
        elif sign == "[":
            stop = _closed(text, at)
            found.append(Token(text[at + 1 : stop - 1].strip(), "", at, stop, Sort.FORMULA))
            at = stop
        else:
            grouped = _GROUPED.match(text, at) if sign.isdigit() or sign in "+-−" else None
            match = grouped or _PLAIN.match(text, at)
            if match is None:
                raise SentenceError(
                    f"“{sign}” has nothing before it that it closes.", place=(at, at + 1), todo="Take it out."
                )
            at = match.end()
            word = ALIKE.get(match[0], match[0])
            word = word.replace(",", "") if len(word) > 1 else word
            sort = Sort.WORD if word[0].isalnum() or len(word) > 1 or word not in ",;:()›=<>≤≥≠%" else Sort.SIGN
            found.append(Token(word, stem(word), match.start(), match.start() + len(match[0]), sort))
    return found


def _quoted(text: str, start: int) -> tuple[str, int]:
    """What stands in quotes that begin somewhere, and where they have ended; a quote within is written twice."""
    closing, at = QUOTES[text[start]], start + 1
    said: list[str] = []
    while True:
        stop = text.find(closing, at)
        if stop < 0:
            raise SentenceError(
                "a quote is opened here and never closed.",
                place=(start, len(text)),
                todo=f"Write {closing} behind the name.",
            )
        said.append(text[at:stop])
        if text[stop + 1 : stop + 2] != closing:
            return "".join(said), stop + 1
        said.append(closing)
        at = stop + 2


def _closed(text: str, start: int) -> int:
    """Where the bracket has ended that begins somewhere; those within, and those in quotes, are passed over."""
    depth, at, quote = 0, start, ""
    while at < len(text):
        sign = text[at]
        if quote:
            quote = "" if sign == quote else quote
        elif sign in "'\"":
            quote = sign
        elif sign in "[]":
            depth += 1 if sign == "[" else -1
            if not depth:
                return at + 1
        at += 1
    raise SentenceError(
        "a formula is opened here and never closed.", place=(start, len(text)), todo="Write ] behind it."
    )


def quoted(name: str) -> str:
    """A name in quotes."""
    return '"' + name.replace('"', '""') + '"'
