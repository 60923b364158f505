"""The parser's tables are kept between runs; whatever became of them, sentences are read alike."""

import os
import shutil
import subprocess
import sys

import pytest

READ = """
from foldbasket.sentence.reading import read
from foldbasket.sentence.vocabulary import Vocabulary
from tests.folding.build import source, table
words = Vocabulary(source(table("T", {"Site": ["p", "q"], "Net": [1, 2]})))
print(read("net by site, largest first", words).rows[0].field.field)
"""


def run(folder):
    made = subprocess.run([sys.executable, "-c", READ], env=os.environ | {"XDG_CACHE_HOME": str(folder)}, capture_output=True, text=True, check=True)  # fmt: skip
    return made.stdout.strip(), made.stderr


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    """The folder of the tables as a first reading leaves it."""
    folder = tmp_path_factory.mktemp("cache")
    assert run(folder) == ("Site", "")
    return folder


@pytest.mark.parametrize(
    "damage", ["none", "cut short", "of another grammar", "no tables", "a file in place of the folder"]
)
def test_sentences_are_read_whatever_became_of_the_kept_tables(tmp_path, made, damage):
    kept = tmp_path / "fold-basket" / "grammar"
    if damage == "a file in place of the folder":
        kept.parent.mkdir()
        kept.write_text("x")
    else:
        shutil.copytree(made, tmp_path, dirs_exist_ok=True)
        whole = (kept / "brief.table").read_bytes()
        assert len(whole) > 10_000
        spoilt = {
            "cut short": whole[:5000],
            "of another grammar": b"0" * 64 + whole[64:],
            "no tables": b"",
            "none": whole,
        }
        (kept / "brief.table").write_bytes(spoilt[damage])
    assert run(tmp_path) == ("Site", "")
    if kept.is_dir():
        assert len((kept / "brief.table").read_bytes()) > 10_000
