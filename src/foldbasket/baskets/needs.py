"""What folds need: the sources that decide one, and folds that stand on one another."""

from __future__ import annotations

from graphlib import CycleError, TopologicalSorter

from foldbasket.baskets.basket import Basket


def needed_sources(basket: Basket, fold: str) -> tuple[str, ...]:
    """The sources whose records decide a fold: those of its fields, and every one that links lead to or from."""
    names = {ref.table for ref in basket.fold(fold).fields()}
    if basket.calculated or any(getattr(word, "formula", "") for word in basket.fold(fold).words()):
        names = {
            source.key for source in basket.sources if source.fold is None
        } | names  # a formula may name any of them
    grown = True
    while grown:
        linked = {
            end
            for link in basket.links
            if names & {link.from_table, link.to_table}
            for end in (link.from_table, link.to_table)
        }
        grown = not linked <= names
        names |= linked
    return tuple(source.key for source in basket.sources if source.key in names)


def circle_of(basket: Basket) -> tuple[str, ...] | None:
    """Sources made of folds that need, over any number of steps, themselves; None when there is no such circle."""
    try:
        TopologicalSorter(_needs(basket)).prepare()
    except CycleError as error:
        return tuple(reversed(error.args[1]))
    return None


def _needs(basket: Basket) -> dict[str, list[str]]:
    """For each source made of a fold those among the others made so that the fold needs."""
    folds = {fold.key for fold in basket.folds}
    made = {source.key: source.fold for source in basket.sources if source.fold is not None}
    return {
        name: sorted(set(needed_sources(basket, fold)) & made.keys()) if fold in folds else []
        for name, fold in made.items()
    }


def depth_of(basket: Basket) -> int:
    """How many folds stand on one another at the most, where there is no circle."""
    needs = _needs(basket)
    depths: dict[str, int] = {}
    for name in TopologicalSorter(needs).static_order():
        depths[name] = 1 + max((depths[other] for other in needs[name]), default=0)
    return max(depths.values(), default=0)
