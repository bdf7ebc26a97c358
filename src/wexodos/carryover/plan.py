"""The plan: what will become of every thing, and the sequence adapted to the destination."""

from __future__ import annotations

from dataclasses import dataclass, replace

from wexodos.carryover import (
    contents,
    library,
    lists,
    movement,
    objects,
    places,
    reference,
    sounding,
    structure,
)
from wexodos.carryover.context import Context, Lane, Work
from wexodos.carryover.findings import Choices, Fate, Finding
from wexodos.carryover.inventory import things
from wexodos.carryover.options import OBJECTS, Options
from wexodos.compare import marker_key
from wexodos.destinations import Destination
from wexodos.model import Document, Marker, NestedUse, Sequence, Track
from wexodos.timing import floor

STEPS = (
    structure.media_kinds,
    sounding.rates,
    structure.order,
    structure.angles,
    structure.nests,
    contents.contents,
    objects.without_pictures,
    objects.by_stem,
    objects.mutes,
    movement.sizing,
    movement.speeds,
    objects.turns,
    movement.transitions,
    objects.anchors,
    movement.motion,
    objects.edges,
    movement.sounds,
    places.whole_frames,
    objects.units,
    lists.events,
    places.tracks,
    objects.names,
    structure.empty_tracks,
    places.markers,
    places.settings,
)
"""Each takes the context and the sequence at work; the order matters only where one step makes items another
looks at."""
KEEPING = (structure.order,)
"""The steps for a format that keeps everything: only what no row of clips can say."""


@dataclass(frozen=True, slots=True)
class Plan:
    """``document`` holds the adapted sequence under its old id; ``things`` the keys of all that could be
    lost; ``own_markers`` the keys of the markers that only say what the findings say, ``stand_ins`` of those
    that stand for something that could not go."""

    document: Document
    sequence: Sequence
    findings: tuple[Finding, ...]
    things: frozenset[str]
    unsent: library.Unsent = library.Unsent()
    own_markers: frozenset[str] = frozenset()
    stand_ins: frozenset[str] = frozenset()


def plan(
    document: Document,
    sequence: Sequence,
    destination: Destination,
    choices: Choices | None = None,
    options: Options | None = None,
) -> Plan:
    """Decide every thing's fate for ``destination`` and adapt the sequence and the nests it uses."""
    options = options or Options()
    destination = options.applied(destination)
    context = Context(document, destination, choices or Choices(), options)
    original, known = document, document.sequences_by_id
    adapted: dict[str, Sequence] = {}
    for nested in document.reachable(sequence):
        adapted[nested.id] = _adapt(context, _nested_work(document, sequence, nested))
        # The innermost first: what is around a nest takes its adapted insides.
        context.document = replace(
            document, sequences=tuple(adapted.get(key, one) for key, one in known.items())
        )
    work = _work(sequence)
    whole = _adapt(context, work)
    adapted[sequence.id] = whole
    sequences = tuple(adapted.get(key, one) for key, one in known.items())
    document, unsent = library.organised(context, sequence, document)
    findings = tuple(sorted(context.findings, key=lambda one: (one.start, one.track[:1] == "A", one.track)))
    known_things = frozenset(things(document, sequence))
    own: frozenset[str] = frozenset()
    if context.options.markers:
        added = _as_markers(findings, whole, destination)
        own = frozenset(marker_key(one.start, one) for one in added)
        whole = replace(whole, markers=tuple(sorted((*whole.markers, *added), key=lambda one: one.start)))
        sequences = tuple(whole if one.id == whole.id else one for one in sequences)
    extra = tuple(one for one in context.document.media if one.id == reference.MEDIUM)
    made = replace(document, sequences=sequences, media=(*document.media, *extra))
    if not destination.keeps_everything:
        # Other cuts of the file do not go: what only they use is unused here.
        going = {whole.id, *(one.id for one in made.reachable(whole))}
        made = replace(made, sequences=tuple(one for one in made.sequences if one.id in going))
    if destination.format in OBJECTS:
        made = library.needed(made, original, sequence)
    return Plan(made, whole, findings, known_things, unsent, own, frozenset(work.own))


_COLORS = {
    Fate.ADAPTED: "#e2b23cff",
    Fate.BAKED: "#4db3c9ff",
    Fate.NOTED: "#a98be0ff",
    Fate.LEFT: "#e2674aff",
}


def _as_markers(findings: tuple[Finding, ...], sequence: Sequence, destination: Destination) -> list[Marker]:
    """Every finding as a marker at its place, for the other side to step from one to the next (N31)."""
    made = []
    last = max(0, sequence.duration - 1)
    for finding in findings:
        words = f"{finding.fate.value}: {finding.what}"
        where = f"{finding.track} {finding.item}".strip()
        made.append(
            Marker(
                min(max(0, floor(finding.start)), last),
                0,
                words,
                f"{where}: {finding.why}. {finding.do}".strip(),
                _COLORS.get(finding.fate) if destination.markers.colors else None,
            )
        )
    return made


def _work(sequence: Sequence) -> Work:
    lanes = [
        Lane(label, track.kind, list(track.items), list(track.transitions), track)
        for label, track in sequence.labelled_tracks()
    ]
    return Work(sequence, lanes, list(sequence.markers))


def _nested_work(document: Document, whole: Sequence, nested: Sequence) -> Work:
    """Say where in the whole a nested sequence is first seen, so that its findings have a place people can go
    to."""
    work = _work(nested)
    work.prefix = f"{nested.name or nested.id} › "
    for label, track in whole.labelled_tracks():
        for item in track.items:
            if isinstance(item.content, NestedUse) and item.content.sequence == nested.id:
                work.shift = item.start - nested.rate.frames(item.source_in)
                work.track = label
                return work
    return work


def _adapt(context: Context, work: Work) -> Sequence:
    work.plain = context.destination.format == "edl"
    for step in KEEPING if context.destination.keeps_everything else STEPS:
        step(context, work)
    tracks: list[Track] = []
    for lane in work.lanes:
        places.finished(lane)
        tracks.append(replace(lane.track, items=tuple(lane.items), transitions=tuple(lane.transitions)))
    # What is left out leaves its time behind: the cut stays as long as it was.
    return replace(
        work.sequence,
        stated_duration=work.sequence.duration,
        tracks=tuple(tracks),
        markers=tuple(sorted(work.markers, key=lambda one: one.start)),
    )
