"""The part of a measure's card that compares it: with totals, with other members, with another measure, or along a field."""

from __future__ import annotations

import msgspec

from foldbasket.desktop.card.members import members_of
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.folding.comparisons import (
    Against,
    AgainstMeasure,
    AnyComparison,
    Index,
    MovingAverage,
    Rank,
    Running,
    ShareOf,
)
from foldbasket.folding.sentence import measure_heading, placed_heading
from foldbasket.folding.spec import Measure

KINDS: tuple[tuple[AnyComparison | None, str], ...] = (
    (None, "not at all"),
    (ShareOf("everything"), "% of everything"),
    (ShareOf("row"), "% of the row"),
    (ShareOf("column"), "% of the column"),
    (ShareOf("parent row"), "% of the parent row"),
    (ShareOf("parent column"), "% of the parent column"),
    (Against(other="previous"), "with the one before"),
    (Against(other="next"), "with the next"),
    (Against(other="year before"), "with a year before"),
    (Against(other="member"), "with one member"),
    (AgainstMeasure(), "with another measure"),
    (Running(), "running total"),
    (Running(share=True), "running share"),
    (Rank(), "rank, largest first"),
    (Rank(smallest_first=True), "rank, smallest first"),
    (MovingAverage(), "moving average"),
    (Index(), "index"),
)
HOWS = (("difference", "difference"), ("change", "change in %"), ("percentage", "% of it"))


def compare_section(body: CardBody, desk: Desk, measure: Measure) -> None:
    """Adds the section."""
    fold = desk.fold
    if fold is None:
        return
    body.section("Compare")
    now = measure.compare

    def set_to(compare: AnyComparison | None) -> None:
        said = f"Show as {compare.said}" if compare is not None else "Compare no more"
        # A pattern for euros says nothing of a share or a rank: such cells are written as their own kind asks.
        keeps = compare is None or compare.keeps_unit
        number = measure.number if keeps else msgspec.structs.replace(measure.number, pattern=None, scale="one")
        desk.change(measure.id, said, compare=compare, number=number)

    bare = next((kind for kind, _ in KINDS if _alike(kind, now)), None)

    def choose(kind: AnyComparison | None) -> None:
        if isinstance(kind, AgainstMeasure):
            others = [each.id for each in fold.measures if each.id != measure.id]
            if not others:
                desk.sources.complain("there is no other measure to compare with.", "Add one first.")
                return
            kind = AgainstMeasure(others[0])
        if isinstance(kind, Against) and kind.other == "member" and fold.rows + fold.columns:
            word = (fold.columns or fold.rows)[-1]
            members = members_of(desk, word.field, word.part)
            kind = Against(word.id, "member", members[0][0] if members else None)
        set_to(kind)

    body.choice("Show", KINDS, bare, choose)
    if now is None:
        return

    def change(**changes: object) -> None:
        set_to(msgspec.structs.replace(now, **changes))

    words = [(None, "as fits best"), *((word.id, placed_heading(word)) for word in fold.columns + fold.rows)]
    if hasattr(now, "along"):
        body.choice("Along", words, now.along, lambda word: change(along=word))
    if isinstance(now, Against) and now.other == "member":
        word = next((each for each in fold.columns + fold.rows if each.id == now.along), None)
        if word is not None:
            body.choice("Member", members_of(desk, word.field, word.part), now.member, lambda key: change(member=key))
    if isinstance(now, AgainstMeasure):
        others = [(each.id, measure_heading(each)) for each in fold.measures if each.id != measure.id]
        body.choice("Measure", others, now.measure, lambda word: change(measure=word))
    if isinstance(now, Against | AgainstMeasure):
        body.choice("As", HOWS, now.how, lambda how: change(how=how))
    if isinstance(now, Running):
        body.choice("Starts anew", ((True, "in each parent"), (False, "never")), now.restart, lambda each: change(restart=each))  # fmt: skip
    if isinstance(now, MovingAverage):

        def many(text: str) -> None:
            if text.strip().isdigit() and int(text) > 0:
                change(members=int(text))
            else:
                desk.sources.complain(f"“{text}” is not a number of members.", "Type a number such as 3.")

        body.entry("Members", str(now.members), "3", many)


def _alike(kind: AnyComparison | None, now: AnyComparison | None) -> bool:
    """Whether a comparison is of a kind of the list, whatever it goes along."""
    if kind is None or now is None:
        return kind is now
    if type(kind) is not type(now):
        return False
    telling = ("whole", "other", "share", "smallest_first")
    return all(getattr(kind, name, None) == getattr(now, name, None) for name in telling)
