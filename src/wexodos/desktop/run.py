"""Starting the window, or rendering it to a picture."""

from __future__ import annotations

import os
import signal
import sys
import time
from pathlib import Path

from wexodos.ground.ending import end_on_signals
from wexodos.ground.remains import clear_away


def has_display() -> bool:
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))


def run(file: Path | None, offscreen: Path | None = None) -> int:
    """Open the window; with ``offscreen`` write it to a PNG instead. Returns the exit status."""
    if offscreen is not None:
        os.environ["QT_QPA_PLATFORM"] = "offscreen"
    elif not has_display() and "QT_QPA_PLATFORM" not in os.environ:
        print(
            "There is no display here; write the window to a picture with --offscreen window.png",
            file=sys.stderr,
        )
        return 2
    try:
        from PySide6.QtWidgets import QApplication
    except ImportError as error:
        print(
            f"The window cannot start, a system library is missing: {error}. ./run demo says how to "
            "install it.",
            file=sys.stderr,
        )
        return 5
    from wexodos.desktop.shell import Shell
    from wexodos.desktop.theme import install

    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("Wexodos")
    window = Shell()
    install(app, str(window.settings.value("theme", "night")))
    window.header.restyle()
    prepare(window)
    window.show()
    if file is None and offscreen is None:
        file = window.views.last
    if file is not None:
        window.open(file)
    if offscreen is None:
        return app.exec()
    return picture(app, window, offscreen, file is not None)


def prepare(window) -> None:  # type: ignore[no-untyped-def]
    """Clear away what an earlier run left, and close the window when a signal asks for it."""
    from PySide6.QtCore import QSocketNotifier, QTimer

    clear_away()
    reading, writing = os.pipe()
    os.set_blocking(writing, False)
    # Python hears of a signal when it runs next; the byte that wakes the event loop has it run at once.
    signal.set_wakeup_fd(writing, warn_on_full_buffer=False)
    notifier = QSocketNotifier(reading, QSocketNotifier.Type.Read, window)
    notifier.activated.connect(lambda *_: os.read(reading, 64))
    end_on_signals(lambda _number: QTimer.singleShot(0, window.close))


def settle(app, window, wanted: bool = True, seconds: float = 60.0) -> None:  # type: ignore[no-untyped-def]
    """Let the window finish what it does in the background."""
    end = time.monotonic() + seconds
    while time.monotonic() < end and window.isVisible():
        app.processEvents()
        if window.session.tasks.quiet and (
            not wanted or window.session.carried is not None or window.status.property("role") == "error"
        ):
            break
        time.sleep(0.01)
    app.processEvents()


def picture(app, window, path: Path, wanted: bool) -> int:  # type: ignore[no-untyped-def]
    """Write what the window shows, at the Carry-over stop where a cut is open."""
    settle(app, window, wanted)
    if window.session.carried is not None:
        window.go_to("Carry-over")
        app.processEvents()
        # The pictures are made once they are to be seen.
        settle(app, window, wanted)
    saved = window.grab().save(str(path), "PNG")
    window.close()
    if not saved:
        print(f"{path}: the picture could not be written", file=sys.stderr)
        return 4
    print(f"The window stands in {path}.", file=sys.stderr)
    return 0
