"""Makes the Quillmoor tables: six of them, any number of order lines, the same for the same seed and number.

Two years of trade to 30 September 2026: spring peaks by product line, a growing web channel, returns below zero, freight
once per order, a plan per month, region and line. All money is exact cents.
"""

from __future__ import annotations

import datetime

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from foldbasket.demo import names

SEED = 20260930
DEFAULT_LINES = 48_000
FIRST_DAY = datetime.date(2024, 10, 1)
LAST_DAY = datetime.date(2026, 9, 30)
_EPOCH = datetime.date(1970, 1, 1)

Ints = npt.NDArray[np.int64]


def quillmoor(lines: int = DEFAULT_LINES, seed: int = SEED) -> dict[str, pa.Table]:
    """The six tables by file stem: order_lines, orders, customers, varieties, sellers, plan."""
    rng = np.random.default_rng(seed)
    varieties, prices, costs, variety_line = _varieties(rng)
    customers, customer_region, customer_size = _customers(rng)
    sellers = _sellers()
    line_table, order_table, net, line_month, line_region, line_line = _trade(
        rng, lines, varieties, prices, costs, variety_line, customers, customer_region, customer_size, sellers.num_rows
    )
    plan = _plan(rng, net, line_month, line_region, line_line)
    return {
        "order_lines": line_table,
        "orders": order_table,
        "customers": customers,
        "varieties": varieties,
        "sellers": sellers,
        "plan": plan,
    }


def cents(values: npt.ArrayLike) -> pa.Array:
    """Whole cents as decimal128(18, 2)."""
    units = np.asarray(values, np.int64)
    words = units.repeat(2)
    words[1::2] = units >> 63
    return pa.Array.from_buffers(pa.decimal128(18, 2), len(units), [None, pa.py_buffer(words)])


def _coded(members: list[str], codes: npt.NDArray) -> pa.DictionaryArray:
    return pa.DictionaryArray.from_arrays(pa.array(codes.astype(np.int32)), pa.array(members))


def _days(values: npt.NDArray) -> pa.Array:
    return pa.array(values.astype(np.int32)).cast(pa.date32())


def _varieties(rng: np.random.Generator) -> tuple[pa.Table, Ints, Ints, Ints]:
    rows: list[tuple[str, str, str, str, str]] = []
    prices, costs, of_line = [], [], []
    for number, (line, (families, price, share, _)) in enumerate(names.LINES.items()):
        for family in families:
            for epithet in rng.choice(names.EPITHETS, 4, replace=False):
                for pot, factor in [names.POTS[at] for at in sorted(rng.choice(len(names.POTS), 2, replace=False))]:
                    code = f"V{len(rows) + 101:04d}"
                    rows.append((code, f"{family} ‘{epithet}’ {pot}", family, line, pot))
                    asked = price * factor * rng.uniform(0.85, 1.2)
                    prices.append(round(asked * 100))
                    costs.append(round(asked * share * rng.uniform(0.9, 1.12) * 100))
                    of_line.append(number)
    columns = list(zip(*rows, strict=True))
    table = pa.table(
        {
            "Variety code": pa.array(columns[0]),
            "Variety": pa.array(columns[1]),
            "Family": pa.array(columns[2]),
            "Line": pa.array(columns[3]),
            "Pot size": pa.array(columns[4]),
            "Unit cost": cents(costs),
        }
    )
    return table, np.array(prices), np.array(costs), np.array(of_line)


def _customers(rng: np.random.Generator) -> tuple[pa.Table, Ints, npt.NDArray[np.float64]]:
    firms = [f"{first} {last}" for first in names.FIRM_FIRST for last in names.FIRM_LAST][:612]
    rng.shuffle(firms)
    regions = list(names.SITES)
    weights = np.array([names.REGION_WEIGHT[region] for region in regions])
    region = rng.choice(len(regions), len(firms), p=weights / weights.sum())
    site = [names.SITES[regions[at]][rng.integers(len(names.SITES[regions[at]]))] for at in region]
    segment = rng.choice(len(names.SEGMENTS), len(firms), p=[0.38, 0.27, 0.08, 0.19, 0.08])
    table = pa.table(
        {
            "Customer no.": pa.array([f"C{at + 1001}" for at in range(len(firms))]),
            "Customer": pa.array(firms),
            "Segment": pa.array([names.SEGMENTS[at] for at in segment]),
            "Region": pa.array([regions[at] for at in region]),
            "Site": pa.array(site),
        }
    )
    return table, region, rng.pareto(2.2, len(firms)) + 0.3


def _sellers() -> pa.Table:
    people = [
        f"{first} {names.PERSON_LAST[at % len(names.PERSON_LAST)]}" for at, first in enumerate(names.PERSON_FIRST * 2)
    ]
    people[12:] = [
        f"{first} {names.PERSON_LAST[(at + 3) % len(names.PERSON_LAST)]}" for at, first in enumerate(names.PERSON_FIRST)
    ]
    return pa.table(
        {
            "Seller code": pa.array([f"S{at + 1:02d}" for at in range(len(people))]),
            "Seller": pa.array(people),
            "Team": pa.array([names.TEAMS[at % len(names.TEAMS)] for at in range(len(people))]),
        }
    )


def _trade(
    rng: np.random.Generator,
    count: int,
    varieties: pa.Table,
    prices: Ints,
    costs: Ints,
    variety_line: Ints,
    customers: pa.Table,
    customer_region: Ints,
    customer_size: npt.NDArray[np.float64],
    sellers: int,
) -> tuple[pa.Table, pa.Table, Ints, Ints, Ints, Ints]:
    first, last = (FIRST_DAY - _EPOCH).days, (LAST_DAY - _EPOCH).days
    days = np.arange(first, last + 1)
    months = days.astype("M8[D]").astype("M8[M]").astype(np.int64)
    season = np.array([weights for _, _, _, weights in names.LINES.values()], float)
    season /= season.sum(axis=1, keepdims=True)

    orders = max(1, round(count / 2.52))
    weekday = (days + 3) % 7
    busy = season.mean(axis=0)[months % 12] * np.where(weekday < 5, 1.0, 0.35) * (1 + 0.0002 * (days - first))
    order_day = np.sort(rng.choice(days, orders, p=busy / busy.sum()))
    order_customer = rng.choice(customers.num_rows, orders, p=customer_size / customer_size.sum())
    grown = (order_day - first) / (last - first)
    chance = rng.random(orders)
    order_channel = np.select([chance < 0.12 + 0.26 * grown, chance < 0.74, chance < 0.9], [1, 0, 2], 3)
    order_seller = (customer_region[order_customer] * 5 + rng.integers(0, 5, orders)) % sellers
    per_order = np.bincount(rng.integers(0, orders, max(0, count - orders)), minlength=orders) + 1
    per_order = _trimmed(per_order, count)
    of_order = np.repeat(np.arange(orders), per_order)[:count]

    # Which variety: by the month's season of each line, then evenly within the line.
    month = order_day[of_order].astype("M8[D]").astype("M8[M]").astype(np.int64)
    by_line = (
        np.cumsum(season[:, month % 12] / season[:, month % 12].sum(axis=0), axis=0) if count <= 1_000_000 else None
    )
    if by_line is not None:
        line = (rng.random(count) > by_line).sum(axis=0).clip(0, len(names.LINES) - 1)
    else:
        line = np.empty(count, np.int64)
        for at in range(12):
            here = np.flatnonzero(month % 12 == at)
            line[here] = rng.choice(len(names.LINES), len(here), p=season[:, at] / season[:, at].sum())
    starts = np.searchsorted(variety_line, np.arange(len(names.LINES)))
    many = np.bincount(variety_line)
    variety = starts[line] + (rng.random(count) ** 1.4 * many[line]).astype(np.int64)

    base = np.array([60, 30, 12, 4, 140, 15])[line]
    quantity = np.maximum(1, np.round(base * rng.gamma(1.6, 0.6, count))).astype(np.int64)
    retail = order_channel[of_order] != 0
    quantity[retail] = np.maximum(1, quantity[retail] // 4)
    returned = rng.random(count) < 0.012
    quantity[returned] = -np.maximum(1, quantity[returned] // 3)
    promoted = (rng.random(orders) < 0.11)[of_order]
    discount = np.where(promoted, 10, np.where(quantity > 120, 8, np.where(retail, 0, 4))) + rng.integers(0, 3, count)
    dearer = 1 + 0.04 * (month >= np.datetime64("2025-10", "M").astype(np.int64))
    price = np.round(prices[variety] * dearer * np.where(retail, 1.22, 1.0)).astype(np.int64)
    net = _share(quantity * price, 100 - discount)
    # Costs creep up for shrubs and trees at the wetter sites: margins differ between lines and over time.
    cost = quantity * np.round(costs[variety] * (1 + 0.03 * grown[of_order])).astype(np.int64)

    order_names = pc.binary_join_element_wise("Q-", pa.array(np.arange(orders) + 20001).cast(pa.string()), "")
    line_table = pa.table(
        {
            "Order no.": pa.DictionaryArray.from_arrays(pa.array(of_order.astype(np.int32)), order_names),
            "Line no.": pa.array((np.arange(count) - np.searchsorted(of_order, of_order) + 1).astype(np.int32)),
            "Order date": _days(order_day[of_order]),
            "Channel": _coded(list(names.CHANNELS), order_channel[of_order]),
            "Variety code": pa.DictionaryArray.from_arrays(
                pa.array(variety.astype(np.int32)), varieties["Variety code"].combine_chunks()
            ),
            "Quantity": pa.array(quantity),
            "Unit price": cents(price),
            "Net": cents(net),
            "Cost": cents(cost),
        }
    )
    weight = np.bincount(of_order, weights=np.abs(quantity), minlength=orders)
    freight = np.where(order_channel == 2, 0, 495 + np.round(weight * rng.uniform(3, 7, orders))).astype(np.int64)
    promotion = np.full(orders, len(names.PROMOTIONS))
    promotion[np.unique(of_order[promoted])] = rng.integers(
        0, len(names.PROMOTIONS), len(np.unique(of_order[promoted]))
    )
    order_table = pa.table(
        {
            "Order no.": order_names,
            "Customer no.": customers["Customer no."].combine_chunks().take(pa.array(order_customer)),
            "Seller code": _coded([f"S{at + 1:02d}" for at in range(sellers)], order_seller),
            "Delivered": _days(order_day + rng.integers(1, 12, orders)),
            "Freight": cents(freight),
            "Promotion": _coded([*names.PROMOTIONS, ""], promotion),
        }
    )
    return line_table, order_table, net, month, customer_region[order_customer][of_order], line


def _trimmed(per_order: Ints, count: int) -> Ints:
    """Lines per order that add up to `count`: the surplus is taken from the last orders."""
    total = np.cumsum(per_order)
    return np.diff(np.minimum(total, count), prepend=0)


def _share(amounts: Ints, percent: Ints) -> Ints:
    """A percentage of whole cents, rounded half away from zero."""
    scaled = amounts * percent
    return np.sign(scaled) * ((np.abs(scaled) + 50) // 100)


def _plan(rng: np.random.Generator, net: Ints, month: Ints, region: Ints, line: Ints) -> pa.Table:
    regions, lines = list(names.SITES), list(names.LINES)
    start, stop = int(np.datetime64(FIRST_DAY, "M").astype(int)), int(np.datetime64(LAST_DAY, "M").astype(int)) + 1
    months = stop - start
    key = ((month - start) * len(regions) + region) * len(lines) + line
    actual = np.zeros(months * len(regions) * len(lines), np.int64)
    np.add.at(actual, key, net)
    # The plan was made without the months' luck: smoothed over the two years, a little above, in whole hundreds of euro.
    shaped = actual.reshape(months, -1)
    both = (shaped[:12] + shaped[12:]) / 2
    planned = np.concatenate([both * 0.99, both * 1.07]) * rng.uniform(0.93, 1.1, shaped.shape)
    whole = (np.round(planned / 10_000) * 10_000).astype(np.int64).ravel()
    at = np.arange(len(whole))
    firsts = (np.datetime64(FIRST_DAY, "M") + np.arange(months)).astype("M8[D]").astype(np.int64)
    return pa.table(
        {
            "Month": _days(firsts[at // (len(regions) * len(lines))]),
            "Region": _coded(regions, at // len(lines) % len(regions)),
            "Line": _coded(lines, at % len(lines)),
            "Planned net": cents(whole),
        }
    )
