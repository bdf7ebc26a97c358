"""A movie held against a cut: aligned, compared frame by frame, and what is otherwise told in rows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from wexodos.ground import Progress, quiet
from wexodos.ground.memory import give_back
from wexodos.model import Document, Media, Sequence
from wexodos.screening.align import Aligned, aligned
from wexodos.screening.calibrate import calibrated
from wexodos.screening.colours import figures, grade_words, is_graded, mistake
from wexodos.screening.cut_view import CutView, Stretch, stretches
from wexodos.screening.edits import edit_rows, edits
from wexodos.screening.faults import Known, explained
from wexodos.screening.fields import field_row
from wexodos.screening.film import Film
from wexodos.screening.heard import Heard, heard
from wexodos.screening.lies import slight
from wexodos.screening.measure import Colour
from wexodos.screening.rows import Row, What, joined
from wexodos.screening.running import BAD, PARTS, REACH, Run, run_through
from wexodos.screening.scene import Scene
from wexodos.screening.spans import Span

_PARTS = 3
"""A frame is off where so many of its parts lie apart."""
_BURNT = 0.6
"""What lies apart in so many of all frames is burned in."""
_BETTER, _LEAST = 0.35, 6e-4
"""A neighbour fits better where it lies nearer by so much of what lies between them, and by no less than
that."""
_WINDOW = 12
"""Frames by which it is said whether a neighbour fits better."""
_WHOLE = 0.6
"""What is off in so much of a run is off in all of it: its frames are not equally telling."""
_TELLING = 6
"""Fewer frames say nothing of a grade."""
_ROUGH = 0.5
"""So much of its certainty a row keeps that is about what is not drawn here as it is."""


@dataclass(slots=True)
class Checked:
    """A movie that was held against a cut: how it lies, how many shots and frames were looked at, the rows,
    what is masked as burned in (parts of the frame), and what our own picture lacks."""

    aligned: Aligned
    shots: int
    frames: int
    rows: list[Row]
    burnt: NDArray[np.bool_]
    missing: list[str] = field(default_factory=list)
    undrawn: list[str] = field(default_factory=list)
    scale: tuple[float, float] = (1.0, 1.0)
    """Pixels of the movie, as they are seen, for one of the cut's frame, across and down."""

    sound: Heard | None = None

    @property
    def masked(self) -> float:
        """How much of the frame is masked as burned in, from 0 to 1."""
        return round(float(self.burnt.mean()), 3)


def check_picture(
    document: Document,
    sequence: Sequence,
    locate: Callable[[Media], Path | None],
    movie: Path,
    progress: Progress = quiet,
) -> Checked:
    """Hold a movie against a cut. Raises ``ReadError`` where it is none, or of another cut altogether."""
    film = Film.of(movie)
    view = CutView(document, sequence, locate)
    try:
        shots = stretches(document, sequence)
        found = aligned(view, film, shots, progress)
        found, whole = calibrated(view, film, found, shots)
        runs = list(run_through(view, film, found, whole, shots, progress))
        burnt = _burnt(runs)
        scene = Scene(view, film, found, burnt)
        try:
            rows = _rows(scene, runs, whole, burnt, progress)
        finally:
            scene.close()
        rows += _whole_rows(found, whole, sequence)
        rows += field_row(view, film, found, whole, shots)
    finally:
        view.close()
        give_back()
    seen = sum(int(run.seen.sum()) for run in runs)
    checked = {id(run.stretch) for run in runs if run.seen.any()}
    return Checked(
        found,
        len(checked),
        seen,
        joined([_rough(row, view) for row in rows]),
        burnt,
        sorted(view.missing),
        sorted({words for each in view.undrawn.values() for words in each}),
        _scale(found, film, sequence),
        heard(document, sequence, locate, film, found, progress),
    )


def _rough(row: Row, view: CutView) -> Row:
    """A row about frames in which something is not drawn here as it is: it may be no more than that."""
    lacks = sorted({words for frame in range(row.first, row.until) for words in view.undrawn.get(frame, ())})
    if not lacks or not row.item or row.what is What.BLACK:
        return row
    sure = round(row.certainty * _ROUGH, 2)
    return replace(row, certainty=sure, figures={**row.figures, "not_drawn": lacks})


def _scale(found: Aligned, film: Film, sequence: Sequence) -> tuple[float, float]:
    wide, tall = sequence.frame_size
    across = found.box.width * film.facts.width / wide
    return across, found.box.height * film.facts.height / tall


def _burnt(runs: list[Run]) -> NDArray[np.bool_]:
    """Parts of the frame that lie apart in most frames, shot after shot: words burned in, or their mask."""
    known = [run for run in runs if run.seen.any()]
    if len({id(run.stretch) for run in known}) < 4:
        return np.zeros(PARTS[::-1], np.bool_)
    share = np.stack([(run.apart[run.seen] > BAD).mean(axis=0) for run in known])
    weight = np.asarray([int(run.seen.sum()) for run in known], np.float64)
    often = np.average(share, axis=0, weights=weight) > _BURNT
    if often.mean() > 0.4:
        # That is no burn-in: the whole is another.
        return np.zeros(PARTS[::-1], np.bool_)
    # What is beside it is touched by it.
    grown = np.pad(often, 1)
    tall, wide = often.shape
    near = [grown[y : y + tall, x : x + wide] for y in range(3) for x in range(3)]
    touched = np.average(share, axis=0, weights=weight) > 0.1
    return np.asarray(often | (np.any(near, axis=0) & touched), np.bool_)


def _off(run: Run, burnt: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which frames of a run are not as the cut has them."""
    bad = (run.apart > BAD) & ~burnt
    return np.asarray((bad.sum(axis=(1, 2)) >= _PARTS) & run.seen, np.bool_)


def _rows(
    scene: Scene, runs: list[Run], whole: Colour, burnt: NDArray[np.bool_], progress: Progress
) -> list[Row]:
    length = scene.view.sequence.duration
    off, black = np.zeros(length, np.bool_), np.zeros(length, np.bool_)
    for run in runs:
        off[run.first : run.last] = _off(run, burnt)
        black[run.first : run.last] = run.black & ~run.dark & run.seen
    rows = _black_rows(scene, runs, black)
    off &= ~black
    settled = black.copy()
    spans = []
    for edit in edits(scene.view.sequence):
        told = edit_rows(scene, edit, off, whole)
        if told is not None:
            made, first, last = told
            rows += made
            off[first:last] = False
            settled[first:last] = True
    for run in runs:
        colours = run.colour or whole
        mine = off[run.first : run.last]
        hint = _late(run, settled[run.first : run.last])
        if not run.seen.any():
            continue
        if not mine.any() and hint is None:
            rows += slight(scene, run.stretch, run.first, run.last, colours) if not settled[run.first] else []
            give_back()
            continue
        if hint is not None or mine.mean() > _WHOLE:
            free = np.flatnonzero(~settled[run.first : run.last]) + run.first
            spans.append(Span(run.stretch, int(free[0]), int(free[-1]) + 1, colours, hint))
            continue
        spans += [
            Span(run.stretch, run.first + begin, run.first + end, colours) for begin, end in _stretches(mine)
        ]
    known = Known()
    spans.sort(key=lambda one: one.first - one.last)
    for number, span in enumerate(spans):
        progress("looking into what is otherwise", 0.9 + 0.1 * number / len(spans))
        give_back()
        rows += explained(scene, span, known)
    rows += _colour_rows(scene, runs, whole)
    return rows


def _stretches(wrong: NDArray[np.bool_], hole: int = 3) -> list[tuple[int, int]]:
    """Runs of what is true, over holes of up to so many."""
    found: list[tuple[int, int]] = []
    for place in np.flatnonzero(wrong):
        if found and place - found[-1][1] <= hole:
            found[-1] = found[-1][0], int(place) + 1
        else:
            found.append((int(place), int(place) + 1))
    return found


def _late(run: Run, settled: NDArray[np.bool_]) -> int | None:
    """By how many frames the neighbours of a run fit better, where they do for a while; None otherwise."""
    good = np.flatnonzero(run.seen & ~settled & ~np.isnan(run.shifts[:, REACH]))
    if len(good) < 4:
        return None
    votes: list[int] = []
    for begin in range(0, len(good), _WINDOW):
        part = good[begin : begin + _WINDOW]
        if len(part) < 4:
            continue
        shifts = run.shifts[part]
        enough = (~np.isnan(shifts)).sum(axis=0) >= max(3, len(part) // 2)
        usual = np.full(shifts.shape[1], np.inf)
        usual[enough] = np.nanmedian(shifts[:, enough], axis=0)
        best = int(usual.argmin())
        gain = float(usual[REACH] - usual[best])
        between = float(np.median(run.step[part][:, best]))
        if best != REACH and gain > max(_LEAST, _BETTER * between):
            votes.append(best - REACH)
    return int(np.median(votes)) if votes else None


def _black_rows(scene: Scene, runs: list[Run], black: NDArray[np.bool_]) -> list[Row]:
    rows = []
    for first, last in _stretches(black, 0):
        stretch = next(run.stretch for run in runs if run.first <= first < run.last)
        key = _main(stretch)
        one = scene.placed(key) if key else None
        item = one.item if one is not None else None
        frames = f"{last - first} frame{'s' if last - first != 1 else ''}"
        rows.append(
            Row(
                first,
                last,
                What.BLACK,
                f"black for {frames}",
                "a picture",
                0.98,
                (item.name or item.kind) if item is not None else "",
                item.id if item is not None else "",
                one.track if one is not None else "",
            )
        )
    return rows


def _main(stretch: Stretch) -> str:
    """The item of the cut that is at the bottom of a stretch."""
    if not stretch.layers:
        return ""
    layer = stretch.layers[0]
    return layer.via_ids[0] if layer.via_ids else layer.item.id


def _colour_rows(scene: Scene, runs: list[Run], whole: Colour) -> list[Row]:
    """Shots whose colours went through something else than the whole."""
    rows: dict[str, list[tuple[Run, Colour]]] = {}
    for run in runs:
        if run.colour is not None:
            rows.setdefault(_main(run.stretch), []).append((run, run.colour))
    found = []
    for key, each in rows.items():
        one = scene.placed(key)
        if sum(run.length for run, _ in each) < _TELLING:
            continue
        longest = max(each, key=lambda pair: pair[0].length)[1]
        relative = _after(longest, whole)
        # A medium that was read wrongly was so before it was graded; one that was written so, after.
        wrong = mistake(relative) or mistake(_before(longest, whole))
        if wrong is None and not is_graded(relative):
            continue
        name = (one.item.name or one.item.kind) if one is not None else ""
        found.append(
            Row(
                min(run.first for run, _ in each),
                max(run.last for run, _ in each),
                What.RANGE if wrong is not None else What.COLOUR,
                wrong.value if wrong is not None else grade_words(relative),
                wrong.expected if wrong is not None else "as in the cut",
                0.9,
                name,
                key,
                one.track if one is not None else "",
                figures(relative),
            )
        )
    return found


def _after(own: Colour, whole: Colour) -> Colour:
    """What colours went through besides what holds for the whole."""
    back = np.linalg.inv(whole.matrix)
    matrix = own.matrix @ back
    return Colour(matrix, own.offset - matrix @ whole.offset, own.rest)


def _before(own: Colour, whole: Colour) -> Colour:
    """The same where what holds for the whole came last."""
    back = np.linalg.inv(whole.matrix)
    return Colour(back @ own.matrix, back @ (own.offset - whole.offset), own.rest)


def _whole_rows(found: Aligned, whole: Colour, sequence: Sequence) -> list[Row]:
    """What holds for the whole: its colours, and from where on it is of another version."""
    rows = []
    wrong = mistake(whole)
    if wrong is not None or is_graded(whole):
        words = wrong.value if wrong is not None else grade_words(whole)
        what = What.RANGE if wrong is not None else What.COLOUR
        expected = wrong.expected if wrong is not None else "as in the cut"
        rows.append(Row(0, sequence.duration, what, words, expected, 0.95, figures=figures(whole)))
    for before, after in zip(found.pieces, found.pieces[1:]):
        by = round((after.offset - before.offset) / found.pace)
        total = round((after.offset - found.pieces[0].offset) / found.pace)
        if not by:
            continue
        side = "later" if by > 0 else "earlier"
        words = f"from here on everything is {abs(by)} frame{'s' if abs(by) != 1 else ''} {side}"
        rows.append(
            Row(
                after.first,
                after.last,
                What.FRAME,
                words,
                "0 frames",
                0.95,
                figures={"offset_start": by, "offset_end": by, "offset": total, "version": True},
            )
        )
    return rows
