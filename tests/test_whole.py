"""Files are written aside, whole, and put in place: rights, owners and links stay, and a full disk leaves the old file."""

import os
import stat
import subprocess
import sys
import zipfile
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from foldbasket.whole import write_whole, written_whole


def test_a_new_file_has_the_rights_that_the_user_gives_new_files(tmp_path):
    old = os.umask(0o027)
    try:
        write_whole(tmp_path / "a", b"x")
    finally:
        os.umask(old)
    assert stat.S_IMODE((tmp_path / "a").stat().st_mode) == 0o640


def test_rights_owner_and_the_earlier_copy_stay_with_the_file(tmp_path):
    path = tmp_path / "a"
    path.write_bytes(b"old")
    path.chmod(0o600)
    if os.geteuid() == 0:
        os.chown(path, 12345, 12345)
    write_whole(path, b"new", keep=True)
    found = path.stat()
    assert (path.read_bytes(), (tmp_path / "a~").read_bytes()) == (b"new", b"old")
    assert stat.S_IMODE(found.st_mode) == 0o600
    assert os.geteuid() != 0 or (found.st_uid, found.st_gid) == (12345, 12345)
    assert sorted(each.name for each in tmp_path.iterdir()) == ["a", "a~"]


def test_a_link_stays_a_link_and_what_it_names_is_written(tmp_path):
    (tmp_path / "far").mkdir()
    target, link = tmp_path / "far" / "real", tmp_path / "link"
    target.write_bytes(b"old")
    link.symlink_to(target)
    write_whole(link, b"new", keep=True)
    assert link.is_symlink()
    assert target.read_bytes() == b"new"
    assert (tmp_path / "far" / "real~").read_bytes() == b"old"


@pytest.mark.parametrize("kind", ["folder", "pipe", "missing folder"])
def test_what_is_no_plain_file_is_left_alone(tmp_path, kind):
    path = tmp_path / "a"
    if kind == "folder":
        path.mkdir()
    elif kind == "pipe":
        os.mkfifo(path)
    else:
        path = tmp_path / "none" / "a"
    with pytest.raises(OSError, match=r"stands there|No such file"):
        write_whole(path, b"new")
    assert not list(tmp_path.glob(".*"))


def test_when_writing_fails_the_old_file_stands_and_nothing_lies_about(tmp_path):
    path = tmp_path / "a"
    path.write_bytes(b"old")

    def fail():
        with written_whole(path, keep=True) as fresh:
            fresh.write_bytes(b"half")
            raise RuntimeError

    with pytest.raises(RuntimeError):
        fail()
    assert path.read_bytes() == b"old"
    assert [each.name for each in tmp_path.iterdir()] == ["a"]


def test_what_a_killed_save_left_is_cleared_away_by_a_later_one(tmp_path):
    path = tmp_path / "a[1].csv"
    dead, running = subprocess.Popen(["true"]), os.getppid()
    dead.wait()
    left = [
        tmp_path / f".{path.name}.{number}.{kind}"
        for number, kind in (
            (dead.pid, "new"),
            (dead.pid, "old"),
            (dead.pid, "new-x1.parquet"),
            (running, "old"),
            (running, "new"),
        )
    ]
    other = [tmp_path / f".b.csv.{dead.pid}.new", tmp_path / f".{path.name}.swp.new"]
    for each in (*left, *other):
        each.write_bytes(b"half")
    os.utime(left[-2], (1_000_000_000, 1_000_000_000))  # its number is in use again
    write_whole(path, b"new")
    assert sorted(tmp_path.iterdir()) == sorted([path, left[-1], *other])


def test_nobody_else_may_read_a_file_while_it_is_written_whatever_writes_it(tmp_path):
    def by_path(fresh):
        fresh.write_text("x", "utf-8")

    def by_handle(fresh):
        with fresh.open("wb") as file:
            file.write(b"x")

    def by_archive(fresh):
        with zipfile.ZipFile(fresh, "w") as file:
            file.writestr("a", "x")

    def by_parquet(fresh):
        pq.write_table(pa.table({"a": [1]}), fresh)

    for at, write in enumerate((by_path, by_handle, by_archive, by_parquet)):
        for mode in (None, 0o600, 0o644):
            path = tmp_path / f"{at}{mode}"
            if mode is not None:
                path.write_text("old")
                path.chmod(mode)
            with written_whole(path, keep=True) as fresh:
                assert stat.S_IMODE(fresh.stat().st_mode) == 0o600
                write(fresh)
                assert stat.S_IMODE(fresh.stat().st_mode) == 0o600
            assert stat.S_IMODE(path.stat().st_mode) == (mode if mode is not None else 0o666 & ~UMASK)


UMASK = os.umask(0)
os.umask(UMASK)


READ_ONLY = """
mount -t tmpfs none "$1" && cp "$2"/* "$1" && mount -o remount,ro "$1" && cd "$1" || exit 77
shift 2
exec "$@"
"""


def in_a_read_only_place(tmp_path, demo, *command):
    """Runs a command in a copy of the demo that stands on a file system which nobody can write to."""
    place = tmp_path / "disc"
    place.mkdir()
    homes = {f"XDG_{each}_HOME": str(place / each) for each in ("DATA", "CONFIG", "STATE", "CACHE")}
    done = subprocess.run(
        ["unshare", "--user", "--map-root-user", "--mount", "sh", "-c", READ_ONLY, "sh", str(place), str(demo.parent), *command],
        capture_output=True, text=True, timeout=120, env={**os.environ, **homes, "QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    if done.returncode == 77 or "unshare" in done.stderr:
        pytest.skip(f"this system lets nobody mount: {done.stderr[:200]}")
    assert "Traceback" not in done.stderr
    return done


ENDINGS = (".csv", ".xlsx", ".ods", ".html", ".md", ".txt", ".parquet", ".pdf", ".png", ".svg")
EACH = """
import sys
from pathlib import Path
from foldbasket.cli import main
for to in sys.argv[4:]:
    print(to, main(["render", *sys.argv[1:4], "--to", to]), file=sys.stderr)
"""


def test_from_a_read_only_place_reports_go_elsewhere_and_into_it_they_are_refused(tmp_path, demo):
    away, into = [str(tmp_path / f"out{each}") for each in ENDINGS], [f"out{each}" for each in ENDINGS]
    render = [sys.executable, "-c", EACH, demo.name, "--fold", "Freight by team"]
    done = in_a_read_only_place(tmp_path, demo, *render, *away, *into)
    assert done.returncode == 0, done.stderr
    told = done.stderr.splitlines()
    for path in away:
        assert f"{path} 0" in told, done.stderr
        assert Path(path).stat().st_size
    refused = [
        each for each in told if "the file cannot be written (Read-only file system). Choose another place." in each
    ]
    assert len(refused) == len(into)
    for path in into:
        assert f"{path} 1" in told, done.stderr
    assert ".new" not in done.stderr


WINDOW = """
import sys, time
from pathlib import Path
from PyQt6.QtWidgets import QApplication
from foldbasket.desktop.actions.file import save
from foldbasket.desktop.shell.boundary import Boundary
from foldbasket.desktop.shell.window import MainWindow
app, said = QApplication([]), []
window = MainWindow()
window.say_error = lambda error: said.append(str(error))
Boundary(window.say_error).install()
window.show()
window.open_paths([Path(sys.argv[1]).absolute()])
window.desk.failed.disconnect()
window.desk.failed.connect(window.say_error)
def rest():
    for _ in range(3):
        app.processEvents()
    while window.desk.busy:
        app.processEvents()
        time.sleep(0.01)
    app.processEvents()
rest()
window.desk.words.turn()
rest()
window.desk.files.write_aside()
rest()
save(window)
rest()
window.desk.output.write_report(Path("x.pdf").absolute())
rest()
assert window.desk.report is not None and window.desk.history.changed
print(*said, sep="\\n")
window.desk.close()
"""


def test_in_a_read_only_place_the_window_works_and_says_once_each_what_it_cannot_write(tmp_path, demo):
    done = in_a_read_only_place(tmp_path, demo, sys.executable, "-c", WINDOW, demo.name)
    assert done.returncode == 0, done.stderr
    said = done.stdout.splitlines()
    assert [line.count("Read-only file system") for line in said] == [1, 1], done.stdout


FULL = """
import resource, signal, sys
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)  # writing past the bound is then an error, as on a full disk
import foldbasket.desktop.drawing.pdf, foldbasket.outputs.formats
resource.setrlimit(resource.RLIMIT_FSIZE, (300, 300))
"""


def test_on_a_full_disk_every_output_says_so_and_the_earlier_report_stays(tmp_path, demo):
    targets = [tmp_path / f"out{each}" for each in ENDINGS]
    for target in targets:
        target.write_bytes(b"the earlier report")
    done = subprocess.run(
        [sys.executable, "-c", FULL + EACH, str(demo), "--fold", "Net sales by site", *map(str, targets)],
        capture_output=True, text=True, timeout=120, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert done.stderr.count("cannot be written") == len(targets), done.stderr
    for target in targets:
        assert f"{target} 1" in done.stderr.splitlines()
        assert target.read_bytes() == b"the earlier report"
    assert "Traceback" not in done.stderr
    assert sorted(tmp_path.iterdir()) == sorted(targets)
