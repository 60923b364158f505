"""Real database servers on loopback for the tests: made in a folder of their own, started, and stopped again.

Neither server runs as root; where the tests do, it runs as the user that its package made.
"""

import contextlib
import os
import pwd
import shutil
import socket
import subprocess
import tempfile
import time
from pathlib import Path

SECONDS = 60


class NotHereError(Exception):
    """The server's program is not on this machine."""


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def _as_user(user: str) -> list[str]:
    if os.geteuid() != 0:
        return []
    try:
        pwd.getpwnam(user)
    except KeyError:
        raise NotHereError(f"there is no user “{user}”") from None
    return ["runuser", "-u", user, "--"]


def _wait_for(port: int, process: subprocess.Popen, log: Path) -> None:
    end = time.monotonic() + SECONDS
    while time.monotonic() < end:
        with socket.socket() as probe:
            probe.settimeout(0.5)
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                return
        if process.poll() is not None:
            break
        time.sleep(0.1)
    raise RuntimeError(f"the server did not start: {log.read_text(errors='replace')[-2000:]}")


@contextlib.contextmanager
def _folder(user: list[str]):
    folder = Path(tempfile.mkdtemp(prefix="servers-"))
    try:
        if user:
            shutil.chown(folder, user[2])
        folder.chmod(0o755)
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


@contextlib.contextmanager
def _running(command: list[str], port: int, folder: Path):
    log = folder / "log"
    with log.open("wb") as told:
        process = subprocess.Popen(command, stdout=told, stderr=told, cwd=folder)
    try:
        _wait_for(port, process, log)
        yield process
    finally:
        process.terminate()
        try:
            process.wait(30)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


@contextlib.contextmanager
def postgresql():
    """A PostgreSQL server; gives its port. The user “seller” has the password “carrots” and owns the database “nursery”."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
    if not found:
        raise NotHereError("PostgreSQL is not installed")
    bin_folder, user, port = found[-1].parent, _as_user("postgres"), free_port()
    with _folder(user) as folder:
        data = folder / "data"
        secret = folder / "secret"
        secret.write_text("carrots")
        secret.chmod(0o644)
        subprocess.run(
            [*user, bin_folder / "initdb", "-D", data, "-U", "seller", "-A", "scram-sha-256", f"--pwfile={secret}", "-E", "UTF8", "--locale=C", "-N"],
            check=True, capture_output=True, cwd=folder,
        )  # fmt: skip
        command = [*user, str(bin_folder / "postgres"), "-D", str(data), "-p", str(port), "-k", str(folder), "-c", "listen_addresses=127.0.0.1", "-c", "fsync=off"]  # fmt: skip
        with _running(command, port, folder):
            # It listens before it answers: on a busy machine a first connection would be told that it is starting up.
            ready = [bin_folder / "pg_isready", "-q", "-h", "127.0.0.1", "-p", str(port), "-t", "1"]
            end = time.monotonic() + SECONDS
            while subprocess.run(ready, check=False).returncode != 0 and time.monotonic() < end:
                time.sleep(0.1)
            yield port


@contextlib.contextmanager
def mariadb():
    """A MariaDB server; gives its port. The user “seller” has the password “carrots” and all rights."""
    server, maker = (
        shutil.which("mariadbd", path="/usr/sbin:/usr/bin:/usr/local/sbin"),
        shutil.which("mariadb-install-db"),
    )
    if not server or not maker:
        raise NotHereError("MariaDB is not installed")
    user, port = _as_user("mysql"), free_port()
    with _folder(user) as folder:
        data = folder / "data"
        common = [f"--datadir={data}", "--no-defaults"]
        subprocess.run([*user, maker, common[1], common[0], "--skip-test-db", "--auth-root-authentication-method=normal"], check=True, capture_output=True, cwd=folder)  # fmt: skip
        first = folder / "first.sql"
        first.write_text(
            "CREATE DATABASE nursery CHARACTER SET utf8mb4;\n"
            "CREATE USER 'seller'@'127.0.0.1' IDENTIFIED BY 'carrots';\n"
            "GRANT ALL ON *.* TO 'seller'@'127.0.0.1';\n"
        )
        first.chmod(0o644)
        command = [
            *user, server, "--no-defaults", f"--datadir={data}", f"--port={port}", f"--socket={folder}/socket", f"--pid-file={folder}/pid",
            "--bind-address=127.0.0.1", f"--init-file={first}", "--skip-log-bin", "--innodb-flush-log-at-trx-commit=0",
        ]  # fmt: skip
        with _running(command, port, folder):
            yield port
