"""Records by position, samples and surveys of a table that is not held tell of it what is true of all its records."""

import random

import numpy as np
import pytest

from foldbasket.errors import Cancelled
from foldbasket.tables import sample as samples
from foldbasket.tables import survey as surveys
from foldbasket.tables.column import picked
from foldbasket.tables.profile import profile_of
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading import parquetstream
from foldbasket.tables.sample import in_view, is_sampled, records_of, stream_behind, take_sample
from foldbasket.tables.survey import survey
from tests.folding.statement.test_random_statements import random_tables
from tests.folding.streaming import streamed


@pytest.fixture(params=range(6))
def both(request, tmp_path, monkeypatch):
    """A random table, held; and the same from seven files, not held."""
    monkeypatch.setattr(parquetstream, "LEAST", 5)
    rng = random.Random(request.param)
    held = random_tables(rng)[0]
    return held, streamed(held, tmp_path, rng), rng


def texts(table, name):
    return [table.columns[name].text(record) for record in range(table.count)]


def test_records_by_their_numbers_are_those_of_the_table(both):
    held, apart, rng = both
    for _ in range(20):
        start = rng.randrange(held.count + 1)
        stop = rng.randrange(start, held.count + 1)
        found = records_of(apart, start, stop)
        for name, column in held.columns.items():
            wanted = picked(column, np.arange(start, stop))
            assert found.columns[name].type is column.type
            assert texts(found, name) == [wanted.text(at) for at in range(stop - start)]


def test_a_sample_is_of_records_from_all_over_and_every_field_of_the_same(both, monkeypatch):
    held, apart, _ = both
    monkeypatch.setattr(samples, "RECORDS", 20)
    assert not is_sampled(apart)
    take_sample(apart)
    assert is_sampled(apart)
    viewed = in_view(apart)
    at = next(samples.unread_of(apart)).sample.at
    assert at[-1] > held.count // 2
    assert 15 <= len(at) < held.count
    for name, column in held.columns.items():
        assert texts(viewed, name) == [column.text(int(record)) for record in at]


def test_a_survey_tells_what_profiles_of_all_records_tell(both):
    held, apart, _ = both
    take_sample(apart)
    found = survey(apart, stream_behind(apart), Progress())
    for name, column in held.columns.items():
        wanted, got = profile_of(column), found[name].profile
        assert (got.blanks, got.smallest, got.largest, got.mean) == (
            wanted.blanks,
            wanted.smallest,
            wanted.largest,
            wanted.mean,
        )
        if found[name].members is not None:
            assert (got.different, sorted(got.frequent)[:0]) == (wanted.different, [])
            members = found[name].members
            listed = [members.text(at) for at in range(len(members))]
            assert len(listed) == len(set(listed))
            assert set(listed) == set(texts(held, name))
            counts = dict(got.frequent)
            assert all(texts(held, name).count(member) == many for member, many in counts.items())
        else:
            assert column.type.is_number or column.type.value == "date and time"


def test_of_a_field_with_too_many_members_none_are_told(both, monkeypatch):
    held, apart, _ = both
    take_sample(apart)
    monkeypatch.setattr(surveys, "MOST_MEMBERS", 2)
    found = survey(apart, stream_behind(apart), Progress())
    many = [
        name for name, column in held.columns.items() if not column.type.is_number and profile_of(column).different > 2
    ]
    assert many
    assert all(found[name].members is None and found[name].profile.blanks is None for name in many)


def test_a_survey_is_given_up_when_it_is_cancelled(both):
    _, apart, _ = both
    take_sample(apart)
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        survey(apart, stream_behind(apart), progress)


def test_a_survey_is_kept_and_comes_back_as_it_was(both):
    _, apart, _ = both
    take_sample(apart)
    found = survey(apart, stream_behind(apart), Progress())
    again = surveys.read_said(surveys.said(found, apart), apart)
    assert again.keys() == found.keys()
    for name, each in found.items():
        assert again[name].profile == each.profile
        assert (again[name].members is None) == (each.members is None)
        if each.members is not None:
            assert [again[name].members.text(at) for at in range(len(each.members))] == [
                each.members.text(at) for at in range(len(each.members))
            ]
            assert again[name].counts.tolist() == each.counts.tolist()
    for damaged in (
        b"",
        b"{",
        b'{"Site": 3}',
        surveys.said(found, apart)[:-9],
        b'{"Site": {"profile": {}, "type": "text"}}',
    ):
        assert surveys.read_said(damaged, apart) == {}
