"""The same folds on a cluster of two processes: the same numbers, whoever dies, and nobody let in without a certificate."""

import contextlib
import os
import random
import re
import signal
import socket
import ssl
import stat
import subprocess
import sys
import threading
import time

import psutil
import pytest
from distributed import Client

from foldbasket.cli import main
from foldbasket.errors import Cancelled, FoldBasketError, FoldError, ReadError
from foldbasket.folding.cubes import cluster as clusters
from foldbasket.folding.cubes.cluster import Cluster
from foldbasket.folding.cubes.cluster_access import Where, throwaway_files
from foldbasket.folding.engine import Engine
from foldbasket.links.source import Source
from foldbasket.spec.fold import Fold, Measure
from foldbasket.styling.dates import Fiscal
from foldbasket.tables.progress import Progress
from tests.folding.build import bands, lines, measure, placed, ref
from tests.folding.statement.test_random_statements import LINKS, random_tables
from tests.folding.streaming import answered, streamed
from tests.folding.test_streamed import assert_same, sales
from tests.rounds import seeds


@pytest.fixture(scope="module")
def two():
    """A cluster of two workers of this machine."""
    made = Cluster(Where("local:2"))
    yield made
    made.close()


def engines(tables, links, folder, rng, cluster):
    held = {each.name: each for each in tables}
    apart = {**held, tables[0].name: streamed(tables[0], folder, rng)}
    fiscal = Fiscal(4)
    return Engine(Source(held, links, (), fiscal)), Engine(Source(apart, links, (), fiscal), cluster=cluster)


@pytest.mark.parametrize("seed", seeds(25))
def test_random_folds_on_the_cluster_are_those_held(two, tmp_path, seed):
    rng = random.Random(seed * 53 + 2)
    tables = random_tables(rng)
    held, far = engines(tables, LINKS, tmp_path, rng, two)
    done = 0
    for fold, wanted in answered(held, rng, 12):
        assert_same(far.fold(fold), wanted, fold)
        done += 1
    assert done >= 8


def large(folder):
    """Enough records to be at work for a while, in 60 groups."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    from foldbasket.tables.reading.parquetstream import ParquetStream
    from foldbasket.tables.table import Table
    from foldbasket.tables.types import FieldType
    from foldbasket.tables.unread import bound, unread_columns

    draw = random.Random(1)
    many = 60_000
    path = folder / "large.parquet"
    sites = pa.array([f"S{draw.randrange(5_000)}" for _ in range(many)])
    pq.write_table(pa.table({"Site": sites, "N": pa.array(range(many))}), path, row_group_size=many // 60)
    kinds = {"Site": (FieldType.TEXT, 0), "N": (FieldType.WHOLE, 0)}
    made = Table("Lines", unread_columns(kinds, many))
    return bound(made, lambda names: {}, ParquetStream("Lines", [path], [many])), many


def test_a_worker_that_is_killed_costs_time_and_no_number(two, tmp_path):
    made, many = large(tmp_path)
    fold = Fold("f", (measure("sum", "Lines.N"), measure("median", "Lines.N")), (placed("Lines.Site"),))
    killed = []

    def kill():
        time.sleep(0.15)
        pid = two.processes()[0]
        killed.append(pid)
        os.kill(pid, signal.SIGKILL)

    killer = threading.Thread(target=kill)
    killer.start()
    report = Engine(Source({"Lines": made}), cluster=two).fold(fold)
    killer.join()
    assert killed
    assert report.value(report.height - 1, 0) == many * (many - 1) // 2
    again = Engine(Source({"Lines": made}), cluster=two).fold(fold)
    assert lines(again) == lines(report)


def test_what_is_wrong_with_a_file_comes_back_whole_and_a_fold_can_be_cancelled(two, tmp_path):
    made, _ = large(tmp_path)
    engine = Engine(Source({"Lines": made}), cluster=two)
    fold = Fold("f", (measure("sum", "Lines.N"),), (placed("Lines.Site"),))
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        engine.fold(fold, progress)
    path = tmp_path / "large.parquet"
    whole = path.read_bytes()
    path.write_bytes(whole[:-100])
    with pytest.raises(ReadError, match=r"cannot be read to its end|changed after it was opened") as raised:
        engine.fold(fold)
    assert raised.value.where == "large.parquet"


def test_versions_that_differ_are_refused_with_both_named(monkeypatch):
    monkeypatch.setattr(clusters, "__version__", "9.9.9")
    with pytest.raises(FoldError, match=r"runs Fold Basket 0\.\d.* and this machine 9\.9\.9"):
        Cluster(Where("local:1"))


def test_an_address_that_begins_like_local_is_not_a_cluster_of_our_own():
    own = ["local", "local:4", "localhost:8786", "localhost", "local.quillmoor.example:8786"]
    assert [Where(address).is_own for address in own] == [True, True, False, False, False]
    with pytest.raises(FoldError, match="you have not started the cluster at localhost:8786"):
        Where("localhost:8786").secured()
    with pytest.raises(FoldError, match="no certificates were given"):
        Where("local.quillmoor.example:8786").secured()


@pytest.mark.parametrize("address", ["tcp://10.0.0.7:8786", "data.quillmoor.example:8786", "tls://10.0.0.7:8786"])
def test_beyond_this_machine_certificates_are_needed(address):
    with pytest.raises(FoldError, match="beyond this machine, and no certificates were given"):
        Cluster(Where(address))


def certificates(folder):
    """An authority, and a certificate that it signed."""

    def openssl(*arguments):
        subprocess.run(["openssl", *arguments], cwd=folder, check=True, capture_output=True)

    openssl(
        "req",
        "-x509",
        "-newkey",
        "rsa:2048",
        "-nodes",
        "-keyout",
        "ca.key",
        "-out",
        "ca.pem",
        "-days",
        "2",
        "-subj",
        "/CN=Quillmoor",
    )
    openssl("req", "-newkey", "rsa:2048", "-nodes", "-keyout", "own.key", "-out", "own.csr", "-subj", "/CN=localhost")
    openssl(
        "x509",
        "-req",
        "-in",
        "own.csr",
        "-CA",
        "ca.pem",
        "-CAkey",
        "ca.key",
        "-CAcreateserial",
        "-out",
        "own.pem",
        "-days",
        "2",
    )
    openssl(
        "req",
        "-x509",
        "-newkey",
        "rsa:2048",
        "-nodes",
        "-keyout",
        "other.key",
        "-out",
        "other.pem",
        "-days",
        "2",
        "-subj",
        "/CN=else",
    )
    return Where("", *(str(folder / name) for name in ("ca.pem", "own.pem", "own.key")))


@contextlib.contextmanager
def served(*arguments, end=signal.SIGINT):
    """A cluster of the command line's, and its address; a signal ends it."""
    command = [sys.executable, "-m", "foldbasket", "cluster", "--port", "0", "--workers", "1", *arguments]
    with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True) as process:
        try:
            said = process.stdout.readline()
            yield re.search(r"behind (\S+);", said)[1], process
        finally:
            process.send_signal(end)
            with contextlib.suppress(subprocess.TimeoutExpired):
                process.wait(60)
            process.kill()


def test_over_tls_with_certificates_alone_and_a_scheduler_that_goes_away_is_told(tmp_path, monkeypatch):
    own = certificates(tmp_path)
    with served("--ca", own.ca, "--cert", own.certificate, "--key", own.key) as (address, process):
        assert address.startswith("tls://")
        cluster = Cluster(Where(address, own.ca, own.certificate, own.key))
        held, far = engines([sales()], (), tmp_path, random.Random(1), cluster)
        fold = Fold("f", (measure("sum", "Lines.Net"),), (placed("Lines.Site"),))
        assert lines(far.fold(fold)) == lines(held.fold(fold))
        monkeypatch.setattr(clusters, "WAIT", 2.0)
        stranger = [str(tmp_path / name) for name in ("other.pem", "other.pem", "other.key")]
        with pytest.raises(FoldError, match="there is no cluster at"):
            Cluster(Where(address, *stranger))
        with pytest.raises(FoldError, match="you have not started"):
            Cluster(Where(address))
        process.kill()
        process.wait()
        with pytest.raises(FoldBasketError, match="the cluster at"):
            Engine(far.source, cluster=cluster).fold(Fold("g", (measure("count"), measure("median", "Lines.Net"))))
        cluster.close()


@pytest.mark.parametrize("end", [signal.SIGINT, signal.SIGTERM])
def test_the_command_folds_on_a_cluster(tmp_path, capsys, end):
    from foldbasket.demo.scenario import write_demo

    basket = write_demo(tmp_path / "demo", 3_000, "parquet")
    asked = ["render", str(basket), "--fold", "Net sales by site", "--quiet"]
    assert main([*asked, "--to", str(tmp_path / "here.csv")]) == 0
    with served(end=end) as (address, _):
        assert stat.S_IMODE(throwaway_files(1)[0].parent.stat().st_mode) == 0o700
        assert [stat.S_IMODE(each.stat().st_mode) for each in throwaway_files(1)[0].parent.iterdir()] == [0o600, 0o600]
        assert main([*asked, "--to", str(tmp_path / "far.csv"), "--cluster", address]) == 0, capsys.readouterr().err
    assert list(throwaway_files(1)[0].parent.iterdir()) == [], "the certificates go with the cluster"
    assert (tmp_path / "here.csv").read_bytes() == (tmp_path / "far.csv").read_bytes()
    assert main([*asked, "--to", str(tmp_path / "x.csv"), "--cluster", "10.1.2.3:8786"]) == 1
    assert "no certificates were given" in capsys.readouterr().err


def test_certificates_of_clusters_that_were_killed_go_with_the_next():
    with served(end=signal.SIGKILL):
        pass
    left = list(throwaway_files(1)[0].parent.iterdir())
    assert len(left) == 2
    with served():
        assert not set(left) & set(throwaway_files(1)[0].parent.iterdir())


def test_first_and_last_and_bands_on_the_cluster_are_those_held(two, tmp_path):
    rng = random.Random(8)
    held, far = engines(random_tables(rng), LINKS, tmp_path, rng, two)
    for way in ("first", "last"):
        for order in ("Lines.Sold", "Lines.Site", "Lines.Qty"):
            made = Measure("m", way, ref("Lines.Net"), order=ref(order))
            banded = placed("Lines.Net", bands=bands("width", "100"))
            fold = Fold("f", (made, measure("sum", "Lines.Net")), (placed("Customers.Region"), banded))
            assert_same(far.fold(fold), held.fold(fold), fold)


def listening(pids):
    """The addresses at which some processes answer."""
    found = set()
    for pid in pids:
        for each in psutil.Process(pid).net_connections("tcp"):
            if each.status == psutil.CONN_LISTEN:
                found.add((each.laddr.ip, each.laddr.port))
    return found


def is_let_in(address):
    """Whether somebody without a certificate is answered there, over TLS or plainly, by what runs code."""
    context = ssl.create_default_context()
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    with (
        contextlib.suppress(OSError, ssl.SSLError),
        socket.create_connection(address, 5) as plain,
        context.wrap_socket(plain) as inside,
    ):
        inside.settimeout(5)
        inside.sendall(b"\0" * 64)
        return bool(inside.recv(1))
    with contextlib.suppress(OSError), socket.create_connection(address, 5) as plain:
        plain.settimeout(5)
        plain.sendall(b"GET /info/main/workers.html HTTP/1.1\r\nHost: localhost\r\n\r\n")
        answer = plain.recv(4_096)
        return bool(answer) and not answer.startswith(b"HTTP/1.1 404")
    return False


def test_no_other_account_of_this_machine_is_let_in(two):
    here = psutil.Process()
    with served() as (address, process):
        theirs = [process.pid, *(each.pid for each in psutil.Process(process.pid).children(recursive=True))]
        ours = [here.pid, *(each.pid for each in here.children(recursive=True))]
        found = listening({*ours, *theirs})
        assert len(found) >= 8, "two schedulers, their workers and their nannies"
        assert [each for each in sorted(found) if is_let_in(each)] == []
        plain = address.replace("tls://", "tcp://")
        with pytest.raises((OSError, TimeoutError)):
            Client(plain, timeout=2)
