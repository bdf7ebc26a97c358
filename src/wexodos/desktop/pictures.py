"""Pictures for the window, composed on a thread of their own: the newest wish counts, older ones are
forgotten."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal
from PySide6.QtGui import QImage

from wexodos.footage.source import PictureError
from wexodos.model import Document, Media, Sequence
from wexodos.picture import Composer, Frames, Gap, difference, eight_bits
from wexodos.picture.compose import Locate
from wexodos.tidy import Render
from wexodos.tidy.renders import made_pictures


@dataclass(slots=True)
class Seen:
    """What a side of the pair looks at: a sequence of a document, and what gives its pictures."""

    composer: Composer
    sequence: Sequence


@dataclass(slots=True)
class Pair:
    """A frame before and after. ``apart`` shows where they differ; None where there is only one."""

    frame: int
    before: QImage | None = None
    after: QImage | None = None
    apart: QImage | None = None
    gap: Gap | None = None
    missing: list[str] = field(default_factory=list)
    undrawn: list[str] = field(default_factory=list)
    noted: list[str] = field(default_factory=list)


class _Work(QRunnable):
    def __init__(self, work: Callable[[], Any], done: Callable[[Any], None]) -> None:
        super().__init__()
        self._work, self._done = work, done

    def run(self) -> None:
        self._done(self._work())


class _Relay(QObject):
    """Carries results from the thread to the window."""

    ready = Signal(object)


class Pictures(QObject):
    """Composes pairs of frames and thumbnails. ``frames`` are shared by all composers."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.frames = Frames()
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._beside = QThreadPool(self)
        self._beside.setMaxThreadCount(1)
        self._soon: dict[Path, tuple[int, Fraction]] = {}
        self._relay = _Relay(self)
        self._relay.ready.connect(self._arrived)
        self._wishes: dict[str, tuple[Callable[[], Any], Callable[[Any], None]]] = {}
        self._working = ""

    @property
    def active(self) -> bool:
        return bool(self._wishes or self._working)

    def finish(self) -> None:
        """Forget all wishes and wait for the thread."""
        self._wishes.clear()
        self._soon = {}
        self._pool.waitForDone(10_000)
        self._beside.waitForDone(10_000)
        self.frames.close()

    def seen(
        self,
        document: Document,
        sequence: Sequence,
        locate: Locate,
        renders: list[Render],
        table_of: Locate | None = None,
        space_of: Callable[[Media], str] | None = None,
    ) -> Seen:
        """A side to look at; ``table_of`` says through which look-up table a medium is seen, ``space_of`` in
        which colour space somebody says it is."""
        made = made_pictures(renders, locate, self.frames)
        names = {one.media.file_name: made[one.media.id] for one in renders if one.media.id in made}
        # What was read back may have handed out other ids; its files are called the same.
        by_id = {media.id: names[media.file_name] for media in document.media if media.file_name in names}
        return Seen(
            Composer(document, locate, self.frames, {**made, **by_id}, table_of=table_of, space_of=space_of),
            sequence,
        )

    def ask(self, key: str, work: Callable[[], Any], done: Callable[[Any], None]) -> None:
        """Have something made; a newer wish with the same key takes its place. ``done`` runs in the window's
        thread."""
        self._wishes[key] = (work, done)
        self._next()

    def pair(
        self,
        key: str,
        before: Seen | None,
        after: Seen | None,
        frame: int,
        height: int,
        apart: bool,
        done: Callable[[Pair], None],
        only: tuple[str, str] | None = None,
    ) -> None:
        """Compose a frame of both sides at ``height`` pixels; ``only`` one item of each."""

        def work() -> Pair:
            made = compose(before, after, frame, height, apart, only)
            side = before or after
            if side is not None:
                self._look_ahead(side, frame)
            return made

        self.ask(key, work, done)

    def _look_ahead(self, side: Seen, frame: int) -> None:
        """Open what is seen a second later, and a second before, while this is looked at: a cut to another
        file is no wait then. One such look at a time; the newest is the next."""
        second = round(side.sequence.rate.frames(1))
        now = {path for path, _, _ in side.composer.ahead(side.sequence, frame)}
        self._soon = {
            path: (number, rate)
            for place in (frame - second, frame + second)
            if 0 <= place < side.sequence.duration
            for path, number, rate in side.composer.ahead(side.sequence, place)
            if path not in now
        }

        def work() -> None:
            while self._soon:
                soon, self._soon = self._soon, {}
                for path, (number, rate) in soon.items():
                    with contextlib.suppress(PictureError):
                        self.frames.warm(path, number, rate)

        if self._soon and not self._beside.activeThreadCount():
            self._beside.start(_Work(lambda: _safely(work), lambda _nothing: None))

    def thumbnail(
        self, key: str, path: Path, number: int, rate: Any, still: bool, done: Callable[[QImage | None], None]
    ) -> None:
        """A small picture of a file's frame."""

        def work() -> QImage | None:
            try:
                picture = self.frames.frame(path, number, rate, still, (240, 135)).copy()
            except Exception:
                # Whatever a stranger's file does, there is just no thumbnail.
                return None
            picture[..., :3] *= picture[..., 3:]
            return image_of(eight_bits(picture))

        self.ask(key, work, done)

    def _next(self) -> None:
        if self._working or not self._wishes:
            return
        key = next(iter(self._wishes))
        work, done = self._wishes.pop(key)
        self._working = key
        self._pool.start(_Work(lambda: _safely(work), lambda result: self._relay.ready.emit((done, result))))

    def _arrived(self, result: Any) -> None:
        done, made = result
        self._working = ""
        if not isinstance(made, Exception):
            done(made)
        self._next()


def _safely(work: Callable[[], Any]) -> Any:
    try:
        return work()
    except Exception as error:
        import logging

        logging.getLogger("wexodos").exception("a picture failed")
        return error


def compose(
    before: Seen | None,
    after: Seen | None,
    frame: int,
    height: int,
    apart: bool,
    only: tuple[str, str] | None = None,
) -> Pair:
    """Compose both sides of a pair; ``only`` are the ids of the items that are shown alone."""
    pair = Pair(frame)
    shots: list[Any] = []
    images: list[QImage | None] = []
    for side, alone in zip((before, after), only or (None, None)):
        if side is None or frame >= max(1, side.sequence.duration):
            shots.append(None)
            images.append(None)
            continue
        if apart:
            shot = side.composer.frame(side.sequence, frame, height, alone)
            data = eight_bits(shot.picture)
        else:
            data, shot = side.composer.eight_bits(side.sequence, frame, height, alone)
        pair.missing += [one for one in shot.missing if one not in pair.missing]
        pair.undrawn += [one for one in shot.undrawn if one not in pair.undrawn]
        pair.noted += [one for one in shot.noted if one not in pair.noted]
        shots.append(shot.picture)
        images.append(image_of(data))
    first, second = shots
    pair.before, pair.after = images
    if apart and first is not None and second is not None and first.shape == second.shape:
        shown, pair.gap = difference(first, second)
        pair.apart = image_of(eight_bits(shown))
    return pair


def image_of(data: np.ndarray) -> QImage:
    """Bytes of shape (height, width, 3 or 4) as an image of its own."""
    height, width, parts = data.shape
    form = QImage.Format.Format_RGBA8888 if parts == 4 else QImage.Format.Format_RGB888
    whole = np.ascontiguousarray(data)
    return QImage(whole.data, width, height, width * parts, form).copy()
