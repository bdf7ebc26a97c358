"""What the neighbours of a file say: a whole card that is found at one place speaks for all that lay on it,
and copies of one file are no question."""

from __future__ import annotations

import hashlib
from collections import Counter, defaultdict
from collections.abc import Iterable
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import TypeAlias

from wexodos.media.match import LEAD, Candidate, Reason, Sign, counted, tail
from wexodos.media.scan import folded
from wexodos.model import Media

Move: TypeAlias = tuple[tuple[str, ...], tuple[str, ...]]
"""Where a card was in the cut, and where it is here."""

SPEAKS = 45
"""Points for a file whose neighbours lie there: a name that cameras give again stands for itself then."""
ENOUGH_VOICES, TIMES_MORE, SAID = 2, 3, 1000
"""So many neighbours speak for a place, if they are so many times those that speak for another; what a person
said about one of them counts like so many."""
_WHOLE, _PIECE, _PIECES = 64 << 20, 1 << 18, 64


def move_of(media: Media, path: Path) -> Move:
    """From where to where a file has moved, without the folders that went along."""
    _, here, there = tail(media.path, path)
    return tuple(map(folded, here)), there


def with_cards(
    rows: Iterable[tuple[int, Media, list[Candidate]]], said: Iterable[tuple[Media, Path]]
) -> dict[int, list[Candidate]]:
    """The candidates of media with what their neighbours say; ``said`` are files that were chosen, or that
    stand where they are without a doubt."""
    # What was said of them when they were looked for elsewhere is said anew.
    rows = [(key, media, [_without_card(one) for one in candidates]) for key, media, candidates in rows]
    voices: dict[Move, set[int]] = defaultdict(set)
    doubts: dict[Move, set[int]] = defaultdict(set)
    for key, media, candidates in rows:
        if not media.path:
            continue
        for one in candidates:
            if one.points(Sign.NAME) < 46:
                continue
            if one.against:
                doubts[move_of(media, one.path)].add(key)
            elif one.sure:
                voices[move_of(media, one.path)].add(key)
    certain = {move_of(media, path) for media, path in said if media.path}
    found = {}
    for key, media, candidates in rows:
        moves = [move_of(media, one.path) if media.path else None for one in candidates]
        speaking = {
            move: (SAID if move in certain else 0) + len(voices[move] - {key}) - len(doubts[move] - {key})
            for move in set(moves)
            if move is not None
        }
        ranked = sorted(speaking.values(), reverse=True)
        most, next_most = (ranked[0] if ranked else 0), max(0, ranked[1] if len(ranked) > 1 else 0)
        best = {move for move, count in speaking.items() if count == most}
        # A name of its own that two files bear is a question, whatever lies beside them.
        needed = ENOUGH_VOICES if counted(media.file_name) else SAID
        if most < needed or (len(best) == 1 and most < TIMES_MORE * next_most):
            found[key] = candidates
            continue
        found[key] = [
            replace(one, reasons=(*one.reasons, _reason(most)))
            if move in best and not one.against and one.points(Sign.NAME) >= 46
            else one
            for move, one in zip(moves, candidates)
        ]
    return found


def _without_card(one: Candidate) -> Candidate:
    if not one.points(Sign.CARD):
        return one
    return replace(one, reasons=tuple(reason for reason in one.reasons if reason.kind is not Sign.CARD))


def _reason(voices: int) -> Reason:
    if voices >= SAID:
        return Reason(SPEAKS, "you said where its card is", Sign.CARD)
    return Reason(SPEAKS, f"{voices} others of its card lie there", Sign.CARD)


def one_of_copies(candidates: list[Candidate]) -> Candidate | None:
    """The first of the best candidates where all that come near it are the same file over again; None where
    they are not."""
    ranked = sorted(candidates, key=lambda one: -one.score)
    near = [one for one in ranked if ranked[0].score - one.score < LEAD]
    if len(near) < 2 or len({one.facts.size for one in near}) > 1:
        return None
    return near[0] if len({same_bytes(one.path) for one in near}) == 1 else None


def copies_among(candidates: list[Candidate]) -> dict[Path, int]:
    """How many others are the same file, for each of the candidates of which there are copies."""
    alike: dict[tuple[int, str], list[Path]] = defaultdict(list)
    sizes = Counter(one.facts.size for one in candidates if not one.facts.problem)
    for one in candidates:
        if sizes[one.facts.size] > 1:
            alike[one.facts.size, same_bytes(one.path)].append(one.path)
    return {path: len(paths) - 1 for paths in alike.values() for path in paths if len(paths) > 1}


def same_bytes(path: Path) -> str:
    """A sum that tells whether two files of one size are the same; one of its own where a file cannot be
    read. Of large files many places are compared."""
    try:
        told = path.stat()
        return _sum(str(path), told.st_size, told.st_mtime_ns)
    except OSError:
        return str(path)


@lru_cache(maxsize=4096)
def _sum(path: str, size: int, _changed: int) -> str:
    made = hashlib.blake2b(str(size).encode())
    with open(path, "rb") as file:
        if size <= _WHOLE:
            while block := file.read(1 << 20):
                made.update(block)
        else:
            for number in range(_PIECES):
                file.seek((size - _PIECE) * number // (_PIECES - 1))
                made.update(file.read(_PIECE))
    return made.hexdigest()
