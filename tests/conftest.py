"""Shared ground: a home of its own for every run, the demo's sequence files, small builders."""

from __future__ import annotations

import fcntl
import os
import tempfile
from pathlib import Path

import pytest

_home = tempfile.mkdtemp(prefix="wexodos-tests-")
for _name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
    os.environ[_name] = _home
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from wexodos.demo.build import build, write_sequences  # noqa: E402
from wexodos.formats import read_file  # noqa: E402
from wexodos.model import Document  # noqa: E402

HERE = Path(__file__).parent


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with the demo's two sequence files, without media."""
    folder = tmp_path_factory.mktemp("demo")
    write_sequences(folder)
    return folder


@pytest.fixture(scope="session")
def whole_demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with the whole demo, media and all; for reading only. Encoding its pictures takes longest of
    all, so where several workers run the tests one makes it for all."""
    if "PYTEST_XDIST_WORKER" not in os.environ:
        folder = tmp_path_factory.mktemp("whole-demo")
        build(folder)
        return folder
    shared = tmp_path_factory.getbasetemp().parent
    folder, done = shared / "whole-demo", shared / "whole-demo.done"
    with (shared / "whole-demo.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not done.exists():
            folder.mkdir(exist_ok=True)
            build(folder)
            done.touch()
    return folder


@pytest.fixture(scope="session")
def kiln_night(demo: Path) -> Document:
    return read_file(demo / "kiln-night.xml")
