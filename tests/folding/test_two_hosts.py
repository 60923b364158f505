"""A scheduler with its workers on one host and whoever asks on another, made of network namespaces: over TLS alone, and by certificate alone."""

import contextlib
import os
import subprocess
import sys
import time
import uuid

import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.files import save_basket
from foldbasket.cli import main
from foldbasket.spec.fold import Fold
from tests.folding.build import measure, placed
from tests.folding.test_cluster import certificates

FAR, NEAR = "10.213.7.2", "10.213.7.1"


def ip(*arguments):
    subprocess.run(["ip", *arguments], check=True, capture_output=True)


@pytest.fixture
def hosts():
    """The names of two namespaces that reach each other, and nothing else."""
    mark = uuid.uuid4().hex[:6]
    near, far = f"near{mark}", f"far{mark}"
    with contextlib.ExitStack() as stack:
        try:
            for name in (near, far):
                ip("netns", "add", name)
                stack.callback(subprocess.run, ["ip", "netns", "del", name], capture_output=True, check=False)
            ip("link", "add", f"n{mark}", "type", "veth", "peer", "name", f"f{mark}")
            for name, end, address in ((near, f"n{mark}", NEAR), (far, f"f{mark}", FAR)):
                ip("link", "set", end, "netns", name)
                ip("-n", name, "addr", "add", f"{address}/24", "dev", end)
                ip("-n", name, "link", "set", end, "up")
                ip("-n", name, "link", "set", "lo", "up")
        except (OSError, subprocess.CalledProcessError) as error:
            pytest.skip(f"no hosts can be made of namespaces here: {error}")
        yield near, far


def run_on(host, *arguments, **more):
    """A process of the program on a host."""
    command = ["ip", "netns", "exec", host, sys.executable, "-m", "foldbasket", *map(str, arguments)]
    return subprocess.Popen(
        command,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        env={**os.environ, "PYTHONPATH": "src"},
        **more,
    )


def test_a_fold_is_asked_of_another_host_by_certificate_alone(hosts, tmp_path):
    near, far = hosts
    own = certificates(tmp_path)
    pq.write_table(
        pa.table({"Site": list("aabbc") * 2_000, "N": pa.array(range(10_000), pa.int32())}),
        tmp_path / "lines.parquet",
        row_group_size=500,
    )
    fold = Fold("f", (measure("sum", "Lines.N"), measure("count")), (placed("Lines.Site"),))
    basket, here, there = tmp_path / "b.json", tmp_path / "here.csv", tmp_path / "there.csv"
    save_basket(Basket("B", (SourceSpec("Lines", "lines.parquet"),), folds=(fold,)), basket)
    assert main(["render", str(basket), "--to", str(here), "--quiet"]) == 0
    shown = ("--ca", own.ca, "--cert", own.certificate, "--key", own.key)
    scheduler = run_on(far, "cluster", "--workers", 2, "--host", FAR, "--port", 8786, *shown)
    try:
        said = scheduler.stdout.readline()
        assert f"tls://{FAR}:8786" in said, (said, scheduler.poll())
        asking = ("render", basket, "--quiet", "--cluster", f"tls://{FAR}:8786")
        asked = tuple(
            part
            for name, file in zip(("ca", "cert", "key"), shown[1::2], strict=True)
            for part in (f"--cluster-{name}", file)
        )
        started = time.monotonic()
        known = run_on(near, *asking, "--to", there, *asked)
        assert known.wait(90) == 0, known.stderr.read()
        assert there.read_text() == here.read_text()
        assert time.monotonic() - started < 90
        stranger = (
            "--cluster-ca",
            own.ca,
            "--cluster-cert",
            tmp_path / "other.pem",
            "--cluster-key",
            tmp_path / "other.key",
        )
        for certificate in (stranger, ()):
            unknown = run_on(near, *asking, "--to", tmp_path / "stolen.csv", *certificate)
            assert unknown.wait(90) != 0
            assert "Traceback" not in unknown.stderr.read()
        assert not (tmp_path / "stolen.csv").exists()
    finally:
        scheduler.terminate()
        scheduler.wait(20)
