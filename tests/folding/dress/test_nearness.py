"""Looks: the rule of nearness in a table of cases, and that each stays where it is through a refresh, a turn and a new order."""

import random

import msgspec
import pytest

from foldbasket.baskets import edits
from foldbasket.baskets.basket import Basket
from foldbasket.folding.dress.conditions.others import Always
from foldbasket.folding.dress.conditions.thresholds import AtLeast
from foldbasket.folding.dress.dressed import Dressed
from foldbasket.folding.dress.forms.marks import Ground, Ink, SignBefore
from foldbasket.folding.engine import Engine
from foldbasket.spec.fold import Fold
from foldbasket.spec.look import Highlight, Line, Look, ReportLook, Said, Side
from foldbasket.spec.order import ByValue, Rest
from foldbasket.styling.numbers import NumberStyle
from tests.folding.build import keep, measure, placed, source, table

RECORDS = [("p", "x", "m", 5), ("p", "y", "m", -2), ("q", "x", "n", 9), ("q", "z", "m", 1), ("r", "x", "n", 4)]
NET = measure("sum", "T.V")
A, B, C = placed("T.A"), placed("T.B"), placed("T.C")


def data(records):
    return source(table("T", {name: [record[at] for record in records] for at, name in enumerate("ABCV")}))


def dressed(look, records=RECORDS, **changes):
    fold = msgspec.structs.replace(Fold("f", (NET,), (A, B), (C,), look=look), **changes)
    return Dressed(Engine(data(records)).fold(fold))


def style_at(made, names, columns=()):
    """The style of the cell that stands for members, by their names; “” for a total."""
    report = made.report
    row = next(row for row in range(report.height) if tuple(report.rows.label(row, at) for at in range(2)) == names)
    line = next(line for line in range(report.width) if not columns or report.columns.label(line, 0) == columns[0])
    return made.style_of(row, line)


MEASURE = Said(Look(ink="#000001"), measure=NET.id)
MEMBER = Said(Look(ink="#000002"), word=A.id, member="p")
LEVEL = Said(Look(ink="#000003"), line=Line.MEMBER, level=2)
KIND = Said(Look(ink="#000004"), line=Line.MEMBER)
FIELD = Said(Look(ink="#000005"), word=B.id)
LIT = Highlight("h", NET.id, Always(), Ink())


@pytest.mark.parametrize(
    ("said", "highlights", "ink"),
    [
        ((), (), "#2A2622"),
        ((FIELD,), (), "#000005"),
        ((FIELD, KIND), (), "#000004"),
        ((KIND, FIELD), (), "#000004"),
        ((FIELD, LEVEL), (), "#000003"),
        ((MEASURE, LEVEL, FIELD), (), "#000001"),
        ((MEMBER, MEASURE, LEVEL), (), "#000002"),
        ((MEASURE, MEMBER), (), "#000002"),
        ((MEMBER, MEASURE), (LIT,), "#94392D"),
    ],
)
def test_the_nearer_says_it(said, highlights, ink):
    assert style_at(dressed(ReportLook(said=said, highlights=highlights)), ("p", "x"), ("m",)).ink == ink


def test_what_the_nearer_does_not_say_comes_from_the_farther():
    look = ReportLook(
        said=(
            Said(Look(bold=True, side=Side.LEFT), measure=NET.id),
            Said(Look(italic=True, bold=False), word=A.id, member="p"),
            Said(Look(ground="#EEEEEE"), line=Line.MEMBER),
        )
    )
    style = style_at(dressed(look), ("p", "x"), ("m",))
    assert (style.bold, style.italic, style.side, style.ground) == (False, True, Side.LEFT, "#EEEEEE")
    other = style_at(dressed(look), ("q", "x"), ("n",))
    assert (other.bold, other.italic) == (True, False)


def test_of_two_highlights_the_later_wins_what_both_say_and_keeps_the_rest():
    one, two = Highlight("a", NET.id, Always(), Ground()), Highlight("b", NET.id, AtLeast("5"), Ink())
    three = Highlight("c", NET.id, AtLeast("9"), SignBefore())
    made = dressed(ReportLook(highlights=(one, two, three)))
    style = style_at(made, ("q", "x"), ("n",))
    assert style.ground == made.inks.marks["ochre"][1]
    assert style.bold
    assert style.sign == "▾"
    assert not style_at(made, ("q", "z"), ("m",)).bold


def test_an_exception_in_how_numbers_are_written_and_the_text_of_empty_cells():
    said = (
        Said(Look(number=NumberStyle("0.00")), word=A.id, member="p"),
        Said(Look(blank="–"), measure=NET.id),
    )
    made = dressed(ReportLook(said=said))
    texts = {}
    for row in range(made.report.height):
        for line in range(made.report.width):
            style = made.style_of(row, line)
            texts[made.report.rows.label(row, 0), made.report.rows.label(row, 1), made.report.columns.label(line, 0)] = made.text(row, line, style)  # fmt: skip
    assert texts["p", "x", "m"] == "5.00"
    assert texts["q", "x", "n"] == "9"
    assert texts["p", "x", "n"] == "–"


FULL = ReportLook(
    style="slate",
    title="T",
    notes=("n",),
    said=(MEMBER, MEASURE, LEVEL, Said(Look(bold=True), line=Line.SUBTOTAL)),
    highlights=(Highlight("h", NET.id, AtLeast("4"), Ground()),),
)


def styles_by_name(made):
    """The style of every cell by the members that it stands for, whichever axis each is on."""
    report, found = made.report, {}
    for row in range(report.height):
        for line in range(report.width):
            names = {head.id: axis.label(at, field) for axis, at in ((report.rows, row), (report.columns, line)) for field, head in enumerate(axis.heads)}  # fmt: skip
            found[tuple(sorted(names.items())), int(report.rows.kind[row]), int(report.columns.kind[line])] = made.style_of(row, line)  # fmt: skip
    return found


def members(found):
    """Those of cells of members alone: lines of totals are ruled along the rows, which a turn changes."""
    return {key: msgspec.structs.replace(style, rule_ink="") for key, style in found.items() if key[1] == key[2] == 0}


def test_every_look_stays_after_records_come_go_and_change_places_and_new_members_wear_their_levels():
    before = members(styles_by_name(dressed(FULL)))
    more = [*RECORDS[1:], ("p", "new", "m", 7), ("s", "x", "m", 2)]
    random.Random(3).shuffle(more)
    after = members(styles_by_name(dressed(FULL, more)))
    for key in before.keys() & after.keys():
        if "x" not in dict(key[0]).values() or "p" not in dict(key[0]).values():
            assert before[key] == after[key], key
    new = next(style for key, style in after.items() if ("T.B", "new") in key[0] and ("T.C", "m") in key[0])
    assert new.ink == "#000002"
    assert new.edge
    other = next(style for key, style in after.items() if ("T.A", "s") in key[0] and ("T.C", "m") in key[0])
    assert other.ink == "#000001"


def test_every_look_stays_after_a_turn_and_another_order():
    fold = Fold("f", (NET,), (A, B), (C,), look=FULL)
    basket = Basket(folds=(fold,))
    turned = edits.Turn("f").apply(basket).folds[0]
    assert turned.look == FULL
    straight = members(styles_by_name(dressed(FULL)))
    other = Dressed(Engine(data(RECORDS)).fold(turned))
    assert members(styles_by_name(other)).keys() == straight.keys()
    for key, style in members(styles_by_name(other)).items():
        assert style.ink == straight[key].ink
        assert style.edge == straight[key].edge
    ordered = dressed(FULL, rows=(msgspec.structs.replace(A, by=ByValue(NET.id), descending=True), B))
    assert members(styles_by_name(ordered)) == straight


def test_a_word_that_is_taken_out_takes_its_looks_along():
    fold = Fold("f", (NET, measure("count")), (A, B), (C,), look=FULL)
    without = edits.Remove("f", NET.id, "Net").apply(Basket(folds=(fold,))).folds[0]
    assert without.look.highlights == ()
    assert MEASURE not in without.look.said
    assert MEMBER in without.look.said


def test_all_others_wears_its_own_kind_of_line():
    look = ReportLook(said=(Said(Look(ink="#00000A"), line=Line.OTHERS),))
    top = msgspec.structs.replace(A, keep=keep(NET.id, "top", "1", rest=Rest.GATHERED))
    made = dressed(look, rows=(top,), columns=())
    inks = {made.report.rows.label(row, 0): made.style_of(row, 0).ink for row in range(made.report.height)}
    assert inks["All others"] == "#00000A"
    assert inks["q"] == "#2A2622"
