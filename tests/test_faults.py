"""What nobody foresaw is logged without the user's data, told in plain words, and ends nothing."""

import subprocess
import sys

import pytest

from foldbasket import faults
from foldbasket.errors import FoldBasketError


def fault(secret):
    raise ValueError(f"could not convert {secret}")


def noted(secret="Acme Ltd 4,711"):
    try:
        fault(secret)
    except ValueError as error:
        return faults.note(error)


def test_a_fault_is_told_with_its_place_and_logged_without_what_it_says():
    told = noted()
    assert isinstance(told, FoldBasketError)
    assert "ValueError in test_faults.py, line 13" in told.what
    log = faults.log_file().read_text("utf-8")
    assert "test_faults.py:13 fault" in log
    assert "Acme" not in log + str(told)
    assert str(faults.log_file()) in told.todo


def test_the_log_stays_small():
    for _ in range(400):
        noted()
    faults.LOGGER.handlers.clear()
    assert sum(each.stat().st_size for each in faults.log_file().parent.iterdir()) < 2_500_000


def test_a_log_that_cannot_be_written_hides_nothing(monkeypatch):
    monkeypatch.setattr(faults, "_write", lambda _: (_ for _ in ()).throw(OSError("disk full")))
    assert "ValueError" in noted().what


def test_the_command_line_says_a_fault_in_one_line_and_exits_1(tmp_path, demo):
    code = (
        "import sys, foldbasket.folding.engine as e\n"
        "def broken(*_, **__): raise KeyError('secret')\n"
        "e.Engine.fold = broken\n"
        "from foldbasket.cli import main\n"
        "sys.exit(main(sys.argv[1:]))"
    )
    asked = [
        sys.executable,
        "-c",
        code,
        "render",
        str(demo),
        "--fold",
        "Freight by team",
        "--to",
        str(tmp_path / "o.csv"),
    ]
    done = subprocess.run(asked, capture_output=True, text=True, check=False)
    assert done.returncode == 1
    assert "something went wrong that should not (KeyError" in done.stderr
    assert "Traceback" not in done.stderr
    assert "secret" not in done.stderr


@pytest.mark.parametrize("kind", [KeyboardInterrupt, SystemExit])
def test_the_boundary_lets_the_end_of_the_program_pass(kind, monkeypatch):
    from foldbasket.desktop.shell.boundary import Boundary

    told, passed = [], []
    monkeypatch.setattr(sys, "__excepthook__", lambda *given: passed.append(given[0]))
    Boundary(told.append).caught(kind, kind(), None)
    assert (told, passed) == ([], [kind])


def test_the_boundary_tells_each_fault_once_in_a_while_and_survives_a_broken_teller():
    from foldbasket.desktop.shell.boundary import Boundary

    told = []
    boundary = Boundary(told.append)
    for _ in range(3):
        try:
            fault("x")
        except ValueError as error:
            boundary.caught(type(error), error, error.__traceback__)
    assert len(told) == 1
    boundary.caught(FoldBasketError, FoldBasketError("said plainly."), None)
    assert str(told[1]) == "said plainly."
    Boundary(lambda _: fault("y")).caught(KeyError, KeyError(), None)
