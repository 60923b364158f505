"""A whole fold in plain Python over lists of records: members, order, summary filters, what is gathered, totals, comparisons.

It shares no code with the engine but the spec it reads. Slow and simple on purpose: every line of an axis carries the set of
its records, and a cell is worked out from the records in both of its lines.
"""

import datetime as dt
from dataclasses import dataclass, field
from decimal import Decimal
from fractions import Fraction

from foldbasket.folding.compare.rank import Rank
from foldbasket.folding.compare.running import Running
from foldbasket.folding.compare.shares import ShareOf
from foldbasket.folding.filters.either import Either
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Compare

from .python_oracle import answer, natural

LAST = (3,)


def band(edges, value):
    exact = [Fraction(Decimal(edge)) for edge in edges]
    value = Fraction(value)
    for at in range(len(exact) - 1):
        if exact[at] <= value < exact[at + 1] or (at == len(exact) - 2 and value == exact[-1]):
            return at
    return None


def member(word, value):
    """(order, token) of a record's member: blank last, values outside all bands before it."""
    if value is None:
        return (4,), "(blank)"
    if word.bands is not None:
        at = band(word.bands.edges, value)
        return (LAST, "outside") if at is None else ((1, at), f"{word.bands.edges[at]} .. {word.bands.edges[at + 1]}")
    if word.groups is not None:
        value = next((group.name for group in word.groups.groups if value in group.members), word.groups.rest or value)
    if word.part == "month":
        return (1, value.year, value.month), f"{value.year:04d}-{value.month:02d}"
    if word.part == "weekday":
        return (1, value.isoweekday()), str(value.isoweekday())
    if isinstance(value, dt.date):
        return (1, value), value.isoformat()
    return (1, *natural(value)), value


@dataclass
class Node:
    token: str
    rank: tuple
    records: frozenset
    level: int
    children: list = field(default_factory=list)
    gathered: bool = False


class Oracle:
    def __init__(self, fold, data, count):
        self.fold, self.data = fold, data
        self.kept = frozenset(at for at in range(count) if all(self.holds(rule, at) for rule in fold.filters))
        self.measures = {measure.id: measure for measure in fold.measures}
        self.rows = self.grown(fold.rows)
        self.columns = self.grown(fold.columns)
        shown = self.leaves(self.rows), self.leaves(self.columns)
        for root, there, words in ((self.rows, shown[1], fold.columns), (self.columns, shown[0], fold.rows)):
            if any(word.keep is not None and word.keep.rest == "gone" for word in words):
                self.prune(root, there)
        hides = any(word.keep is not None for word in fold.rows + fold.columns)
        self.shown = self.kept
        if hides and fold.totals_cover == "shown":
            self.shown = self.leaves(self.rows) & self.leaves(self.columns)

    def holds(self, rule, at):
        if isinstance(rule, Either):
            return any(self.holds(each, at) for each in rule.rules)
        value = self.data[rule.field.field][at]
        if isinstance(rule, Members):
            listed = rule.blank if value is None else value in rule.members
            return listed != rule.exclude
        assert isinstance(rule, Compare)
        number = Fraction(Decimal(rule.value))
        return value is not None and {"<": value < number, "≥": value >= number}[rule.sign]

    def plain(self, measure, records):
        """The aggregate over some records, None over none."""
        if not records:
            return None
        name = measure.field.field if measure.field else "Pieces"
        pairs = [(self.data[name][at], None, None, at) for at in sorted(records)]
        return answer(measure.aggregate, pairs, len(records))

    # --- axes ---------------------------------------------------------------

    def grown(self, words):
        root = Node("", (), self.kept, 0)
        self.grow(root, words)
        return root

    def grow(self, node, words):
        if node.level == len(words) or node.gathered:
            return
        word = words[node.level]
        by_token = {}
        for at in node.records:
            rank, token = member(word, self.data[word.field.field][at])
            by_token.setdefault((rank, token), set()).add(at)
        nodes = [Node(token, rank, frozenset(records), node.level + 1) for (rank, token), records in by_token.items()]
        nodes = self.ordered(word, nodes)
        if word.keep is not None:
            kept = self.picked(word.keep, nodes)
            rest = [each for each in nodes if each not in kept]
            nodes = kept
            if rest and word.keep.rest == "gathered":
                together = frozenset().union(*(each.records for each in rest))
                nodes = [*kept, Node("All others", (9,), together, node.level + 1, gathered=True)]
        for each in nodes:
            self.grow(each, words)
        # A member whose own members are all left out is not shown either.
        node.children = [each for each in nodes if each.children or each.gathered or each.level == len(words)]

    def prune(self, node, there):
        """Without the members none of whose shown records is among some."""
        depth = self.depth_of(node)
        node.children = [each for each in node.children if self.leaves(each) & there] if node.level < depth else []
        for each in node.children:
            self.prune(each, there)

    def ordered(self, word, nodes):
        moving = sorted((each for each in nodes if each.rank < LAST), key=lambda each: each.rank)
        still = sorted((each for each in nodes if each.rank >= LAST), key=lambda each: each.rank)
        if word.descending and word.by is None:
            moving.reverse()
        listed = [each for token in word.first for each in moving if each.token == token]
        nodes = [*listed, *(each for each in moving if each not in listed), *still]
        if word.by is None:
            return nodes
        values = {id(each): self.plain(self.measures[word.by.measure], each.records) for each in nodes}
        known = [each for each in nodes if values[id(each)] is not None]
        sign = -1 if word.descending else 1
        known.sort(key=lambda each: sign * values[id(each)])
        return known + [each for each in nodes if values[id(each)] is None]

    def picked(self, keep, nodes):
        values = {id(each): self.plain(self.measures[keep.measure], each.records) for each in nodes}
        known = [each for each in nodes if values[id(each)] is not None]
        number = Fraction(Decimal(keep.number))
        if keep.__struct_config__.tag == "where":
            return [each for each in known if values[id(each)] > number]
        ranked = sorted((values[id(each)] for each in known), reverse=keep.__struct_config__.tag == "top")
        if number <= 0 or not ranked:
            return []
        edge = ranked[min(int(number), len(ranked)) - 1]
        return [
            each
            for each in known
            if (values[id(each)] >= edge if keep.__struct_config__.tag == "top" else values[id(each)] <= edge)
        ]

    def leaves(self, node):
        if not node.children:
            return node.records if node.gathered or node.level == self.depth_of(node) else frozenset()
        return frozenset().union(*(self.leaves(each) for each in node.children))

    def depth_of(self, node):
        return len(self.fold.rows) if node in self.all_of(self.rows) else len(self.fold.columns)

    def all_of(self, node):
        return [node, *(each for child in node.children for each in self.all_of(child))]

    def lines(self, root, words, grand):
        """(path, node, siblings) of every line shown, in order; `siblings` stand in the same parent."""
        depth = len(words)
        if not depth:
            return [((), root, [root])] if self.kept else []
        found = []

        def walk(node, path, siblings):
            if node.level == depth or node.gathered:
                found.append((path, node, siblings))
                return
            word = words[node.level - 1] if node.level else None
            if word is not None and (word.closed != (path in word.turned)):
                found.append((path, node, siblings))
                return
            where = grand if word is None else word.subtotal
            mine = (path, node, siblings)
            if not node.children:
                return
            if where == "before":
                found.append(mine)
            for child in node.children:
                walk(child, (*path, child.token), node.children)
            if where == "after":
                found.append(mine)

        walk(root, (), [root])
        return found

    # --- cells ----------------------------------------------------------------

    def cell(self, measure, row, column):
        return self.plain(measure, row.records & column.records & self.shown)

    def value(self, measure, row, column, siblings):
        """A cell as the report shows it; `siblings` are those of its row."""
        value = self.cell(measure, row, column)
        compare = measure.compare
        if compare is None or value is None:
            return value
        if isinstance(compare, ShareOf):
            whole = {
                "everything": (self.rows, self.columns),
                "row": (row, self.columns),
                "column": (self.rows, column),
            }[compare.whole]
            below = self.cell(measure, *whole)
            return float(Fraction(value) / Fraction(below)) if below else None
        if row.level != len(self.fold.rows):
            return None
        if isinstance(compare, Rank):
            if row.gathered:
                return None
            others = [self.cell(measure, each, column) for each in siblings if not each.gathered]
            return 1 + sum(each > value for each in others if each is not None)
        assert isinstance(compare, Running)
        reached = siblings[: next(at for at, each in enumerate(siblings) if each is row) + 1]
        return sum(self.cell(measure, each, column) or 0 for each in reached)
