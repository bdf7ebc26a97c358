"""Unpacked zips: how many are kept, and how large one may become."""

from __future__ import annotations

import zipfile
from pathlib import Path

import pytest

from wexodos.formats import ReadError, opening


@pytest.fixture
def cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    return tmp_path / "cache" / "wexodos" / "zips"


def zipped(path: Path, data: bytes) -> Path:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as made:
        made.writestr("cut.edl", data)
    return path


def test_eight_zips_are_kept_the_newest_among_them(cache: Path, tmp_path: Path) -> None:
    for number in range(10):
        newest = opening.unpacked(zipped(tmp_path / f"{number}.zip", b"TITLE: K"))
        assert newest.is_dir()
    assert len(list(cache.iterdir())) == 8


def test_a_zip_that_becomes_too_large_leaves_nothing(
    cache: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(opening, "MAX_BYTES", 1000)
    archive = zipped(tmp_path / "bomb.zip", bytes(400_000))
    assert archive.stat().st_size * 20 < 400_000
    with pytest.raises(ReadError, match="grows too large"):
        opening.unpacked(archive)
    assert not list(cache.iterdir())
