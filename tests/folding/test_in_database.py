"""A fold of tables that stay in a database is the same as of tables that are held; what cannot be said there is brought, and told."""

import random

import msgspec
import pytest

from foldbasket.errors import FoldError
from foldbasket.folding.engine import Engine
from foldbasket.links.source import Source
from foldbasket.sql.staying import staying
from foldbasket.styling.dates import Fiscal
from foldbasket.tables.reading.contract import Reading
from foldbasket.tables.reading.database import Server, read_server, read_sqlite
from tests.folding.rounds import seeds
from tests.folding.statement.loading import connected, loaded
from tests.folding.statement.test_random_statements import LINKS, SERVERS, random_fold, random_tables
from tests.folding.test_streamed import assert_same
from tests.tables.reading.servers import NotHereError

replace = msgspec.structs.replace


@pytest.fixture(scope="module", params=SERVERS)
def server(request, tmp_path_factory):
    """A connection to fill a database by, and its place and password to read it by."""
    file = tmp_path_factory.mktemp("sqlite") / "nursery.sqlite"
    try:
        with connected(request.param, file) as connection:
            if request.param == "sqlite":
                yield connection, file, None
            else:
                url = connection.engine.url
                yield connection, Server(request.param, url.host, url.database, url.username, url.port), "carrots"
    except NotHereError as reason:
        pytest.skip(f"left out: {reason}")


def held_and_apart(server, tables, **more):
    """Engines over the tables of a server: read whole, and left where they are."""
    connection, place, password = server
    loaded(connection, tables)
    connection.commit()
    made = {}, {}
    for each in tables:
        reading = Reading(table=each.name)
        made[0][each.name] = (
            read_server(place, each.name, reading, password) if password else read_sqlite(place, each.name, reading)
        )
        made[1][each.name] = staying(place, each.name, reading, password)
    return [Engine(Source(tables, LINKS, (), Fiscal(4)), **more) for tables in made]


PLAIN = {
    "sum",
    "average",
    "count",
    "count values",
    "smallest",
    "largest",
    "median",
    "count different",
    "mode",
    "percentile",
}


@pytest.mark.parametrize("seed", seeds(12))
def test_random_folds_in_a_database_are_those_held(server, seed):
    rng = random.Random(seed * 17 + 5)
    held, apart = held_and_apart(server, random_tables(rng))
    done = brought = 0
    for _ in range(25):
        fold = random_fold(rng)
        try:
            wanted = held.fold(fold)
        except FoldError:
            continue
        got = apart.fold(fold)
        assert_same(got, wanted, fold)
        assert (got.kept, got.records, got.sentence) == (wanted.kept, wanted.records, wanted.sentence)
        done += 1
        here = [each for each in got.counted if each.place.startswith("here")]
        brought += bool(here)
    assert done > 12
    assert brought < done * 0.6, "most are folded where the records are"
