"""A process that reads for a program ends with it, however that ends, whatever it does at that moment; and it bounds its own processor time."""

import os
import signal
import subprocess
import sys
import time

import psutil
import pytest

STUCK = """
import re, sys, threading, time
from pathlib import Path
from foldbasket.tables.reading import apart, sheets
from foldbasket.tables.progress import Progress
def stuck(path):
    re.match("(a+)+$", "a" * 60 + "b")  # in compiled code that never gives another thread its turn
{patch}
if {beside}:
    threading.Thread(target=time.sleep, args=(600,), daemon=True).start()
apart.bounds_for = lambda size: apart.Bounds(1 << 40, {seconds})
print("begun", flush=True)
apart.sheets_apart(Path(sys.argv[1]))
"""
PATCH = "sheets.sheets_of = stuck"
SITE = """
import sys
if any("serve(" in each for each in sys.orig_argv):
    import re
    from foldbasket.tables.reading import sheets
    sheets.sheets_of = lambda path: re.match("(a+)+$", "a" * 60 + "b")
"""


@pytest.fixture(params=["forked", "started"])
def program(request, tmp_path):
    """Starts a program whose reader is stuck in compiled code; gives the program and its reader."""
    (tmp_path / "site").mkdir()
    (tmp_path / "site" / "sitecustomize.py").write_text(SITE)
    (tmp_path / "a.xlsx").write_bytes(b"x")
    begun = []

    def begin(seconds):
        code = STUCK.format(patch=PATCH, beside=request.param == "started", seconds=seconds)
        surroundings = {**os.environ, "PYTHONPATH": f"{tmp_path / 'site'}:{os.getcwd()}/src"}
        made = subprocess.Popen(
            [sys.executable, "-c", code, str(tmp_path / "a.xlsx")],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            env=surroundings,
        )
        begun.append(made)
        assert made.stdout.readline() == b"begun\n"
        end = time.monotonic() + 60
        while time.monotonic() < end:
            busy = [each for each in psutil.Process(made.pid).children() if each.cpu_times().user > 0.8]
            if busy:
                return made, busy[0]
            time.sleep(0.05)
        raise AssertionError("no reader came")

    yield begin
    for each in begun:
        each.kill()
        each.wait()


def is_gone(process, seconds=10):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if not process.is_running() or process.status() == psutil.STATUS_ZOMBIE:
            return True
        time.sleep(0.05)
    return False


@pytest.mark.parametrize("how", [signal.SIGKILL, signal.SIGTERM, signal.SIGSEGV])
def test_a_reader_ends_with_its_program(program, how):
    made, reader = program(600)
    os.kill(made.pid, how)
    made.wait()
    assert is_gone(reader)


def test_a_reader_bounds_its_own_processor_time(program):
    made, reader = program(2)
    os.kill(made.pid, signal.SIGSTOP)  # so that nobody watches
    try:
        assert is_gone(reader, 30)
    finally:
        os.kill(made.pid, signal.SIGCONT)


def test_a_cluster_of_ones_own_ends_with_its_program(tmp_path):
    code = (
        "import time; from foldbasket.folding.cubes.cluster import Cluster; from foldbasket.folding.cubes.cluster_access import Where\n"
        "if __name__ == '__main__':\n    made = Cluster(Where('local:1')); print('begun', flush=True); time.sleep(600)\n"
    )
    (tmp_path / "run.py").write_text(code)
    with subprocess.Popen(
        [sys.executable, str(tmp_path / "run.py")], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
    ) as made:
        assert made.stdout.readline() == b"begun\n"
        theirs = psutil.Process(made.pid).children(recursive=True)
        assert theirs
        made.kill()
        made.wait()
    assert [each for each in theirs if not is_gone(each, 30)] == []
