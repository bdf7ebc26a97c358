"""The window takes a cut in and writes a turnover with linked sound: what is killed on the way."""

from __future__ import annotations

import sys
from pathlib import Path

from PySide6.QtCore import QSettings, QTimer
from PySide6.QtWidgets import QApplication

from wexodos.desktop.run import prepare, settle
from wexodos.desktop.shell import Shell
from wexodos.desktop.theme import install


def main() -> int:
    app = QApplication(sys.argv[:1])
    source, out = Path(sys.argv[1]), Path(sys.argv[2])
    window = Shell(QSettings(str(out.parent / "home" / "settings.ini"), QSettings.Format.IniFormat))
    install(app, "night")
    prepare(window)
    window.show()

    def write() -> None:
        window.open(source)
        settle(app, window)
        window.session.decide(destination="mixing-aaf-linked")
        settle(app, window)
        window.go_to("Turnover")
        settle(app, window)
        window.turnover.folder.setText(str(out))
        window.turnover.run_main()
        settle(app, window)
        window.close()

    QTimer.singleShot(0, write)
    return app.exec()


raise SystemExit(main())
