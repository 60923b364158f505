"""Once for real: a window on a virtual screen, driven by an actual mouse and keyboard, dragging included."""

import json
import os
import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest

pytestmark = pytest.mark.xvfb


@pytest.fixture
def screen():
    """The name of a fresh virtual display."""
    if not shutil.which("Xvfb") or not shutil.which("xdotool"):
        pytest.skip("Xvfb and xdotool are not installed here")
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x860x24", "-nolisten", "tcp"],
        pass_fds=[write],
        stderr=subprocess.DEVNULL,
    )
    os.close(write)
    with os.fdopen(read) as said:
        number = said.readline().strip()
    yield f":{number}"
    server.terminate()
    server.wait()


def test_fields_are_dragged_onto_the_report_in_a_real_window(screen, demo, tmp_path):
    state_file = tmp_path / "state.json"
    environment = os.environ | {"DISPLAY": screen, "QT_QPA_PLATFORM": "xcb"}
    app = subprocess.Popen(
        [sys.executable, "-m", "tests.desktop.real_window", str(state_file), str(demo.parent / "order_lines.csv")],
        env=environment,
        cwd=Path(__file__).parents[2],
    )

    def state():
        return json.loads(state_file.read_text()) if state_file.exists() else {}

    def wait_for(holds):
        seen = []
        for _ in range(400):
            seen.append(state())
            # Somebody at the screen waits until it stands still, too, before taking hold of something.
            if seen[-1] and holds(seen[-1]) and len(seen) > 12 and all(each == seen[-1] for each in seen[-12:]):
                return seen[-1]
            assert app.poll() is None, "the application ended"
            time.sleep(0.05)
        raise AssertionError(f"never seen; last: {state().get('sentence')}")

    def xdotool(*arguments):
        subprocess.run(["xdotool", *map(str, arguments)], env=environment, check=True)

    def drag(start, stop):
        xdotool("mousemove", *start)
        xdotool("mousedown", 1)
        for part in (0.05, 0.1, 0.3, 0.6, 0.9, 1.0, 1.0):
            xdotool("mousemove", *(round(a + (b - a) * part) for a, b in zip(start, stop, strict=True)))
            time.sleep(0.08)
        xdotool("mouseup", 1)

    try:
        now = wait_for(lambda now: "Net" in now["fields"])
        assert now["platform"] == "xcb"
        drag(now["fields"]["Net"], now["middle"])  # onto reports to start from, which make room for the empty one
        now = wait_for(lambda now: now["sentence"] == "Net, summed")
        drag(now["fields"]["Channel"], now["edges"]["rows"])
        now = wait_for(lambda now: now["sentence"] == "Net, summed for each Channel")
        drag(now["fields"]["Order date"], now["pluses"]["columns"])
        now = wait_for(lambda now: now["sentence"].endswith("across Quarter of order date"))
        assert now["cells"] == [5, 9]
        xdotool("key", "ctrl+t")
        now = wait_for(lambda now: now["sentence"] == "Net, summed for each Quarter of order date across Channel")
        xdotool("key", "ctrl+z", "ctrl+z")
        wait_for(lambda now: now["sentence"] == "Net, summed for each Channel")
    finally:
        app.terminate()
        app.wait()
