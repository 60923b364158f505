"""Shared fixtures: demo data made once, and settings that keep every test alike on every machine."""

import os
import sys
from pathlib import Path

import pytest

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["TZ"] = "UTC"


@pytest.fixture(scope="session")
def demo(tmp_path_factory) -> Path:
    """The path of a small demo basket (6,000 order lines); tests do not change its folder."""
    from foldbasket.demo.scenario import write_demo

    return write_demo(tmp_path_factory.mktemp("demo"), lines=6_000)


@pytest.fixture(autouse=True)
def own_home(tmp_path_factory, monkeypatch):
    """Keeps recent baskets and the like of a test out of the user's own folders."""
    home = tmp_path_factory.mktemp("home")
    for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
        monkeypatch.setenv(name, str(home / name))
    kept = sys.modules.get("foldbasket.tables.store")
    if kept is not None:  # what the test before has put by would be written into the folders of this one
        kept.STORE.clear()
