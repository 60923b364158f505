"""Every edit gives a new basket and can be undone; undoing all gives the first one back."""

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from foldbasket.baskets import edits
from foldbasket.baskets.basket import Basket
from foldbasket.baskets.files import decode, encode
from foldbasket.baskets.history import History
from foldbasket.errors import BasketError
from foldbasket.folding.filters.members import Members
from foldbasket.folding.filters.values import Compare
from foldbasket.spec.field import FieldRef
from foldbasket.spec.fold import Fold, Measure, Placed

REF = FieldRef("t", "f")
START = Basket(
    folds=(
        Fold(
            "a",
            (Measure("m", "sum", REF),),
            (Placed("r", REF), Placed("s", REF)),
            (Placed("c", REF),),
            (Members("f", REF),),
            "before",
            "off",
        ),
    )
)


def ids(fold):
    return [[word.id for word in getattr(fold, strand)] for strand in edits.STRANDS]


@pytest.mark.parametrize(
    ("edit", "after"),
    [
        (edits.Place("a", "rows", Placed("n", REF), "f", 1), [["m"], ["r", "n", "s"], ["c"], ["f"]]),
        (edits.Place("a", "measures", Measure("n", "count"), "f"), [["m", "n"], ["r", "s"], ["c"], ["f"]]),
        (edits.Move("a", "s", "rows", "s", 0), [["m"], ["s", "r"], ["c"], ["f"]]),
        (edits.Move("a", "s", "columns", "s", 0), [["m"], ["r"], ["s", "c"], ["f"]]),
        (
            edits.Move("a", "s", "measures", "s", None, Measure("s", "count values", REF)),
            [["m", "s"], ["r"], ["c"], ["f"]],
        ),
        (edits.Remove("a", "f", "f"), [["m"], ["r", "s"], ["c"], []]),
        (edits.Turn("a"), [["m"], ["c"], ["r", "s"], ["f"]]),
    ],
)
def test_edits_place_move_and_remove_words(edit, after):
    assert ids(edit.apply(START).folds[0]) == after
    assert edit.label(START).startswith(("Place", "Move", "Take out", "Turn", "Filter"))


def test_turning_takes_the_totals_along_and_twice_is_nothing():
    turned = edits.Turn("a").apply(START)
    assert (turned.folds[0].row_total, turned.folds[0].column_total) == ("off", "before")
    assert edits.Turn("a").apply(turned) == START


def test_words_and_folds_change_in_place():
    changed = edits.Change("a", "m", {"heading": "Sales"}, "Rename").apply(START)
    assert changed.folds[0].measures[0].heading == "Sales"
    swapped = edits.Swap("a", "f", Compare("f", REF, value="1"), "Compare").apply(START)
    assert isinstance(swapped.folds[0].filters[0], Compare)
    assert edits.ChangeFold("a", {"row_total": "off"}, "x").apply(START).folds[0].row_total == "off"


def test_folds_get_names_of_their_own():
    basket = edits.AddFold(Fold("a")).apply(START)
    assert [fold.name for fold in basket.folds] == ["a", "a 2"]
    with pytest.raises(BasketError, match="there is a fold “a” already"):
        edits.RenameFold("a 2", "a").apply(basket)
    with pytest.raises(BasketError, match="needs a name"):
        edits.RenameFold("a 2", " ").apply(basket)
    assert edits.RemoveFold("a").apply(basket).folds[0].name == "a 2"


@pytest.mark.parametrize(
    "edit", [edits.Remove("a", "zz", "z"), edits.Turn("zz"), edits.RemoveFold("zz"), edits.Change("a", "zz", {}, "x")]
)
def test_edits_of_what_is_not_there_are_refused(edit):
    with pytest.raises(BasketError):
        edit.apply(START)


STEPS = st.lists(
    st.one_of(
        st.just(edits.Turn("a")),
        st.builds(
            lambda at, word: edits.Move("a", word, "rows", word, at),
            st.integers(0, 3),
            st.sampled_from(["r", "s", "c"]),
        ),
        st.builds(
            lambda n, strand: edits.Place("a", strand, Placed(f"n{n}", REF), "x"),
            st.integers(0, 99),
            st.sampled_from(["rows", "columns"]),
        ),
        st.builds(
            lambda heading: edits.Change("a", "m", {"heading": heading}, "Rename"), st.none() | st.text(max_size=4)
        ),
        st.builds(lambda name: edits.AddFold(Fold(name)), st.sampled_from("ab")),
        st.sampled_from(["undo", "redo"]),
    ),
    max_size=25,
)


@settings(deadline=None)
@given(STEPS)
def test_undoing_everything_gives_the_first_basket_and_redoing_the_last(steps):
    history = History(START)
    for step in steps:
        if isinstance(step, str):
            getattr(history, step)()
        else:
            before = history.basket
            history.do(step)
            if history.basket != before:
                assert history.undoable == step.label(before)
        if all(len({word.id for word in fold.words()}) == len(fold.words()) for fold in history.basket.folds):
            assert decode(encode(history.basket), "x") == history.basket
    while history.redo():
        pass
    last = history.basket
    while history.undo():
        pass
    assert history.basket == START
    while history.redo():
        pass
    assert history.basket == last


def test_the_history_knows_what_the_file_holds():
    history = History(START)
    assert not history.changed
    history.do(edits.Turn("a"))
    assert history.changed
    history.mark_saved()
    history.undo()
    assert history.changed
    history.redo()
    assert not history.changed
    assert [step.label for step in history.steps] == ["Open", "Turn the report"]
    assert msgspec.structs.replace(START) == START
