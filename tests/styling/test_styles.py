"""Every style in all three forms: inks are read on their grounds, and in greys everything is still told apart."""

import itertools

import pytest

from foldbasket.styling.styles import NEWSPRINT, STYLES, blended, contrast, grey_of, greyed, luminance, style_named

FORMS = [(style, paper) for style in STYLES.values() for paper in ("light", "dark", "grey")]


@pytest.mark.parametrize(("style", "paper"), FORMS, ids=lambda each: each if isinstance(each, str) else each.key)
def test_every_ink_is_read_on_every_ground_it_may_stand_on(style, paper):
    inks = style.inks(paper)
    grounds = [each for each in (inks.paper, inks.band, inks.head, inks.subtotal, inks.grand) if each]
    for ground in grounds:
        assert contrast(inks.ink, ground) >= 7
        assert contrast(inks.accent, ground) >= 4.5, (ground, contrast(inks.accent, ground))
    for ground in (inks.paper, inks.head or inks.paper):
        assert contrast(inks.muted, ground) >= 4.5, ground
    for ink, ground in inks.marks.values():
        assert contrast(inks.ink, ground) >= 4.5
        assert contrast(ink, inks.paper) >= 4.5
        assert contrast(ink, ground) >= 3, "the edge of a mark is seen beside its ground"


@pytest.mark.parametrize("style", STYLES.values(), ids=lambda style: style.key)
def test_without_colour_totals_negatives_and_marks_are_told_apart_by_weight_rules_and_edges(style):
    assert style.bold_totals or style.sub_above != "none"
    grey = greyed(style.light)
    values = [grey.ink, grey.paper, grey.muted, *(each for pair in grey.marks.values() for each in pair)]
    assert all(value[1:3] == value[3:5] == value[5:7] for value in values)
    assert all(contrast(ink, ground) >= 3 for ink, ground in grey.marks.values())


def test_newsprint_is_black_and_white_and_greys_in_both_its_forms():
    for inks in (NEWSPRINT.light, NEWSPRINT.dark):
        every = [inks.paper, inks.ink, inks.muted, inks.rule, inks.accent, *itertools.chain(*inks.marks.values())]
        assert all(value[1:3] == value[3:5] == value[5:7] for value in every)


def test_a_grey_is_as_light_as_its_colour_and_a_blend_goes_straight():
    for colour in ("#A5473A", "#3F4E8C", "#F5E3BF", "#000000", "#FFFFFF"):
        assert abs(luminance(grey_of(colour)) - luminance(colour)) < 0.01
    assert blended("#000000", "#FFFFFF", 0.5) in ("#808080", "#7F7F7F")
    assert (blended("#102030", "#A0B0C0", 0), blended("#102030", "#A0B0C0", 1)) == ("#102030", "#A0B0C0")


def test_a_style_is_found_among_ones_own_first_and_is_the_ledger_where_there_is_none():
    import msgspec

    own = msgspec.structs.replace(STYLES["linen"], key="slate", label="Mine")
    assert style_named("slate", (own,)).label == "Mine"
    assert style_named("slate").label == "Slate"
    assert style_named("gone").label == "Ledger"
