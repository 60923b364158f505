"""Files are written aside, whole, and put in place: rights, owners and links stay, and a full disk leaves the old file."""

import os
import stat
import subprocess
import sys

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


FULL = """
import resource, signal, sys
signal.signal(signal.SIGXFSZ, signal.SIG_IGN)  # writing past the bound is then an error, as on a full disk
from foldbasket.cli import main
import foldbasket.desktop.pictures, foldbasket.outputs.formats
resource.setrlimit(resource.RLIMIT_FSIZE, (300, 300))
sys.exit(main(sys.argv[1:]))
"""


@pytest.mark.parametrize("ending", [".csv", ".xlsx", ".html", ".txt", ".pdf", ".png"])
def test_on_a_full_disk_every_output_says_so_and_the_earlier_report_stays(tmp_path, demo, ending):
    target = tmp_path / f"out{ending}"
    target.write_bytes(b"the earlier report")
    done = subprocess.run(
        [sys.executable, "-c", FULL, "render", str(demo), "--fold", "Net sales by site", "--to", str(target)],
        capture_output=True, text=True, timeout=120, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    assert done.returncode == 1, done.stderr
    assert "cannot be written" in done.stderr
    assert "Traceback" not in done.stderr
    assert target.read_bytes() == b"the earlier report"
    assert [each.name for each in tmp_path.iterdir()] == [target.name]
