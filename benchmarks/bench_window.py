"""How long the window's thread is held up at a time while 100,000 files are looked through for 500 missing
clips (target: 50 ms)."""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"
scratch = tempfile.TemporaryDirectory()
for name in ("XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
    os.environ[name] = f"{scratch.name}/home"

from PySide6.QtCore import QSettings, QTimer  # noqa: E402
from PySide6.QtWidgets import QApplication  # noqa: E402

from wexodos.carryover import carry_over  # noqa: E402
from wexodos.desktop.shell import Shell  # noqa: E402
from wexodos.desktop.theme import install  # noqa: E402
from wexodos.destinations import find_destination  # noqa: E402
from wexodos.media import Rules  # noqa: E402
from wexodos.model import Document, Item, Media, MediaUse, Motion, Sequence, Track  # noqa: E402
from wexodos.timing import Rate  # noqa: E402

RATE = Rate(25)
root = Path(scratch.name) / "store"
for folder in range(1000):
    place = root / f"card {folder // 20}" / f"day {folder}"
    place.mkdir(parents=True)
    for number in range(100):
        (place / f"K{folder:04d}C{number:03d}.mov").touch()
names = [f"K{n * 2:04d}C{n % 100:03d}.mov" for n in range(500)]
media = tuple(
    Media(f"m{n}", name, f"/gone/{name}", None, 0, False, 500, RATE, 640, 360, video=True)
    for n, name in enumerate(names)
)
items = tuple(
    Item(f"i{n}", one.name, n * 50, 50, MediaUse(one.id), motion=Motion()) for n, one in enumerate(media)
)
cut = Sequence("s", "Kiln Night", RATE, width=640, height=360, tracks=(Track("video", items),))
document = Document("xmeml", "5", (cut,), media)
source = Path(scratch.name) / "cut" / "kiln-night.xml"
source.parent.mkdir()
source.write_bytes(carry_over(document, cut, find_destination("editing-track-xml")).data)
app = QApplication(sys.argv[:1])
install(app, "night")
window = Shell(QSettings(f"{scratch.name}/settings.ini", QSettings.Format.IniFormat))
window.resize(1280, 800)
window.show()
gaps: list[float] = []
last = time.perf_counter()


def beat() -> None:
    global last
    now = time.perf_counter()
    gaps.append(now - last)
    last = now


timer = QTimer()
timer.timeout.connect(beat)
timer.start(1)


def settled(what: str, begin: Callable[[], object]) -> None:
    """Let the window do all that follows from ``begin``, and say how long its thread was held up."""
    global last
    gaps.clear()
    last = start = time.perf_counter()
    begin()
    quiet = 0
    while time.perf_counter() < start + 300 and quiet < 50:
        app.processEvents()
        time.sleep(0.0005)
        quiet = quiet + 1 if window.session.tasks.quiet else 0
    longest = ", ".join(f"{gap * 1000:.0f}" for gap in sorted(gaps, reverse=True)[:3])
    print(f"{what}: {time.perf_counter() - start:.1f} s; held up for {longest} ms at the most", flush=True)


settled("the cut opens", lambda: window.open(source))
settled("the Media stop", lambda: window.go_to("Media"))
settled("100,000 files are looked through", lambda: window.session.decide(rules=Rules(0, (str(root),))))
settled("and shown again", window.session.look_again)
assert all(row.path is not None for row in window.session.media)
window.close()
