"""Kills: a command is started for itself, ended by a signal at some moment, and what stands there is looked
at, before and after the next start."""

from __future__ import annotations

import hashlib
import os
import re
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from wexodos.formats import read_file

MARK = "WEXODOS_KILL_MARK"
WINDOW = Path(__file__).with_name("window_writes.py")


@dataclass(frozen=True)
class Work:
    """A command, made for a folder with the demo and one for results; what has to be there of the results
    when it is whole, as names."""

    name: str
    arguments: Callable[[Path, Path], list[str]]
    signals: tuple[int, ...] = (signal.SIGKILL, signal.SIGTERM, signal.SIGINT)


def _translate(demo: Path, out: Path) -> list[str]:
    return [
        "translate", str(demo / "kiln-night.xml"), "--to", "mixing-aaf-linked",
        "--out", str(out / "mix.aaf"), "--report", str(out / "mix report.html"),
    ]  # fmt: skip


def _reels(demo: Path, out: Path) -> list[str]:
    return [
        "translate", str(demo / "kiln-night-reels.xml"), "--to", "mixing-aaf-linked", "--all-sequences",
        "--out", str(out / "mix"), "--report", str(out / "mix report.html"),
    ]  # fmt: skip


def _tidy(demo: Path, out: Path) -> list[str]:
    return ["tidy", str(demo / "kiln-night.xml"), "--recipe", "Mixing", "--out", str(out / "tidy.xml")]


def _relink(demo: Path, out: Path) -> list[str]:
    return ["relink", str(demo / "kiln-night.xml"), "--out", str(out / "found.xml")]


def _bring_back(demo: Path, out: Path) -> list[str]:
    return [
        "bring-back", str(demo / "kiln-night.xml"), str(demo / "kiln-night-graded.xml"),
        "--sent", "grading-lane-xml", "--to", "editing-track-xml", "--out", str(out / "home.xml"),
    ]  # fmt: skip


def _batch(demo: Path, out: Path) -> list[str]:
    return [
        "batch", str(demo / "cuts"), "--to", "editing-lane-xml", "--out", str(out / "all"), "--jobs", "2",
    ]  # fmt: skip


def _package(name: str) -> Callable[[Path, Path], list[str]]:
    return lambda demo, out: [
        "package", str(demo / "kiln-night.xml"), "--to", "editing-lane-xml", "--out", str(out / name),
    ]  # fmt: skip


WORKS = (
    Work("translate", _translate),
    Work("reels", _reels),
    Work("tidy", _tidy),
    Work("relink", _relink),
    Work("bring-back", _bring_back),
    Work("batch", _batch),
    Work("package", _package("kiln")),
    Work("package in a zip", _package("kiln.zip")),
    Work("window", lambda demo, out: [str(demo / "kiln-night.xml"), str(out)]),
)


class Place:
    """A folder for results and a home, for one kind of work."""

    def __init__(self, work: Work, demo: Path, folder: Path) -> None:
        self.work, self.demo, self.out = work, demo, folder / "out"
        self.temporary = folder / "tmp"
        for one in (self.out, self.temporary, folder / "home"):
            one.mkdir(parents=True)
        self.environment = {
            **{key: value for key, value in os.environ.items() if not key.startswith("PYTEST")},
            **{f"XDG_{name}_HOME": str(folder / "home") for name in ("CONFIG", "DATA", "STATE", "CACHE")},
            "TMPDIR": str(self.temporary),
            "QT_QPA_PLATFORM": "offscreen",
            MARK: str(folder),
        }
        self.home = folder / "home"
        began = time.monotonic()
        self.process(self.command()).wait()
        self.seconds = time.monotonic() - began
        self.whole = self.names()
        assert self.whole, f"{work.name} wrote nothing"

    def command(self) -> list[str]:
        if self.work.name == "window":
            return [sys.executable, str(WINDOW), *self.work.arguments(self.demo, self.out)]
        return [sys.executable, "-c", "from wexodos.cli import main; raise SystemExit(main())",
                *self.work.arguments(self.demo, self.out)]  # fmt: skip

    def process(self, command: list[str]) -> subprocess.Popen[bytes]:
        return subprocess.Popen(
            command, env=self.environment, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
            start_new_session=True,
        )  # fmt: skip

    def names(self) -> dict[str, str]:
        """Every file of the results, with what stands in it."""
        return {
            re.sub(r"_[\d_-]+Z\.mhl$", ".mhl", str(path.relative_to(self.out))): hashlib.sha1(
                path.read_bytes()
            ).hexdigest()
            for path in sorted(self.out.rglob("*"))
            if path.is_file()
        }

    def empty(self) -> None:
        for path in sorted(self.out.rglob("*"), reverse=True):
            path.rmdir() if path.is_dir() else path.unlink()

    def kill(self, number: int, share: float, fresh: bool) -> list[str]:
        """Kill the work at a share of its time, over nothing or over an older result; what is wrong then."""
        if fresh:
            self.empty()
        before = self.names()
        process = self.process(self.command())
        time.sleep(self.seconds * share)
        process.send_signal(number)
        wrong: list[str] = []
        try:
            process.wait(30)
        except subprocess.TimeoutExpired:
            process.kill()
            wrong.append("does not end")
        # A process that is just being made finds out as soon as it runs.
        end = time.monotonic() + 5.0
        while self.orphans() and time.monotonic() < end:
            time.sleep(0.1)
        wrong += [f"orphan {one}" for one in self.orphans()]
        left = self.left()
        if number != signal.SIGKILL:
            wrong += [f"left by a signal: {one}" for one in left]
        wrong += self._halves(before)
        self.process(
            [sys.executable, "-c", "from wexodos.cli import main; raise SystemExit(main(['version']))"]
        ).wait()
        wrong += [f"left after the next start: {one}" for one in self.left()]
        return wrong

    def _halves(self, before: dict[str, str]) -> list[str]:
        """What is neither as it was nor whole; for a batch each file by itself."""
        now = {name: told for name, told in self.names().items() if ".part" not in name}
        if self.work.name == "batch":
            return self._batch_halves(now)
        names = set(now)
        if names not in (set(before), set(self.whole)):
            return [f"half: {sorted(names ^ set(self.whole))[:4]}"]
        return self._unreadable(now)

    def _batch_halves(self, now: dict[str, str]) -> list[str]:
        stems = {
            Path(name).stem.removesuffix(" report")
            for name in now
            if not name.endswith((".csv", "batch.json"))
        }
        wrong = []
        for stem in stems:
            there = {name for name in now if Path(name).stem.removesuffix(" report") == stem}
            if len(there) != 3:
                wrong.append(f"half: {sorted(there)}")
        return wrong + self._unreadable(now)

    def _unreadable(self, now: dict[str, str]) -> list[str]:
        wrong = []
        for name in now:
            if "ascmhl" not in name and name.endswith((".xml", ".fcpxml", ".aaf", ".omf")):
                try:
                    found = read_file(self.out / name)
                except Exception as error:
                    wrong.append(f"{name}: {error}")
                    continue
                for media in found.media:
                    if (
                        media.path
                        and Path(media.path).is_relative_to(self.out)
                        and not Path(media.path).is_file()
                    ):
                        wrong.append(f"{name} refers to {media.path}, which is not there")
        return wrong

    def left(self) -> list[str]:
        """Unfinished things: beside the results, among the temporary files, on record."""
        found = [path for path in self.out.rglob("*") if ".part" in path.name]
        found += [path for path in self.temporary.iterdir() if path.name.startswith("wexodos")]
        found += [path for path in self.home.rglob("*") if path.name.endswith((".part", ".record"))]
        return [str(one) for one in found]

    def orphans(self) -> list[int]:
        """Processes of this work that still live."""
        found = []
        mark = f"{MARK}={self.environment[MARK]}".encode()
        for entry in Path("/proc").iterdir():
            if entry.name.isdigit() and int(entry.name) != os.getpid():
                try:
                    if mark in (entry / "environ").read_bytes().split(b"\0"):
                        found.append(int(entry.name))
                except OSError:
                    continue
        return found
