"""Shared ground: a home of its own for every run, the demo's sequence files, small builders."""

from __future__ import annotations

import atexit
import fcntl
import functools
import gc
import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

# Documents are many thousand small objects that stay: looking through them as often as is usual for short
# programs takes a fifth of the time of the tests.
gc.set_threshold(100_000, 50, 1000)

# Each worker has a core; where products of vectors are shared out among threads they wait for one another.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
_home = tempfile.mkdtemp(prefix="wexodos-tests-")
atexit.register(shutil.rmtree, _home, ignore_errors=True)
for _name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
    os.environ[_name] = _home
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from formats.schema import faults as faults_of_lanes  # noqa: E402
from formats.schema import faults_of_tracks  # noqa: E402
from formats.structure_aaf import faults_of_aaf  # noqa: E402
from formats.structure_omf import faults_of_omf  # noqa: E402
from wexodos.demo.build import CUT, build, write_sequences  # noqa: E402
from wexodos.demo.scatter import scatter  # noqa: E402
from wexodos.formats import aaf, fcpxml, omf, read_file, xmeml  # noqa: E402
from wexodos.model import Document  # noqa: E402

HERE = Path(__file__).parent
_ALL = os.environ.get("WEXODOS_TESTS") == "all" or int(os.environ.get("WEXODOS_EXAMPLES", "1")) > 1


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """``./run test`` plays a sample, to be done soon: it leaves out the ``thorough`` tests, and of the cases of
    those that are ``sampled`` it plays every so manieth, the same each time. ``./run test-all``, ``./run mutate`` and
    ``./run prove`` play all of them, and so does who names a test."""
    if _ALL or any("::" in one for one in config.args):
        return
    seen: dict[str, int] = {}
    kept, left = [], []
    for item in items:
        stays = item.get_closest_marker("thorough") is None
        sampled = item.get_closest_marker("sampled")
        if sampled is not None:
            name = item.nodeid.partition("[")[0]
            stays = seen.setdefault(name, 0) % sampled.args[0] == 0
            seen[name] += 1
        (kept if stays else left).append(item)
    items[:] = kept
    config.hook.pytest_deselected(items=left)


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


# Every file that a test writes in these formats is held to the structure of its format.

_written: list[str] = []
_looked_at: set[str] = set()


def _watched(kind: Any, look: Callable[..., list[str]]) -> None:
    """Let a format's writers note what is wrong with what they write; in a sample, with the first of their files
    that a test writes."""
    write, write_to = kind.FORMAT.write, kind.FORMAT.write_to
    name = kind.FORMAT.id

    def looks() -> bool:
        first = name not in _looked_at
        _looked_at.add(name)
        return first or _ALL

    @functools.wraps(write)
    def to_bytes(*given: Any, **named: Any) -> bytes:
        data: bytes = write(*given, **named)
        _written.extend(look(data) if looks() else ())
        return data

    def to_file(path: Path, *given: Any, **named: Any) -> Any:
        names = write_to(path, *given, **named)
        _written.extend(look(path, with_essence=True) if looks() else ())
        return names

    kind.write = to_bytes
    object.__setattr__(kind.FORMAT, "write", to_bytes)
    if write_to is not None:
        kind.write_to = to_file
        object.__setattr__(kind.FORMAT, "write_to", to_file)


_LOOKS: dict[Any, Callable[..., list[str]]] = {
    aaf: functools.partial(faults_of_aaf, quickly=not _ALL),
    omf: faults_of_omf,
    fcpxml: faults_of_lanes,
    xmeml: faults_of_tracks,
}
for _kind, _look in _LOOKS.items():
    _watched(_kind, _look)


@pytest.fixture(autouse=True)
def structure(request: pytest.FixtureRequest) -> Iterator[None]:
    """Fails a test that wrote a file which its format would not have; ``loose`` is for those that hand a writer
    what no plan would."""
    _written.clear()
    _looked_at.clear()
    yield
    if request.node.get_closest_marker("loose") is None:
        assert _written[:20] == []


@pytest.fixture(scope="session")
def scattered_once(whole_demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo on a bad day, made once."""
    folder = tmp_path_factory.mktemp("scattered")
    scatter(folder, whole_demo / "media")
    return folder


@pytest.fixture
def bad_day(scattered_once: Path, tmp_path: Path) -> Path:
    """The cut of the demo on a bad day, in a folder of its own: so deep that what other tests left is not near
    it."""
    folder = tmp_path / "far" / "away"
    shutil.copytree(scattered_once, folder)
    cut = folder / "cut" / CUT
    cut.write_text(
        cut.read_text(encoding="utf-8").replace(str(scattered_once), str(folder)), encoding="utf-8"
    )
    return cut
