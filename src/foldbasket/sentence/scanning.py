"""Reads the tokens of a text into a tree, asking the grammar at each what can stand there: of all that could, the longest is taken."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import pairwise
from typing import Any, Protocol

import msgspec
from lark import Token as Leaf
from lark import Tree
from lark.exceptions import UnexpectedInput
from lark.parsers.lalr_interactive_parser import InteractiveParser
from msgspec.structs import replace

from foldbasket.errors import SentenceError
from foldbasket.sentence.grammar import NAMES, Grammar, grammar, parser_of
from foldbasket.sentence.tokens import ARTICLES, Sort, Token, tokens_of
from foldbasket.turns import give_way
from foldbasket.typed import meant

NUMBER = re.compile(r"[-+−]?\d+([.]\d+)?\Z")
ORDINAL = re.compile(r"\d+(\.\d+)?(st|nd|rd|th)\Z")
Trie = dict[str | None, Any]


class Names(Protocol):
    """What stands for fields, members, tables and periods, in the tokens of a text from one of them on."""

    def field_at(self, tokens: Sequence[Token], at: int) -> tuple[int, Any] | None:
        """Behind the longest name of a field, and the fields it may be."""

    def member_at(self, tokens: Sequence[Token], at: int) -> tuple[int, Any] | None:
        """Behind the longest name of a member, and the members it may be."""

    def table_at(self, tokens: Sequence[Token], at: int) -> tuple[int, Any] | None:
        """Behind the longest name of a table, and the table."""

    def period_at(self, tokens: Sequence[Token], at: int) -> tuple[int, Any] | None:
        """Behind the longest name of a period, and what it may be: names of parts of dates with a key of each."""

    @property
    def known(self) -> tuple[str, ...]:
        """Names that somebody may have meant by one that is not known."""


class Named(Leaf):
    """A leaf of the tree that stands for something: `means` says what, `is_quoted` whether its name stood in quotes."""

    means: Any = None
    is_quoted: bool = False
    start: int = 0
    stop: int = 0


class Found(msgspec.Struct):
    """What a token may be read as: the terminal, behind which token it ends, and what it stands for."""

    terminal: str
    stop: int
    means: Any = None
    quoted: bool = False
    text: str | None = None
    """What it says, where that is not what is written."""
    start: int = 0
    was_unknown: bool = False
    """Whether a field could have stood there, too, and none is called so."""


@dataclass
class Scanner:
    """Reads one text."""

    text: str
    names: Names
    made: Grammar = field(default_factory=grammar)
    way: str = "brief"
    """Which of the two ways in it is read by."""

    def __post_init__(self) -> None:
        self.tokens = tokens_of(self.text)
        self.last: Found | None = None
        last = self.tokens[-1] if self.tokens else None
        if last is not None and last.sort is Sort.WORD and last.text.rstrip("."):  # a full stop ends a sentence
            self.tokens[-1] = replace(last, text=last.text.rstrip("."))

    def tree(self, start: str) -> Tree:
        """The tree of the whole text. Raises SentenceError at the first token that cannot stand where it stands."""
        self.way = start
        if start == "brief":
            self._tell_over()
        parser = parser_of(self.made, start).parse_interactive("")
        at = 0
        while at < len(self.tokens):
            at = self.step(parser, at)
        try:
            return parser.feed_eof()
        except UnexpectedInput:
            end = len(self.text.rstrip())
            raise self.error(parser, len(self.tokens), (end, end)) from None

    def _tell_over(self) -> None:
        """“Over” before a number is “above”, unless a field is called by that number; before anything else it is “across”."""
        for at, (token, follower) in enumerate(pairwise(self.tokens)):
            is_number = follower.sort is Sort.WORD and NUMBER.match(follower.text)
            if at and token.stem == "over" and is_number and self.names.field_at(self.tokens, at + 1) is None:
                self.tokens[at] = replace(token, stem="above")

    def step(self, parser: InteractiveParser, at: int) -> int:
        """Reads one token or several, and says which comes next."""
        give_way()
        found = self.found(parser, at)
        could_be_field = "FIELD" in accepted(parser)
        token = self.tokens[at]
        if found is None:
            raise self.error(parser, at, (token.start, token.stop))
        last = self.tokens[found.stop - 1]
        leaf = Named(found.terminal, self._said(token, last) if found.text is None else found.text)
        leaf.start, leaf.stop = token.start, last.stop
        leaf.means, leaf.is_quoted = found.means, found.quoted
        try:
            parser.feed_token(leaf)
        except UnexpectedInput:
            raise self.error(parser, at, (token.start, token.stop)) from None
        found.text, found.start = str(leaf), at
        found.was_unknown = could_be_field and found.terminal == "NAME"
        self.last = found
        return found.stop

    def found(self, parser: InteractiveParser, at: int) -> Found | None:
        """What the tokens from one on are read as: the longest of what can stand there, of two as long the phrase; a run of words that is no
        name known only where no phrase begins."""
        could = accepted(parser)
        phrase = self._phrase(could, at)
        candidates = [
            each
            for each in (phrase, *self._named(could, at))
            if each is not None and not (phrase is not None and each.terminal == "NAME" and not each.quoted)
        ]
        return max(candidates, key=lambda each: each.stop, default=None)

    def _phrase(self, could: frozenset[str], at: int) -> Found | None:
        found, stop = walked(_trie(could, self.made), self.tokens, at)
        return Found(found, stop) if found is not None else None

    def _said(self, first: Token, last: Token) -> str:
        """What stands from one token to another; of a single number without what sets its thousands apart."""
        said = self.text[first.start : last.stop]
        return first.text if first is last and first.sort is Sort.WORD and "," in said else said

    def _named(self, could: frozenset[str], at: int) -> list[Found | None]:
        token = self.tokens[at]
        found: list[Found | None] = []
        if token.sort is Sort.FORMULA:
            return [Found("FORMULA", at + 1, text=token.text)] if "FORMULA" in could else []
        for terminal, ask in (
            ("FIELD", self.names.field_at), ("MEMBER", self.names.member_at), ("PERIOD", self.names.period_at), ("TABLE", self.names.table_at)
        ):  # fmt: skip
            if terminal in could:
                named = ask(self.tokens, at)
                if terminal == "FIELD" and named is not None and self._is_part(at, named[0]):
                    named = None
                found.append(
                    Found(terminal, named[0], named[1], token.sort is Sort.QUOTED) if named is not None else None
                )
        if token.sort is Sort.QUOTED:
            wanted = next((each for each in ("QUOTED", "NAME") if each in could), None)
            return [*found, Found(wanted, at + 1, quoted=True, text=token.text) if wanted is not None else None]
        follower = self.tokens[at + 1] if at + 1 < len(self.tokens) else None
        if "PLACE" in could and token.text == "," and follower is not None and ORDINAL.match(follower.text.casefold()):
            return [*found, Found("PLACE", at + 2, text=follower.text)]
        if token.sort is Sort.WORD:
            if "NUMBER" in could and NUMBER.match(token.text):
                found.append(Found("NUMBER", at + 1, text=token.text.replace("−", "-").lstrip("+")))
            if "NAME" in could:
                is_percent = follower is not None and follower.text == "%" and NUMBER.match(token.text)
                found.append(Found("NAME", at + 2, text=f"{token.text}%") if is_percent else self._run(at))
        return found

    def _is_part(self, at: int, stop: int) -> bool:
        """Whether a name in a sentence in full is that of a part of a date, too: there such a field stands in quotes, so that “by month” is about the
        month."""
        if self.way != "sentence" or self.tokens[at].sort is Sort.QUOTED:
            return False
        found, behind = walked(phrase_trie(self.made), self.tokens, at)
        return behind == stop and found in self.made.alone

    def _run(self, at: int) -> Found | None:
        """The words up to the next that can follow a name."""
        after = following_trie(self.made)
        stop = at
        while stop < len(self.tokens) and self.tokens[stop].sort is Sort.WORD:
            if stop > at and walked(after, self.tokens, stop)[0] is not None:
                break
            stop += 1
        return Found("NAME", stop) if stop > at else None

    def error(self, parser: InteractiveParser, at: int, place: tuple[int, int]) -> SentenceError:
        """What is wrong with a token that cannot stand where it stands."""
        last = self.last
        if (
            last is not None and last.was_unknown and not last.quoted
        ):  # it was taken for a name only because it is no word known
            place = (self.tokens[last.start].start, self.tokens[last.stop - 1].stop)
            what = f"there is nothing called “{last.text}” (at {place[0] + 1})."
            return SentenceError(
                what, place=place, could=self.names.known, todo=meant(last.text or "", self.names.known)
            )
        could = tuple(self.expected(parser))
        if at >= len(self.tokens):
            return SentenceError("the sentence ends too early.", place=place, could=could, todo=_listed(could))
        way = _way(_trie(accepted(parser), self.made), self.tokens, at)
        behind = max((each + 1 for each, _ in way), default=at)  # the first word that no phrase goes on with
        if self.tokens[at].text in ",(;" and at + 1 < len(self.tokens):  # what was to follow is what does not fit
            at += 1
            behind = max(at, behind)
        while behind + 1 < len(self.tokens) and self.tokens[behind].stem in ARTICLES:
            behind += 1
        place = (self.tokens[at].start, self.tokens[min(behind, len(self.tokens) - 1)].stop)
        said = self.text[place[0] : place[1]]
        run = self._run(at)
        words = self.text[place[0] : self.tokens[(run.stop if run is not None else at + 1) - 1].stop]
        known = [each.strip(", ") for each in could]
        if any(each.startswith("a ") for each in could):
            known += self.names.known
        hint = meant(words, known) or meant(said, known)
        what = f"“{said}” cannot stand here (at {place[0] + 1})."
        return SentenceError(what, place=place, could=could, todo=hint or _listed(could))

    def expected(self, parser: InteractiveParser) -> list[str]:
        """What can stand at the place that a parser has come to, in words."""
        could = parser.accepts()
        named = {"FIELD": "a field", "NAME": "a name", "NUMBER": "a number", "FORMULA": "a [formula]", "QUOTED": "a text in quotes",
                 "MEMBER": "a member", "PERIOD": "a period", "TABLE": "a table", "PLACE": ", 90th"}  # fmt: skip
        found = [said for name, said in named.items() if name in could]
        return found + [self.made.shown[name] for name in self.made.phrases if name in could]


def accepted(parser: InteractiveParser) -> frozenset[str]:
    """The terminals that can stand at the place that a parser has come to."""
    state = parser.parser_state
    return _terminals(state.parse_conf.parse_table, state.position)


@lru_cache(maxsize=4096)
def _terminals(table: Any, position: int) -> frozenset[str]:
    """Those of a place in a parser's table, which all its parsings share."""
    return frozenset(
        name for name in table.states[position] if name in NAMES or (name[0] == "P" and name[1:].isdigit())
    )


@lru_cache(maxsize=8)
def following(made: Grammar) -> frozenset[str]:
    """The terminals that can follow a name anywhere: a name that has one of them within stands in quotes."""
    conf = parser_of(made, "sentence").parse_interactive("").parser_state.parse_conf
    found: set[str] = set()
    for actions in conf.states.values():
        if "NAME" in actions and actions["NAME"][1] in conf.states:
            found |= _terminals(conf.parse_table, actions["NAME"][1])
    return frozenset(found)


@lru_cache(maxsize=4096)
def _trie(could: frozenset[str], made: Grammar) -> Trie:
    root: Trie = {}
    for name in could:
        if name in made.phrases:
            node = root
            for word in made.phrases[name]:
                node = node.setdefault(word, {})
            node[None] = name
    return root


def following_trie(made: Grammar) -> Trie:
    """The phrases that can follow a name anywhere, word by word."""
    return _trie(following(made), made)


def phrase_trie(made: Grammar) -> Trie:
    """All phrases, word by word."""
    return _trie(frozenset(made.phrases), made)


def walked(trie: Trie, tokens: Sequence[Token], at: int) -> tuple[str | None, int]:
    """The longest phrase that begins at a token, and behind which token it ends; an article before a word is passed over."""
    found: str | None = None
    stop = at
    for place, name in _way(trie, tokens, at):
        if name is not None:
            found, stop = name, place + 1
    return found, stop


def _way(trie: Trie, tokens: Sequence[Token], at: int) -> Iterator[tuple[int, str | None]]:
    """The tokens from one on that lead along a phrase, each with the phrase that ends there, if any."""
    node: Mapping[str | None, Any] = trie
    was_article = False
    for place in range(at, len(tokens)):
        token = tokens[place]
        if token.sort in (Sort.QUOTED, Sort.FORMULA):
            return
        if token.stem in ARTICLES and token.stem not in node and not was_article:
            was_article = True
            continue
        if token.stem not in node:
            return
        was_article = False
        node = node[token.stem]
        yield place, node.get(None)


def _listed(could: Sequence[str]) -> str:
    if not could:
        return "Nothing can follow here."
    shown = list(could[:8])
    more = f" and {len(could) - 8} more" if len(could) > 8 else ""
    return f"There could stand {', '.join(shown)}{more}."
