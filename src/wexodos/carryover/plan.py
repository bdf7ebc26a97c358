"""The plan: what will become of every thing, and the sequence adapted to the destination."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace

from wexodos.carryover import (
    baking,
    contents,
    frames,
    going,
    joins,
    levels,
    library,
    linking,
    marking,
    motions,
    nesting,
    reference,
    sequence_settings,
    sounding,
    speeds,
    tracks,
)
from wexodos.carryover.destined import destined
from wexodos.carryover.inventory import things
from wexodos.carryover.unseen import unseen
from wexodos.carryover.weighing import weighed
from wexodos.compare import marker_key
from wexodos.destinations import Destination
from wexodos.formats import FORMATS
from wexodos.model import Document, Marker, NestedUse, Sequence, Track
from wexodos.settling.changes import Entry
from wexodos.settling.context import Context, Lane, Work
from wexodos.settling.findings import Choices, Finding
from wexodos.settling.options import Options
from wexodos.settling.spells import Stage, Step
from wexodos.settling.vocabulary import Cause, Fate
from wexodos.tidy import Render
from wexodos.timing import floor

STEPS: dict[Stage, tuple[Step, ...]] = {
    Stage.CONTENT: (
        going.media_kinds,
        baking.hide,
        baking.bake,
        sounding.rates,
        going.order,
        nesting.angles,
        nesting.nests,
        contents.contents,
    ),
    Stage.SPEED: (motions.sizing, speeds.speeds),
    Stage.JOINS: (joins.transitions,),
    Stage.MOTION: (motions.motion,),
    Stage.PLACES: (levels.sounds, frames.whole_frames),
    Stage.NAMES: (tracks.tracks,),
    Stage.SETTINGS: (tracks.empty_tracks, marking.markers, linking.links, sequence_settings.settings),
}
"""Each takes the context and the sequence at work; a format's own steps of a stage follow the generic ones.
The order matters only where one step makes items another looks at."""


@dataclass(frozen=True, slots=True)
class Adapted:
    """One sequence as it was, as it will be written, the labels of its tracks then, and the recorded
    changes."""

    before: Sequence
    after: Sequence
    layout: tuple[str, ...]
    entries: tuple[Entry, ...]


@dataclass(frozen=True, slots=True)
class Plan:
    """``document`` holds the adapted sequence under its old id; ``things`` the keys of all that could be
    lost; ``own_markers`` the keys of the markers that only say what the findings say, ``stand_ins`` of those
    that stand for something that could not go. ``adapted`` is what was done to each sequence, by its id,
    ``media`` what was done to media, ``renders`` are the pictures that are made for it."""

    document: Document
    sequence: Sequence
    findings: tuple[Finding, ...]
    things: frozenset[str]
    unsent: library.Unsent = library.Unsent()
    own_markers: frozenset[str] = frozenset()
    stand_ins: frozenset[str] = frozenset()
    adapted: Mapping[str, Adapted] = field(default_factory=dict)
    media: tuple[Entry, ...] = ()
    renders: tuple[Render, ...] = ()


def plan(
    document: Document,
    sequence: Sequence,
    destination: Destination,
    choices: Choices | None = None,
    options: Options | None = None,
    folder: str = "",
) -> Plan:
    """Decide every thing's fate for ``destination`` and adapt the sequence and the nests it uses. What is
    rendered for it will lie in ``folder``."""
    options = options or Options()
    destination = destined(destination, options)
    spells = FORMATS[destination.format].spells
    context = Context(document, destination, spells, choices or Choices(), options, folder=folder)
    if not spells.keeps_everything:
        context.bakeable = baking.bakeable(document, sequence)
    made = _planned(context, document, sequence)
    wanted = context.wanted
    if wanted:
        again = Context(document, destination, spells, context.choices, options, folder=folder)
        again.bakes = wanted
        again.bakeable = frozenset(
            one for one in context.bakeable if (one if isinstance(one, str) else one[0]) not in wanted
        )
        made = _planned(again, document, sequence)
    return made


def _planned(context: Context, document: Document, sequence: Sequence) -> Plan:
    spells, options, destination = context.spells, context.options, context.destination
    known = document.sequences_by_id
    done: dict[str, Adapted] = {}
    # What is inside a nest that is rendered cannot be lost any more.
    there, context.hidden = baking.still_there(document, sequence, context.bakes)
    for nested in there.reachable(sequence):
        nested = known[nested.id]
        done[nested.id] = _adapt(context, _nested_work(document, sequence, nested))
        # The innermost first: what is around a nest takes its adapted insides.
        sequences = tuple(done[key].after if key in done else one for key, one in known.items())
        context.document = replace(context.document, sequences=sequences)
    work = _work(sequence)
    done[sequence.id] = _adapt(context, work)
    in_order = sorted(context.findings, key=lambda one: (one.start, one.track[:1] == "A", one.track))
    findings = weighed(in_order, unseen(there, sequence), context.choices)
    own: frozenset[str] = frozenset()
    if options.markers and destination.markers.carry:
        done[sequence.id], own = _with_report(context, work, findings, done[sequence.id])
    sequences = tuple(done[key].after if key in done else one for key, one in known.items())
    made, unsent = library.organised(
        context, document, sequence, replace(context.document, sequences=sequences)
    )
    whole = done[sequence.id].after
    if not spells.keeps_everything:
        # Other cuts of the file do not go: what only they use is unused here.
        going_on = {whole.id, *(one.id for one in made.reachable(whole))}
        made = replace(made, sequences=tuple(one for one in made.sequences if one.id in going_on))
    if spells.wanders:
        made = library.needed(made, document, sequence)
    return Plan(
        made,
        whole,
        findings,
        frozenset(things(there, sequence)),
        unsent,
        own,
        frozenset(work.own),
        done,
        tuple(context.entries),
        tuple(context.renders),
    )


_COLORS = {
    Fate.ADAPTED: "#e2b23cff",
    Fate.BAKED: "#4db3c9ff",
    Fate.NOTED: "#a98be0ff",
    Fate.LEFT: "#e2674aff",
}


def _with_report(
    context: Context, work: Work, findings: tuple[Finding, ...], done: Adapted
) -> tuple[Adapted, frozenset[str]]:
    """Every finding as a marker at its place, for the other side to step from one to the next (N31); and the
    keys of those markers."""
    reason = context.spelled(Cause.REPORT_MARKERS)
    last = max(0, work.sequence.duration - 1)
    keys = set()
    for finding in (one for one in findings if not one.closely):
        where = f"{finding.track} {finding.item}".strip()
        words, comment = f"{finding.fate.value}: {finding.what}", f"{where}: {finding.why}. {finding.do}"
        plain = context.spells.markers.plain
        if plain is not None:
            words, comment = plain(words), plain(comment)
        palette = context.spells.markers.palette
        color = _COLORS.get(finding.fate) if context.destination.markers.colors else None
        marker = Marker(
            min(max(0, floor(finding.start)), last),
            0,
            words,
            comment.strip(),
            palette(color) if palette is not None else color,
        )
        keys.add(marker_key(marker.start, marker))
        work.mark(marker, reason)
    markers = tuple(sorted(work.markers, key=lambda one: one.start))
    after = replace(done.after, markers=markers)
    return replace(done, after=after, entries=tuple(work.entries)), frozenset(keys)


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


def _steps(context: Context) -> Iterator[Step]:
    if context.spells.keeps_everything:
        # A format that keeps everything: only what no row of clips can say.
        yield going.order
        return
    for stage in Stage:
        yield from STEPS[stage]
        if stage is Stage.CONTENT:
            yield from context.spells.steps.get(stage, ())
            yield reference.reference
        else:
            yield from context.spells.steps.get(stage, ())


def _adapt(context: Context, work: Work) -> Adapted:
    before = work.sequence
    for step in _steps(context):
        step(context, work)
    tracks_made: list[Track] = []
    for lane in work.lanes:
        lane.items.sort(key=lambda one: one.start)
        lane.transitions.sort(key=lambda one: one.start)
        made = replace(lane.track, items=tuple(lane.items), transitions=tuple(lane.transitions))
        tracks_made.append(made)
    # What is left out leaves its time behind: the cut stays as long as it was.
    work.put_settings(replace(work.sequence, stated_duration=before.duration), context.spelled())
    after = replace(
        work.sequence,
        tracks=tuple(tracks_made),
        markers=tuple(sorted(work.markers, key=lambda one: one.start)),
    )
    return Adapted(before, after, work.layout, tuple(work.entries))
