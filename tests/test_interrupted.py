"""However a command is interrupted, and whatever cannot be written, a line says so and no library's traceback is printed."""

import os
import random
import resource
import signal
import subprocess
import sys
import time

import pytest

from foldbasket.demo.scenario import write_demo

PRINTED_BY_LIBRARIES = ("Traceback", "Exception ignored", "Logging error", "Exception caught")


@pytest.fixture(scope="module")
def demo(tmp_path_factory):
    return write_demo(tmp_path_factory.mktemp("demo"), 20_000)


def commands(demo, folder):
    return {
        "show": ["show", str(demo), "net by region and month"],
        "check": ["check", str(demo)],
        "render": ["render", str(demo), "--to", str(folder / "{fold}.xlsx"), "--to", str(folder / "{fold}.csv")],
        "pictures": ["render", str(demo), "--to", str(folder / "{fold}.pdf"), "--to", str(folder / "{fold}.png")],
        "each": ["render", str(demo), "--fold", "Net sales by site", "--each", "Region", "--to", str(folder / "{member}.ods")],
        "cluster": ["render", str(demo), "--to", str(folder / "{fold}.html"), "--cluster", "local:1"],
        "demo": ["demo", "--to", str(folder / "data"), "--lines", "20000"],
    }  # fmt: skip


NAMES = ("show", "check", "render", "pictures", "each", "cluster", "demo")


def began(arguments, **more):
    surroundings = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    return subprocess.Popen(
        [sys.executable, "-m", "foldbasket", *arguments], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True,
        start_new_session=True, env=surroundings, **more,
    )  # fmt: skip


def assert_plain(said):
    assert not [each for each in PRINTED_BY_LIBRARIES if each in said], said


@pytest.mark.parametrize("name", NAMES)
def test_interrupted_at_any_moment(demo, tmp_path, name):
    rng = random.Random(name)
    for at in range(4):
        made = began(commands(demo, tmp_path)[name])
        time.sleep(rng.uniform(0.02, 2.5))
        for _ in range(1 + at % 2):  # some press it twice
            os.killpg(made.pid, signal.SIGINT if at < 2 else signal.SIGTERM)
            time.sleep(0.05)
        _, said = made.communicate(timeout=60)
        assert_plain(said)
        assert made.returncode in (130, 0, -signal.SIGINT), said  # the last before Python itself has begun
        assert made.returncode != 130 or "interrupted" in said


@pytest.mark.parametrize("name", NAMES)
@pytest.mark.parametrize("room", [0, 5_000, 60_000])
def test_where_nothing_more_can_be_written(demo, tmp_path, name, room):
    def small():
        resource.setrlimit(resource.RLIMIT_FSIZE, (room, room))
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)

    if name == "cluster":
        pytest.skip("its workers share memory by files")
    made = began(commands(demo, tmp_path)[name], preexec_fn=small)
    _, said = made.communicate(timeout=120)
    assert_plain(said)
    assert made.returncode in (0, 1)
    assert made.returncode == 0 or "fold-basket: " in said


@pytest.mark.parametrize("name", ["show", "check"])
def test_a_full_disk_that_is_printed_to(demo, tmp_path, name):
    with open("/dev/full", "w") as full:
        made = subprocess.run(
            [sys.executable, "-m", "foldbasket", *commands(demo, tmp_path)[name]],
            stdout=full,
            stderr=subprocess.PIPE,
            text=True,
        )
    assert_plain(made.stderr)
    assert made.returncode == 1
    assert "cannot be written (No space left on device)" in made.stderr


@pytest.mark.parametrize("how", [signal.SIGINT, signal.SIGTERM])
def test_the_window_ends_at_once(demo, how):
    made = began([str(demo)])
    time.sleep(4)
    assert made.poll() is None
    made.send_signal(how)
    _, said = made.communicate(timeout=20)
    assert_plain(said)
    assert made.returncode == -how
