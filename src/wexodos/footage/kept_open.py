"""Movies that stay open, a decoder for each, and what they decoded on the way, within a common budget."""

from __future__ import annotations

import contextlib
import threading
from collections import OrderedDict
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from wexodos.footage.movie import MOST_KEPT, Movie
from wexodos.footage.order import Orders


@dataclass(slots=True)
class _Place:
    """Room for a movie; whoever holds its lock decodes, ``users`` are they and those who wait for it."""

    lock: threading.RLock = field(default_factory=threading.RLock)
    movie: Movie | None = None
    size: int = 0
    users: int = 0


class KeptOpen:
    """Gives movies by a key that tells one version of a file. Used from several threads: each movie is one
    thread's at a time, different movies are decoded side by side."""

    def __init__(self, orders: Orders, most: int = 16, budget: int = 512 << 20) -> None:
        self._orders, self._most, self._budget = orders, most, budget
        self._places: OrderedDict[str, _Place] = OrderedDict()
        self._lock = threading.Lock()

    def __contains__(self, key: str) -> bool:
        with self._lock:
            return key in self._places

    @contextlib.contextmanager
    def movie(self, key: str, path: Path) -> Iterator[Movie]:
        """The movie, opened where it is not yet. Raises ``PictureError``, also from inside."""
        with self._lock:
            place = self._places.setdefault(key, _Place())
            self._places.move_to_end(key)
            place.users += 1
        try:
            with place.lock:
                if place.movie is None:
                    place.movie = Movie(path, self._orders, min(self._budget, MOST_KEPT))
                yield place.movie
                place.size = place.movie.kept_bytes
        finally:
            with self._lock:
                place.users -= 1
                if place.movie is None and not place.users:
                    self._places.pop(key, None)
        self._tidy(key)

    def _tidy(self, key: str) -> None:
        """Close the movies used longest ago where there are too many, and let go of frames of others than
        ``key`` where they are too large together; nothing of those that are in use."""
        with self._lock:
            others = [(name, place) for name, place in self._places.items() if name != key]
            many = len(self._places) - self._most
            large = sum(place.size for place in self._places.values()) - self._budget
            for name, place in others:
                if place.movie is None or place.users:
                    continue
                if many > 0:
                    many, large = many - 1, large - place.size
                    del self._places[name]
                    place.movie.close()
                elif large > 0:
                    large -= place.size
                    place.movie.thin()
                    place.size = place.movie.kept_bytes
                    large += place.size

    def close(self) -> None:
        """Let go of all movies; waits for those that are being decoded."""
        with self._lock:
            places, self._places = list(self._places.values()), OrderedDict()
        for place in places:
            with place.lock:
                if place.movie is not None:
                    place.movie.close()
                    place.movie = None
