"""*All others* is a member of its own level in every comparison: the same as a member of that name would be.

Held to a second table in which the members that are not shown have been given one name, folded without any picking.
"""

import random

import pytest
from msgspec.structs import replace

from foldbasket.folding.compare.against import Against, How, Other
from foldbasket.folding.compare.running import MovingAverage, Running
from foldbasket.folding.compare.shares import Index, ShareOf, Whole
from foldbasket.folding.engine import Engine
from foldbasket.spec.fold import Fold, Measure
from tests.folding.build import keep, placed, ref, source, table
from tests.rounds import seeds

FIELDS = ("a", "b", "c")
OTHERS = "zz"


def records(rng):
    """Records of three fields; no two members of a parent come to the same amount."""
    many = rng.randint(20, 60)
    return [(*(rng.choice("pqrst") for _ in FIELDS), 1 << at) for at in range(many)]


def renamed(rows, level, number):
    """The records with the members of a field beyond the largest so many within their parent under one name."""
    sums = {}
    for row in rows:
        parent = sums.setdefault(row[:level], {})
        parent[row[level]] = parent.get(row[level], 0) + row[-1]
    kept = {key: sorted(each, key=each.get)[-number:] for key, each in sums.items()}
    return [row if row[level] in kept[row[:level]] else (*row[:level], OTHERS, *row[level + 1 :]) for row in rows]


def engine_of(rows):
    columns = {name: [row[at] for row in rows] for at, name in enumerate((*FIELDS, "n"))}
    return Engine(source(table("T", columns)))


def comparisons(depth):
    yield from (ShareOf(whole) for whole in Whole)
    yield Index()
    for along in FIELDS[:depth]:
        yield from (
            Running(along, share=share, restart=restart) for share in (False, True) for restart in (False, True)
        )
        yield MovingAverage(along, members=2)
        yield from (Against(along, other, how=how) for other in (Other.PREVIOUS, Other.NEXT) for how in How)


def cells(report, is_columns):
    """{members of a line: its cells}, of one axis; a total over members is named by those it names."""
    axis = report.columns if is_columns else report.rows
    found = {}
    for line in range(len(axis)):
        members = tuple(axis.label(line, at) for at in range(axis.depth))
        path = tuple(each for each in members if each)
        at = [(0, line) if is_columns else (line, 0)]
        found[path] = [report.exact(measure, *at[0]) for measure in range(len(report.measures))]
    return found


@pytest.mark.parametrize("is_columns", [False, True])
@pytest.mark.parametrize("level", [0, 1, 2])
@pytest.mark.parametrize("seed", seeds(8))
def test_all_others_compare_as_a_member_of_that_name(seed, level, is_columns):
    rng = random.Random(seed * 31 + level)
    rows, depth, number = records(rng), rng.randint(level + 1, 3), rng.randint(1, 3)
    amount = Measure("n", "sum", ref("T.n"))
    compared = [replace(amount, id=f"m{at}", compare=each) for at, each in enumerate(comparisons(depth))]
    words = [placed(f"T.{name}", id=name) for name in FIELDS[:depth]]
    fold = Fold("F", (amount, *compared), *(((), tuple(words)) if is_columns else (tuple(words), ())))
    words[level] = replace(words[level], keep=keep("n", "top", str(number), rest="gathered"))
    picked = replace(fold, **{"columns" if is_columns else "rows": tuple(words)})
    got = cells(engine_of(rows).fold(picked), is_columns)
    wanted = cells(engine_of(renamed(rows, level, number)).fold(fold), is_columns)
    for path, values in got.items():
        own = tuple(OTHERS if each == "All others" else each for each in path)
        for measure, mine, theirs in zip(fold.measures, values, wanted[own], strict=True):
            compare, along = measure.compare, FIELDS.index(getattr(measure.compare, "along", None) or FIELDS[-1])
            if along + 1 < len(path) > level + 1:
                continue  # what stands further in is not shown of the others, so it cannot follow on
            goes_on = isinstance(compare, Running) and not compare.restart
            if goes_on and own[-1:] == (OTHERS,) and along > level:  # the last of the lines that it stands for
                inner = [key for key in wanted if key[: level + 1] == own and len(key) == along + 1]
                theirs = wanted[inner[-1]][fold.measures.index(measure)]
            same = mine is None if theirs is None else mine == pytest.approx(theirs, rel=1e-12)
            assert same, (path, compare, mine, theirs)
