"""Garbage is collected on the interface thread only.

Python looks for circles of unused objects in whichever thread happens to allocate. A circle that holds a
widget, taken apart in a worker thread, ends the application. So the automatic search is switched off and done
here, by the clock.
"""

from __future__ import annotations

import gc

from PySide6.QtCore import QObject, QTimer

_INTERVAL = 1000


class Collector(QObject):
    """Collects as the thresholds of the interpreter say, but here. Made once per window; the switch stays
    off."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._thresholds = gc.get_threshold()
        gc.disable()
        timer = QTimer(self)
        timer.timeout.connect(self.collect)
        timer.start(_INTERVAL)

    def collect(self) -> None:
        """Collect the oldest generation that is due."""
        counts = gc.get_count()
        for generation in (2, 1, 0):
            if counts[generation] > self._thresholds[generation]:
                gc.collect(generation)
                return
