"""What a cube must hold, stated before anything is aggregated: plain data that can be kept, sent elsewhere, and read back."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import msgspec

from foldbasket.folding.states.aggregates.aggregate import Aggregate, Settings, State
from foldbasket.folding.states.quantities import Quantity
from foldbasket.spec.cut import Bands, Cut, Groups, cut_of
from foldbasket.spec.field import FieldRef
from foldbasket.spec.filter import Filter


class AxisField(msgspec.Struct, frozen=True, omit_defaults=True):
    """A field that groups records, as it is or cut into parts, bands or groups."""

    field: FieldRef
    part: str | None = None
    bands: Bands | None = None
    groups: Groups | None = None

    @property
    def cut(self) -> Cut | None:
        """How the field becomes members, if not by its values."""
        return cut_of(self.part, self.bands, self.groups)

    @property
    def order(self) -> bytes:
        """Puts the fields of a cube in one order, whichever way a fold names them."""
        return msgspec.json.encode(self)


class Wanted(msgspec.Struct, frozen=True):
    """States that are wanted of a quantity of the base table."""

    quantity: Quantity
    states: tuple[State, ...]


class Plan(msgspec.Struct, frozen=True):
    """One cube: the table whose records are folded, the fields that group them, the filters that they pass, and what is wanted of every
    group: `states` of quantities, `runs` of those whose values themselves are needed, and `pairs` with the records of coarser
    tables. `every` says that all members of the fields are wanted, those of no record that is kept too. `kinds.read` reads one back from its builtins."""

    base: str
    fields: tuple[AxisField, ...] = ()
    rules: tuple[Filter, ...] = ()
    states: tuple[Wanted, ...] = ()
    runs: tuple[Quantity, ...] = ()
    pairs: tuple[str, ...] = ()
    every: bool = False


def plan_of(
    base: str,
    fields: Iterable[AxisField],
    rules: Sequence[Filter],
    measures: Iterable[tuple[Aggregate, Settings]],
    every: bool = False,
) -> Plan:
    """The plan of the cube that some measures are made from."""
    states: dict[Quantity, dict[State, None]] = {}
    runs: dict[Quantity, None] = {}
    pairs: dict[str, None] = {}
    for aggregate, settings in measures:
        if aggregate.needs_values:
            assert settings.field is not None
            if settings.field.table == base:
                runs[Quantity(settings.field)] = None
            else:
                pairs[settings.field.table] = None
            continue
        for quantity, state in aggregate.quantities(settings).values():
            if quantity.table == base:
                states.setdefault(quantity, {})[state] = None
            else:
                pairs[quantity.table] = None
    return Plan(
        base,
        tuple(sorted(set(fields), key=lambda field: field.order)),
        tuple(rules),
        tuple(Wanted(quantity, tuple(wanted)) for quantity, wanted in states.items()),
        tuple(runs),
        tuple(pairs),
        every,
    )
