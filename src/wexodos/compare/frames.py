"""What is seen and heard of corresponding items, frame by frame."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wexodos.compare.difference import Difference, name_of
from wexodos.evaluate import Evaluator, PictureSpan, SoundSpan
from wexodos.evaluate.results import pick
from wexodos.evaluate.tolerances import QUIET, SENSES, Precision
from wexodos.model import Document, Sequence


def evaluated(
    a: Document,
    first: Sequence,
    b: Document,
    second: Sequence,
    known: dict[str, str],
    told: set[tuple[str, str]],
    within: Precision = SENSES,
) -> Iterator[Difference]:
    """Compare what is seen and heard of every pair of items at every frame, and that neither is there without
    the other."""
    stop = max(first.duration, second.duration)
    left, right = Evaluator(a).range(first, 0, stop), Evaluator(b).range(second, 0, stop)
    back = {theirs: mine for mine, theirs in known.items()}
    worst: dict[tuple[str, str], Difference] = {}
    structural = {
        item_id for item_id, what in told if what in ("record start", "record end", "source in", "enabled")
    }
    there = {kind: _by_key(spans) for kind, spans in (("V", right.picture), ("A", right.sound))}
    for span in left.picture:
        partners = _partners(there["V"], _twin(span.key, len(span.key), known), span.via_ids)
        if partners is not None:
            _worst(worst, _pictures(span, partners, _moved(span, structural), within))
    for sound in left.sound:
        partners = _partners(there["A"], _twin(sound.key, len(sound.key) - 1, known), sound.via_ids)
        if partners is not None:
            _worst(worst, _sounds(sound, partners, _moved(sound, structural), within))
    here = {kind: _by_key(spans) for kind, spans in (("V", left.picture), ("A", left.sound))}
    for kind, spans, words in (("V", right.picture, "seen"), ("A", right.sound, "heard")):
        for extra in spans:
            partners = _partners(here[kind], _twin(extra.key, len(extra.via_ids) + 1, back), extra.via_ids)
            mine = back.get(extra.item.id, "")
            around = {back.get(one, "") for one in extra.via_ids}
            if partners is not None and structural.isdisjoint({mine, *around}):
                _worst(
                    worst, _uncovered(extra, partners, f"{kind}{extra.track}", mine, f"not {words}", words)
                )
    for difference in worst.values():
        if (difference.item_id, difference.what) not in told:
            yield difference


def _moved(span: PictureSpan | SoundSpan, structural: set[str]) -> bool:
    """Whether its item, or a nest it is seen through, is told to stand elsewhere: then all its sources do."""
    return not structural.isdisjoint((span.item.id, *span.via_ids))


def _by_key(spans: Iterable[Any]) -> dict[tuple[str, ...], list[Any]]:
    """Spans by the uses of nests they are seen through, and by their item alone.

    Items that came out of several uses of one nest have the id they had inside it, and the use after it:
    those stand under both, apart from the one that bears the id alone.
    """
    found: dict[tuple[str, ...], list[Any]] = defaultdict(list)
    for span in spans:
        alone = span.key[len(span.via_ids) :]
        for key in {span.key, alone}:
            found[key].append(span)
        base, _, use = alone[0].partition("@")
        # A number tells the parts of one use apart.
        head, _, number = use.rpartition("@")
        use = head if number.isdigit() else use
        if use:
            found["@", base, *alone[1:]].append(span)
            found["@", base, *alone[1:], use].append(span)
        elif base != alone[0]:
            found[base, *alone[1:]].append(span)
    return found


def _twin(key: tuple[str, ...], ids: int, known: dict[str, str]) -> tuple[str, ...] | None:
    """Where the other side keeps what is seen here: inside the same uses of nests, or anywhere if one was
    unfolded."""
    there = [known.get(one) for one in key[:ids]]
    if there[-1] is None:
        return None
    rest = key[ids:]
    return (there[-1], *rest) if None in there else (*(one for one in there if one), *rest)


def _partners(
    spans: dict[tuple[str, ...], list[Any]], key: tuple[str, ...] | None, via: tuple[str, ...]
) -> list[Any] | None:
    """The spans that may be the same. For one seen through the uses of nests ``via`` that is what came out of
    this very use, then the item that bears the id alone, then what came out of any other use."""
    if key is None:
        return None
    for depth in range(len(via)) if via else ():
        # The use itself may have come out of another.
        exact = spans.get(("@", *key, "@".join(reversed(via[depth:]))))
        if exact:
            return exact
    return spans.get(key) or spans.get(("@", *key), [])


def _uncovered(
    span: Any, others: list[Any], label: str, item_id: str, before: str, after: str
) -> Iterator[Difference]:
    """The span as a difference where the other side does not have all of it."""
    covered = sum(high - low for low, high, _ in _overlaps(span, others))
    if covered < span.stop - span.start:
        yield Difference(
            "changed",
            "extent" if span.transition is None else "mix",
            name_of(span.item),
            item_id,
            label,
            span.start,
            span.stop,
            before,
            after,
            (float(span.stop - span.start - covered), "fr"),
        )


def _worst(worst: dict[tuple[str, str], Difference], found: Iterator[Difference]) -> None:
    """Join the differences of one item and kind: the whole reach, the values where they lie furthest
    apart."""
    for one in found:
        key = (one.item_id, one.what)
        other = worst.get(key)
        if other is None:
            worst[key] = one
            continue
        larger = one if (one.deviation or (0.0, ""))[0] > (other.deviation or (0.0, ""))[0] else other
        worst[key] = Difference(
            one.kind,
            one.what,
            one.item,
            one.item_id,
            one.track,
            min(one.start, other.start),
            max(one.stop, other.stop),
            larger.before,
            larger.after,
            larger.deviation,
        )


def _overlaps(span: Any, others: list[Any]) -> Iterator[tuple[int, int, Any]]:
    for other in others:
        low, high = max(span.start, other.start), min(span.stop, other.stop)
        if low < high:
            yield low, high, other


def _pictures(
    span: PictureSpan, others: list[PictureSpan], structural: bool, within: Precision
) -> Iterator[Difference]:
    label = f"V{span.track}"
    for low, high, other in _overlaps(span, others):

        def numbers(
            what: str,
            mine: Any,
            theirs: Any,
            limit: float,
            unit: str,
            low: int = low,
            high: int = high,
            other: PictureSpan = other,
        ) -> Iterator[Difference]:
            x = pick(mine, low - span.start, high - span.start)
            y = pick(theirs, low - other.start, high - other.start)
            gap = np.abs(x - y)
            gap = gap.max(axis=1) if gap.ndim > 1 else gap
            yield from _far(what, span, label, low, high, x, y, gap, limit, unit)

        if span.source_frame is not None and other.source_frame is not None and not structural:
            yield from numbers("source frames", span.source_frame, other.source_frame, 0.5, "fr")
        yield from numbers("position", span.center, other.center, within.pixels, "px")
        yield from numbers("size", span.size, other.size, within.pixels, "px")
        yield from numbers("rotation", span.rotation, other.rotation, within.degrees, "°")
        yield from numbers("crop", span.crop, other.crop, within.fraction, "of the source")
        yield from numbers("corners", span.corners, other.corners, within.fraction, "of the source")
        yield from numbers("opacity", span.opacity, other.opacity, within.share, "")
        yield from numbers("mix", span.mix, other.mix, within.share, "")
        if sorted(span.effects) != sorted(other.effects):
            yield Difference(
                "changed",
                "filters",
                name_of(span.item),
                span.item.id,
                label,
                low,
                high,
                ", ".join(span.effects),
                ", ".join(other.effects),
            )
    if not structural:
        yield from _uncovered(span, others, label, span.item.id, "seen", "not seen")


def _far(
    what: str,
    span: Any,
    label: str,
    low: int,
    high: int,
    x: NDArray[Any],
    y: NDArray[Any],
    gap: NDArray[Any],
    limit: float,
    unit: str,
) -> Iterator[Difference]:
    peak = int(np.argmax(gap))
    if gap[peak] <= limit:
        return
    where = np.flatnonzero(gap > limit)
    first, last = (low, high) if len(gap) == 1 else (low + int(where[0]), low + int(where[-1]) + 1)

    def at(values: NDArray[Any]) -> Any:
        value = values[peak if len(values) > 1 else 0]
        return [round(float(part), 3) for part in value] if np.ndim(value) else round(float(value), 4)

    yield Difference(
        "changed",
        what,
        name_of(span.item),
        span.item.id,
        label,
        first,
        last,
        at(x),
        at(y),
        (round(float(gap[peak]), 4), unit),
    )


def _sounds(
    span: SoundSpan, others: list[SoundSpan], structural: bool, within: Precision
) -> Iterator[Difference]:
    label = f"A{span.track}"
    for low, high, other in _overlaps(span, others):

        def part(values: Any, owner: Any, low: int = low, high: int = high) -> Any:
            return pick(values, low - owner.start, high - owner.start)

        if span.source_sample is not None and other.source_sample is not None and not structural:
            x, y = part(span.source_sample, span), part(other.source_sample, other)
            yield from _far("source samples", span, label, low, high, x, y, np.abs(x - y), 0.5, "samples")
        x, y = part(span.gain_db, span), part(other.gain_db, other)
        yield from _far("level", span, label, low, high, x, y, _gain_gap(x, y), within.decibels, "dB")
        x, y = part(span.pan, span), part(other.pan, other)
        yield from _far("pan", span, label, low, high, x, y, np.abs(x - y), within.share, "")
        x, y = part(span.mix, span), part(other.mix, other)
        yield from _far("mix", span, label, low, high, x, y, np.abs(x - y), within.share, "")
    if not structural:
        yield from _uncovered(span, others, label, span.item.id, "heard", "not heard")


def _gain_gap(x: NDArray[Any], y: NDArray[Any]) -> NDArray[Any]:
    """Distance in dB; below -90 dB everything counts as silence."""
    gap: NDArray[Any] = np.abs(np.maximum(x, QUIET) - np.maximum(y, QUIET))
    return gap
