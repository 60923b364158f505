"""What was found in a file is found again without a look, while it is the same file; never in another one."""

from functools import partial

import msgspec
import pytest

from foldbasket.baskets.basket import SourceSpec
from foldbasket.baskets.consent import Agreed
from foldbasket.demo.scenario import write_demo
from foldbasket.opening.mending import Mending
from foldbasket.opening.sources import read_source
from foldbasket.tables import store
from foldbasket.tables.findings import looking
from foldbasket.tables.findings.findings import NOT_LOOKED, each_finding
from foldbasket.tables.findings.kept import as_bytes, from_bytes
from foldbasket.tables.findings.looking import look_through
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.store import FOUND, STORE


@pytest.fixture
def untidy(tmp_path, monkeypatch):
    """A file that shows a dozen kinds of disorder, and a store that keeps whatever is looked at."""
    monkeypatch.setattr(store, "SETTLED", -1.0)
    monkeypatch.setattr(looking, "WORTH", -1.0)
    write_demo(tmp_path / "demo", lines=2_000)
    return next((tmp_path / "demo").parent.glob("**/untidy_order_lines.csv"))


def read(path, **reading):
    return read_source(SourceSpec("Sales", path.name, reading=Reading(**reading)), path.parent, Agreed())


def look(table, of, keeps=True):
    return look_through(table, of, list(table.columns.values()), Progress(), wanted=True, keeps=keeps)


def said(seen):
    return [
        (each.key, each.title, each.brief, each.count, each.offers, each.remark, each.where, each.records().tolist())
        for each in seen.findings
    ]


@pytest.fixture
def looks(monkeypatch):
    """How often a field or a table was looked at."""
    done = []
    for name in ("profile_of", "findings_of"):
        real = getattr(looking, name)
        monkeypatch.setattr(looking, name, lambda *rest, real=real, name=name: done.append(name) or real(*rest))
    return done


def test_a_second_opening_finds_the_same_without_a_look(untidy, looks):
    first = look(table := read(untidy), table)
    assert len(first.findings) > 8
    assert looks
    looks.clear()
    again = look(table := read(untidy), table)
    assert again.profiles == first.profiles
    assert not looks
    assert said(again) == said(first)


def test_another_file_another_way_of_reading_or_a_confidential_basket_is_looked_at_anew(untidy, looks):
    look(table := read(untidy), table)
    for other in ({"encoding": "cp1252"}, {}):
        looks.clear()
        if not other:
            untidy.write_text(untidy.read_text("utf-8").replace("Trade", "Tradf"), "utf-8")
        table = read(untidy, **other)
        seen = look(table, table)
        assert looks
        assert said(seen) == said(look(table, None, keeps=False))
    looks.clear()
    look(table := read(untidy), table, keeps=False)
    assert looks
    STORE.drop(untidy)
    looks.clear()
    look(table := read(untidy), table)
    assert looks


def test_a_file_that_may_change_without_showing_it_is_not_remembered(untidy, monkeypatch):
    monkeypatch.setattr(store, "SETTLED", 1e9)
    assert read(untidy).found_as == ""


def test_of_a_mended_table_only_its_other_fields_are_known(untidy, looks):
    first = look(table := read(untidy), table)
    finding = next(each for each in first.findings if each.field and each.offers)
    mends = finding.offers[0].mends
    mended, _ = Mending().table(table, SourceSpec("Sales", untidy.name, mends=mends))
    looks.clear()
    seen = look(mended, table)
    changed = [name for name, column in mended.columns.items() if column is not table.columns.get(name)]
    assert looks == ["profile_of"] * len(changed) + ["findings_of"]
    assert finding.key not in {each.key for each in seen.findings}
    assert said(seen) == said(look(mended, None, keeps=False))


def test_what_is_none_of_ours_or_a_look_that_failed_is_not_taken(untidy, looks, monkeypatch):
    seen = look(table := read(untidy), table)
    whole, look_again = as_bytes(seen.profiles, seen.findings), partial(each_finding, table)
    for bad in (b"", b"[]", b"{", whole[:-2], msgspec.json.encode({"profiles": {}, "findings": []}), b"[" * 5_000):
        assert bad.startswith(b'{"') or from_bytes(bad, look_again) is None
        STORE.keep_found(table.found_as, FOUND, bad)
        looks.clear()
        again = look(fresh := read(untidy), fresh)
        assert said(again) == said(seen)
        assert looks
    monkeypatch.setattr(looking, "findings_of", lambda *_: [seen.findings[0], not_looked(seen.findings[0])])
    STORE.drop(untidy)
    look(table := read(untidy), table)
    assert STORE.found(table.found_as, FOUND) is None


def not_looked(finding):
    """A finding that says that something could not be looked for."""

    return msgspec.structs.replace(finding, kind=NOT_LOOKED)
