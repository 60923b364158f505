"""Kept columns: never a stale or a wrong number, whatever happens to the file, the entry or the process that writes it."""

import errno
import os
import random
import signal
import stat
import time
from decimal import Decimal

import pytest

from foldbasket.baskets.basket import SourceSpec
from foldbasket.baskets.consent import EVERYTHING
from foldbasket.cli import main
from foldbasket.opening import sources
from foldbasket.opening.sources import read_source
from foldbasket.tables import store as stores
from foldbasket.tables.reading.contract import AS_FOUND, Reading
from foldbasket.tables.reading.readers import read_table
from foldbasket.tables.store import Store, state_of
from tests.folding.build import table


def csv(path, seed, many=400):
    """Lines of one length, so that another seed makes a file of the same size."""
    draw = random.Random(seed)
    lines = [
        f"{draw.choice(['Mill', 'Yard'])},{draw.randrange(100, 999)}.{draw.randrange(10, 99)}" for _ in range(many)
    ]
    path.write_text("Site,Net\n" + "\n".join(lines) + "\n", "utf-8")
    return path


def told(table):
    return {name: [column.text(at) for at in range(table.count)] for name, column in table.columns.items()}


@pytest.fixture
def settled(monkeypatch):
    monkeypatch.setattr(stores, "SETTLED", -1.0)


def kept(store, path, reading=AS_FOUND):
    state = state_of(path)
    made = read_table(path, "T", reading)
    store.put_by(path, state, reading, made)
    store.write()
    return made


def test_a_table_comes_back_as_it_was_read_and_only_for_the_same_file_and_way(tmp_path, settled):
    store, path = Store(tmp_path / "c"), csv(tmp_path / "a.csv", 1)
    made = kept(store, path)
    assert told(store.find(path, AS_FOUND)) == told(made)
    assert store.find(path, Reading(delimiter=";")) is None
    other = csv(tmp_path / "b.csv", 1)
    assert store.find(other, AS_FOUND) is None
    assert stat.S_IMODE(os.stat(tmp_path / "c").st_mode) == 0o700
    assert [stat.S_IMODE(each.stat().st_mode) for each in (tmp_path / "c").iterdir()] == [0o600]
    os.utime(path)
    assert store.find(path, AS_FOUND) is None, "its time is another"
    kept(store, path)
    assert store.size()[0] == 1, "the outdated entry is gone"


def test_every_type_and_text_that_did_not_fit_comes_back(tmp_path, settled):
    path = tmp_path / "odd.csv"
    path.write_text(
        "A,B,C,D,E\n1,2026-01-01,yes,1.5,Ångström\n,,,,\n3,2026-02-30,no,2.25,x\n4,2026-03-01,no,1e99,y\n" * 30, "utf-8"
    )
    store = Store(tmp_path / "c")
    made = kept(store, path)
    found = store.find(path, AS_FOUND)
    assert told(found) == told(made)
    assert {name: column.type for name, column in found.columns.items()} == {
        name: column.type for name, column in made.columns.items()
    }
    assert {name: [c.text(at) for at in range(len(c))] for name, c in found.texts.items()} == {
        name: [c.text(at) for at in range(len(c))] for name, c in made.texts.items()
    }
    assert (found.notes, found.titles, found.decimal_mark, found.origin) == (
        made.notes,
        made.titles,
        made.decimal_mark,
        str(path),
    )


def test_a_file_that_is_replaced_within_the_second_by_one_of_the_same_size_is_read_anew(tmp_path, monkeypatch):
    monkeypatch.setattr(sources, "WORTH", -1.0)
    mine = Store(tmp_path / "c")
    monkeypatch.setattr(sources, "STORE", mine)
    spec, path = SourceSpec("T", "a.csv"), tmp_path / "a.csv"
    for seed in range(200):
        monkeypatch.setattr(stores, "SETTLED", random.Random(seed).choice([-1.0, 2.0]))
        csv(path, seed, 60)
        for _ in range(2):
            found = read_source(spec, tmp_path, EVERYTHING)
            assert told(found) == told(read_table(path, "T"))
            mine.write()


def test_a_file_that_has_only_just_changed_is_not_kept_yet(tmp_path):
    store, path = Store(tmp_path / "c"), csv(tmp_path / "a.csv", 1)
    kept(store, path)
    assert store.size() == (0, 0)
    assert store.find(path, AS_FOUND) is None


def test_a_file_that_changes_between_reading_and_keeping_is_not_kept(tmp_path, settled):
    store, path = Store(tmp_path / "c"), csv(tmp_path / "a.csv", 1)
    store.put_by(path, state_of(path), AS_FOUND, read_table(path, "T"))
    csv(path, 2)
    store.write()
    assert store.size() == (0, 0)


def test_a_damaged_entry_is_no_entry(tmp_path, settled):
    store, path = Store(tmp_path / "c"), csv(tmp_path / "a.csv", 1, 30)
    kept(store, path)
    entry = next((tmp_path / "c").iterdir())
    whole = entry.read_bytes()
    for length in [*range(80), *range(80, len(whole), 97)]:
        entry.write_bytes(whole[:length])
        assert store.find(path, AS_FOUND) is None
    draw = random.Random(4)
    for _ in range(200):
        head = bytearray(whole)
        head[draw.randrange(stores.HEAD.size)] ^= draw.randrange(1, 256)
        entry.write_bytes(head)
        assert store.find(path, AS_FOUND) is None
    entry.write_bytes(whole + b"\0")
    assert store.find(path, AS_FOUND) is None
    entry.write_bytes(whole)
    assert store.find(path, AS_FOUND) is not None


def test_a_process_that_is_killed_while_it_writes_leaves_nothing_that_is_read(tmp_path, settled):
    path = csv(tmp_path / "a.csv", 1, 3_000)
    made, state = read_table(path, "T"), state_of(path)
    draw = random.Random(1)
    finished = 0
    for at in range(60):
        folder = tmp_path / f"c{at % 3}"
        pid = os.fork()
        if pid == 0:
            store = Store(folder)
            store.put_by(path, state, AS_FOUND, made)
            store.write(lambda: time.sleep(0.0005))
            os._exit(0)
        time.sleep(draw.random() * 0.008)
        os.kill(pid, signal.SIGKILL)
        _, status = os.waitpid(pid, 0)
        finished += os.WIFEXITED(status)
        found = Store(folder).find(path, AS_FOUND)
        assert found is None or told(found) == told(made)
    assert finished < 60, "some were killed"
    kept(Store(tmp_path / "c0"), path)
    assert Store(tmp_path / "c0").find(path, AS_FOUND) is not None


def test_a_full_disk_and_a_stop_keep_nothing_and_say_nothing(tmp_path, settled, monkeypatch):
    store, path = Store(tmp_path / "c"), csv(tmp_path / "a.csv", 1)
    made, state = read_table(path, "T"), state_of(path)

    def full(file, *_):
        file.write(b"x" * 100)
        raise OSError(errno.ENOSPC, "No space left on device")

    with monkeypatch.context() as patched:
        patched.setattr(stores, "_write", full)
        store.put_by(path, state, AS_FOUND, made)
        store.write()
    assert list((tmp_path / "c").iterdir()) == []

    def stop():
        raise KeyboardInterrupt

    store.put_by(path, state, AS_FOUND, made)
    with pytest.raises(KeyboardInterrupt):
        store.write(stop)
    assert list((tmp_path / "c").iterdir()) == []


def test_the_oldest_go_where_they_take_too_much_room(tmp_path, settled):
    store = Store(tmp_path / "c")
    paths = [csv(tmp_path / f"{at}.csv", at) for at in range(5)]
    for at, path in enumerate(paths):
        kept(store, path)
        entry = max((tmp_path / "c").iterdir(), key=lambda each: each.stat().st_ctime_ns)
        os.utime(entry, (at, at))
    one = store.size()[1] // 5
    assert store.find(paths[0], AS_FOUND) is not None  # which makes it the one used last
    small = Store(tmp_path / "c", most=3 * one + 100)
    kept(small, csv(tmp_path / "new.csv", 9))
    assert small.size()[0] == 3
    assert small.find(paths[0], AS_FOUND) is not None
    assert small.find(paths[1], AS_FOUND) is None
    small.drop(paths[0])
    assert small.find(paths[0], AS_FOUND) is None
    assert small.clear()[0] == 2
    assert small.size() == (0, 0)


def test_the_command_tells_what_is_kept_and_takes_it_out(tmp_path, settled, capsys):
    kept(stores.STORE, csv(tmp_path / "a.csv", 1))
    assert main(["cache"]) == 0
    assert capsys.readouterr().out.startswith("1 table, 0.0 MB in ")
    assert main(["cache", "--clear"]) == 0
    assert capsys.readouterr().out.startswith("1 table, 0.0 MB taken out of ")
    assert stores.STORE.size() == (0, 0)


def test_names_that_are_no_text_and_files_that_are_gone(tmp_path, settled):
    store = Store(tmp_path / "c")
    odd = csv(tmp_path / os.fsdecode(b"a\xff.csv"), 1)
    made = kept(store, odd)
    assert told(store.find(odd, AS_FOUND)) == told(made)
    os.unlink(odd)
    assert store.find(odd, AS_FOUND) is None
    plain = table("T", {"A": [Decimal("1.50"), None]})
    store.put_by(odd, state_of(csv(tmp_path / "b.csv", 1)), AS_FOUND, plain)
    store.write()
    assert store.size()[0] == 1, "of a file that is gone nothing is kept"


def test_a_flipped_bit_anywhere_is_found(tmp_path, settled):
    store, path = Store(tmp_path / "c"), csv(tmp_path / "a.csv", 1, 30)
    made = kept(store, path)
    entry = next((tmp_path / "c").iterdir())
    whole = entry.read_bytes()
    for at in range(len(whole)):
        flipped = bytearray(whole)
        flipped[at] ^= 1 << at % 8
        entry.write_bytes(flipped)
        found = store.find(path, AS_FOUND)
        unused = stores.HEAD.size <= at < stores.START
        assert told(found) == told(made) if unused else found is None, at
    entry.write_bytes(whole)
    assert told(store.find(path, AS_FOUND)) == told(made)


def test_an_entry_that_is_cut_or_changed_while_it_is_in_use_changes_nothing(tmp_path, settled):
    store, path = Store(tmp_path / "c"), csv(tmp_path / "a.csv", 1, 30_000)
    made = kept(store, path)
    entry = next((tmp_path / "c").iterdir())
    found = store.find(path, AS_FOUND)
    os.truncate(entry, 10)
    assert told(found) == told(made)


def test_a_flipped_bit_in_what_was_found_in_a_table_is_found(tmp_path, settled):
    store, path = Store(tmp_path / "c"), csv(tmp_path / "a.csv", 1)
    name = store.found_name(path, state_of(path), AS_FOUND)
    store.keep_found(name, stores.FOUND, b"something")
    assert store.found(name, stores.FOUND) == b"something"
    entry = next((tmp_path / "c").iterdir())
    whole = entry.read_bytes()
    for at in range(len(whole)):
        flipped = bytearray(whole)
        flipped[at] ^= 4
        entry.write_bytes(flipped)
        assert store.found(name, stores.FOUND) is None
    for length in range(len(whole)):
        entry.write_bytes(whole[:length])
        assert store.found(name, stores.FOUND) is None
