"""`./run mutate`: plants small mistakes in the code, one at a time, and counts how many the tests notice.

The mistakes are those of `list.txt`, so that one count can be held against the next; `--seed` draws others, so
many a part of the house (`SHARES`). For each, the tests that enter the function it stands in are run in a copy
of the tree, the quickest first; a test that fails, or takes far longer than it did, has noticed it. Mistakes
that change nothing a user could see are named in `equal.txt` with the reason; they do not count. What the list
names and the code no longer has is told and made up for by a draw.
"""

from __future__ import annotations

import argparse
import contextlib
import json
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import SimpleQueue
from typing import Any

from changes import Mistake, mistakes

TOP = Path(__file__).resolve().parents[2]
SOURCE = TOP / "src" / "wexodos"
SHARES = {
    "timing": 14,
    "evaluate": 28,
    "compare": 20,
    "settling": 12,
    "carryover": 28,
    "tidy": 22,
    "formats": 38,
    "sound": 18,
    "media": 10,
    "turnover": 10,
}  # of 200
MOST_SECONDS = 40.0  # of tests, for one mistake: by then the nearest ones have had their say
MOST_TESTS = 150


def lines_of(name: str) -> list[str]:
    """What a file of names beside this one holds, without the comments."""
    lines = (Path(__file__).parent / name).read_text().splitlines()
    return [line for line in lines if line.strip() and not line.startswith("#")]


def kept() -> list[Mistake]:
    """The mistakes of `list.txt` that the code still has."""
    names = lines_of("list.txt")
    have: dict[str, Mistake] = {}
    for file in sorted({name.partition(" ")[0] for name in names}):
        if (SOURCE / file).exists():
            for one in mistakes(SOURCE, file):
                have.setdefault(one.name, one)
    gone = [name for name in names if name not in have]
    for name in gone:
        print(f"{'gone':14} {name}", flush=True)
    instead = [one for one in drawn(1, len(names)) if one.name not in names][: len(gone)]
    return [have[name] for name in names if name in have] + instead


def drawn(seed: int, count: int) -> list[Mistake]:
    """Mistakes drawn by chance: from each part its share, no two in one line."""
    chance = random.Random(seed)
    whole = sum(SHARES.values())
    chosen: list[Mistake] = []
    for part, share in SHARES.items():
        files = sorted(str(file.relative_to(SOURCE)) for file in (SOURCE / part).rglob("*.py"))
        everything = [one for file in files for one in mistakes(SOURCE, file)]
        chance.shuffle(everything)
        lines: set[tuple[str, int]] = set()
        wanted = round(share * count / whole)
        for one in everything:
            if len(lines) == wanted:
                break
            if (one.file, one.line) not in lines:
                lines.add((one.file, one.line))
                chosen.append(one)
    return chosen


def reached(folder: Path, fresh: bool) -> dict[str, dict[str, Any]]:
    """What every test enters, from the notes of one whole run."""
    if fresh or not list(folder.glob("*.json")):
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir(parents=True)
        print("Running every test once, to see what each one enters …", flush=True)
        command = [
            sys.executable,
            "-m",
            "pytest",
            "-p",
            "reach",
            "-n",
            str(os.cpu_count()),
            "--dist",
            "worksteal",
        ]
        where = os.environ | {
            "WEXODOS_REACH": str(folder),
            "PYTHONPATH": f"{Path(__file__).parent}:{SOURCE.parent}",
        }
        if subprocess.run(command, cwd=TOP, env=where, stdout=subprocess.DEVNULL).returncode:
            raise SystemExit("The tests do not pass as they are; mend that first (./run test).")
    tests: dict[str, dict[str, Any]] = {}
    for file in folder.glob("*.json"):
        tests |= json.loads(file.read_text())
    return tests


def nearest(tests: dict[str, dict[str, Any]]) -> tuple[dict[str, list[str]], dict[str, list[str]]]:
    """The tests that enter a function, and those that enter anything of a file; the quickest first."""
    by_function: dict[str, list[str]] = defaultdict(list)
    by_file: dict[str, list[str]] = defaultdict(list)
    for kind in ("functions", "shared"):
        for test in sorted(tests, key=lambda name: float(tests[name]["seconds"])):
            for function in tests[test][kind]:
                by_function[function].append(test)
            for file in {function.rpartition(":")[0] for function in tests[test][kind]}:
                by_file[file].append(test)
    return by_function, by_file


class Bench:
    """A copy of the tree in which mistakes are planted, one at a time."""

    def __init__(self, number: int, within: Path) -> None:
        self.top = within / f"copy-{number}"
        for name in ("src", "tests", "docs", "benchmarks", "pyproject.toml"):
            place = TOP / name
            if place.is_dir():
                left = shutil.ignore_patterns("__pycache__", "data", "screenshots")
                shutil.copytree(place, self.top / name, ignore=left)
            elif place.exists():
                shutil.copy(place, self.top / name)

    def noticed(self, one: Mistake, names: list[str], seconds: float) -> bool:
        """Whether a test fails with the mistake in its place, or none comes to an end."""
        file = self.top / "src" / "wexodos" / one.file
        text = file.read_text()
        file.write_text(one.planted(text))
        where = os.environ | {"PYTHONPATH": str(self.top / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
        command = [
            sys.executable,
            "-m",
            "pytest",
            "-x",
            "-q",
            "-p",
            "no:cacheprovider",
            "-p",
            "no:xdist",
            *names,
        ]
        with tempfile.TemporaryFile() as output:
            run = subprocess.Popen(
                command, cwd=self.top, env=where, stdout=output, stderr=output, start_new_session=True
            )
            try:
                return run.wait(timeout=30 + 6 * seconds) != 0
            except subprocess.TimeoutExpired:
                with contextlib.suppress(ProcessLookupError):
                    os.killpg(run.pid, 9)
                run.wait()
                return True
            finally:
                file.write_text(text)


def main() -> None:
    ask = argparse.ArgumentParser(prog="./run mutate", description=__doc__)
    ask.add_argument("--seed", type=int, help="draw others than those of list.txt")
    ask.add_argument("--count", type=int, default=200, help="so many, with --seed")
    ask.add_argument("--only", default="", help="mistakes whose name holds these letters")
    ask.add_argument("--list", action="store_true", help="name the mistakes, run nothing")
    ask.add_argument(
        "--reach", type=Path, default=TOP / ".reach", help="where the notes of what tests enter lie"
    )
    ask.add_argument("--again", action="store_true", help="write these notes anew")
    wanted = ask.parse_args()

    equal = {line.partition("  # ")[0].strip() for line in lines_of("equal.txt")}
    every = kept() if wanted.seed is None else drawn(wanted.seed, wanted.count)
    chosen = [one for one in every if wanted.only in one.name]
    if wanted.list:
        for one in chosen:
            print(f"{one.file}:{one.line} {one.name}")
        return
    tests = reached(wanted.reach, wanted.again)
    by_function, by_file = nearest(tests)

    def named(one: Mistake) -> list[str]:
        names = by_function.get(f"{one.file}:{one.function}") if one.function else by_file.get(one.file)
        if not one.function and not names:
            # A file of tables: what enters its package may look at them.
            package = one.file.rpartition("/")[0]
            names = [name for file, all_ in by_file.items() if file.startswith(package) for name in all_]
        chosen, seconds = [], 0.0
        quick = [name for name in dict.fromkeys(names or []) if not name.startswith("tests/desktop")]
        for name in (quick or names or [])[:MOST_TESTS]:
            seconds += float(tests[name]["seconds"])
            if chosen and seconds > MOST_SECONDS:
                break
            chosen.append(name)
        return chosen

    benches: SimpleQueue[Bench] = SimpleQueue()
    verdicts: dict[str, int] = defaultdict(int)

    def tried(one: Mistake) -> None:
        if one.name in equal:
            verdict = "equal"
        elif not (names := named(one)):
            verdict = "no test enters"
        else:
            bench = benches.get()
            try:
                seconds = sum(float(tests[name]["seconds"]) for name in names)
                verdict = "noticed" if bench.noticed(one, names, seconds) else "UNNOTICED"
            finally:
                benches.put(bench)
        verdicts[verdict] += 1
        print(f"{verdict:14} {one.file}:{one.line} {one.name.partition(' ')[2]}", flush=True)

    with tempfile.TemporaryDirectory(prefix="wexodos-mutate-") as within:
        workers = os.cpu_count() or 1
        for number in range(workers):
            benches.put(Bench(number, Path(within)))
        with ThreadPoolExecutor(workers) as pool:
            list(pool.map(tried, chosen))
    counted = len(chosen) - verdicts["equal"]
    print(
        f"{verdicts['noticed']} of {counted} noticed ({verdicts['noticed'] / max(counted, 1):.0%}); {verdicts['equal']} change nothing"
    )


if __name__ == "__main__":
    main()
