"""Playing the cut: the playhead runs at its rate, pictures as fast as they are made, with the sound where
there is a way to hear it."""

from __future__ import annotations

import contextlib
import os
import threading
from collections import deque
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QElapsedTimer, QIODevice, QLoggingCategory, QObject, QTimer

from wexodos.desktop.session import Session
from wexodos.evaluate import Evaluator
from wexodos.sound.mixing import RATE, mixed

# Loaded with the program, never later: a library that is loaded while threads work can wait for one that
# waits for it.
QLoggingCategory.setFilterRules("qt.multimedia.symbolsresolver=false")
try:
    from PySide6.QtMultimedia import QAudioFormat, QAudioSink, QMediaDevices
except ImportError as error:
    _MISSING = f"a system library for sound is missing ({str(error).split(':')[0]})"
else:
    _MISSING = ""

_AHEAD = 1.0
"""Seconds of sound that are made before they are heard."""


def audio_output() -> tuple[Any, str]:
    """What plays sound, and why there is none: (device, ""), or (None, reason)."""
    if _MISSING:
        return None, _MISSING
    if os.environ.get("QT_QPA_PLATFORM") == "offscreen":
        return None, "there is no one to hear it"
    device = QMediaDevices.defaultAudioOutput()
    if device.isNull():
        return None, "there is no sound device"
    return (
        (device, "")
        if device.isFormatSupported(_form())
        else (None, f"the sound device does not take {RATE} Hz in 16 bits")
    )


def _form() -> Any:
    form = QAudioFormat()
    form.setSampleRate(RATE)
    form.setChannelCount(2)
    form.setSampleFormat(QAudioFormat.SampleFormat.Int16)
    return form


class Mixer(threading.Thread):
    """Makes the sound ahead of the playhead, block by block, as 16 bits in two channels."""

    def __init__(self, evaluator: Evaluator, sequence: Any, locate: Any, first: int) -> None:
        super().__init__(daemon=True)
        self._evaluator, self._sequence, self._locate, self._at = evaluator, sequence, locate, first
        self._blocks: deque[bytes] = deque()
        self._held = 0
        self._room = threading.Condition()
        self._stopped = False

    def _ended(self) -> bool:
        """Whether another thread has stopped it meanwhile."""
        return self._stopped

    def run(self) -> None:
        block = max(1, self._sequence.rate.nominal // 4)
        while not self._stopped and self._at < self._sequence.duration:
            with self._room:
                self._room.wait_for(lambda: self._stopped or self._held < _AHEAD * RATE * 4)
            if self._ended():
                return
            count = min(block, self._sequence.duration - self._at)
            data = mixed(self._evaluator, self._sequence, self._at, count, self._locate)
            made = (data * 32767).astype("<i2").tobytes()
            self._at += count
            with self._room:
                self._blocks.append(made)
                self._held += len(made)

    def take(self, size: int) -> bytes:
        """So many bytes, silence where they are not made yet."""
        size -= size % 4
        parts, left = [], size
        with self._room:
            while left and self._blocks:
                block = self._blocks.popleft()
                parts.append(block[:left])
                if len(block) > left:
                    self._blocks.appendleft(block[left:])
                left -= len(parts[-1])
            self._held -= size - left
            self._room.notify()
        return b"".join(parts) + bytes(left)

    def stop(self) -> None:
        with self._room:
            self._stopped = True
            self._room.notify()


class Source(QIODevice):
    """Hands the mixer's sound to Qt."""

    def __init__(self, mixer: Mixer) -> None:
        super().__init__()
        self._mixer = mixer
        self.open(QIODevice.OpenModeFlag.ReadOnly)

    def readData(self, size: int) -> bytes:
        return self._mixer.take(min(size, RATE))

    def writeData(self, _data: bytes | bytearray | memoryview, _size: int = 0, /) -> int:
        return -1

    def bytesAvailable(self) -> int:
        return RATE

    def isSequential(self) -> bool:
        return True


class Player(QObject):
    """Plays what is carried over. ``output`` tells what sound is heard with; tests give their own."""

    def __init__(
        self,
        session: Session,
        parent: QObject | None = None,
        output: Callable[[], tuple[Any, str]] = audio_output,
    ) -> None:
        super().__init__(parent)
        self.session, self._output = session, output
        self._timer = QTimer(self)
        self._timer.setInterval(12)
        self._timer.timeout.connect(self._tick)
        self._clock = QElapsedTimer()
        self._first = 0
        self._mixer: Mixer | None = None
        self._sink: Any = None
        self._source: Source | None = None
        session.opened.connect(self.stop)
        session.tidied_changed.connect(self.stop)

    def toggle(self) -> None:
        """Play from the playhead, or stop."""
        if self.session.playing:
            self.stop()
        else:
            self.play()

    def play(self) -> None:
        side = self.session.side
        if side is None:
            return
        self._first = self.session.playhead if self.session.playhead < side.sequence.duration - 1 else 0
        device, reason = self._output()
        if device is not None:
            self._sound(device)
        else:
            self.session.said.emit(f"Plays without sound: {reason}", False)
        self.session.playing = True
        self._clock.start()
        self._timer.start()

    def _sound(self, device: Any) -> None:
        side = self.session.side
        assert side is not None and self.session.finder is not None
        self._mixer = Mixer(Evaluator(side.document), side.sequence, self.session.finder, self._first)
        self._mixer.start()
        self._source = Source(self._mixer)
        self._sink = QAudioSink(device, _form())
        self._sink.setBufferSize(RATE * 4 // 5)
        self._sink.start(self._source)

    def _elapsed(self) -> float:
        """Seconds played: what was heard where there is sound, so that the picture goes with it."""
        if self._sink is not None:
            return float(self._sink.processedUSecs()) / 1e6
        return self._clock.elapsed() / 1000

    def _tick(self) -> None:
        side = self.session.side
        if side is None:
            self.stop()
            return
        frame = self._first + int(self._elapsed() * float(side.sequence.rate.fps))
        if frame >= side.sequence.duration - 1:
            self.session.set_playhead(side.sequence.duration - 1)
            self.stop()
        else:
            self.session.set_playhead(frame)

    def stop(self) -> None:
        """Stop where the playhead is."""
        if not self.session.playing:
            return
        self._timer.stop()
        self.session.playing = False
        if self._mixer is not None:
            self._mixer.stop()
        if self._sink is not None:
            with contextlib.suppress(RuntimeError):
                self._sink.stop()
        self._mixer = self._sink = self._source = None
        self.session.playhead_changed.emit(self.session.playhead)
