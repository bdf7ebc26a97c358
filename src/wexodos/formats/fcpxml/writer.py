"""Write a sequence: the lowest picture track as the main line, everything else in lanes on it (16)."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass

from wexodos.formats.errors import WriteError
from wexodos.formats.fcpxml.lexical import time_of
from wexodos.formats.fcpxml.units import number
from wexodos.formats.fcpxml.write_clips import ClipWriter
from wexodos.formats.fcpxml.write_kept import Placed
from wexodos.formats.fcpxml.write_markers import marker_element
from wexodos.formats.fcpxml.write_resources import (
    CROSSFADE,
    DISSOLVE,
    ResourceWriter,
    template,
    write_metadata,
)
from wexodos.formats.fcpxml.write_words import put_back, spelled_color
from wexodos.formats.tree import Node, add, document_bytes, node, parsed
from wexodos.model import Angles, Document, Item, Media, MediaUse, NestedUse, Sequence, Track, Transition
from wexodos.timing import Exact, Rate, exact


def write(document: Document, sequence_id: str, version: str, how: object = None) -> bytes:
    """Return the file that holds one sequence and everything nested in it. Raises ``WriteError``."""
    return write_several(document, (sequence_id,), version)


def write_several(document: Document, sequence_ids: tuple[str, ...], version: str) -> bytes:
    """The same of several sequences, each a project."""
    known = document.sequences_by_id
    if missing := [one for one in sequence_ids if one not in known]:
        raise WriteError(f"there is no sequence {missing[0]!r}")
    sequences = [known[one] for one in sequence_ids]
    root = node("fcpxml", version=version)
    block = add(root, "resources")
    resources = ResourceWriter(block, document, version, _uses(document))
    writer = _Writer(document, resources)
    events: dict[str, Node] = {}
    projects = []
    for sequence in sequences:
        name = sequence.folder or sequence.name or "Wexodos"
        event = events.setdefault(name, node("event", name=name))
        project = node("project", name=sequence.name)
        writer.sequence(project, sequence)
        projects.append((event, project))
    first = next(iter(events.values()))
    used = _uses(document)
    for folder in document.folders:
        if folder.path not in events:
            events[folder.path] = node("event", name=folder.path)
    for media in document.media:
        if media.folder or (media.id not in used and not media.synthetic):
            writer.browser_clip(events.get(media.folder or "", first), media, sequences[0])
    for event, project in projects:
        event.append(project)
    for event in events.values():
        root.append(event)
    for raw in document.raw:
        if raw.dialect == "fcpxml" and not raw.is_resource:
            put_back(root, raw)
    return document_bytes(root, "<!DOCTYPE fcpxml>")


def _uses(document: Document) -> dict[str, set[str]]:
    """Whether each medium is used for picture, sound or both."""
    found: dict[str, set[str]] = {}
    for sequence in document.sequences:
        for track in sequence.tracks:
            for item in track.items:
                if isinstance(item.content, MediaUse):
                    found.setdefault(item.content.media, set()).add(track.kind)
                elif isinstance(item.content, Angles):
                    for angle in item.content.angles:
                        if angle.media:
                            found.setdefault(angle.media, set())
    return found


@dataclass(slots=True)
class _Anchor:
    """An element of the main line that things can be connected to: the frame it begins at, and the second
    of its own time that this is."""

    element: Node
    frame: Exact
    local: Exact
    connected: list[tuple[Exact, Node]]
    markers: list[tuple[Exact, Node]]
    rest: list[Node]

    def at(self, frame: Exact, rate: Rate) -> Exact:
        """A frame of the sequence in seconds of the element's own time."""
        return self.local if frame == self.frame else exact(self.local + rate.seconds(frame - self.frame))


class _Writer:
    def __init__(self, document: Document, resources: ResourceWriter) -> None:
        self.document = document
        self.resources = resources
        self.sequences = document.sequences_by_id
        resources.spell = self._spell

    def _spell(self, old: str) -> str | None:
        """Spell a definition that only a kept piece refers to."""
        if old in self.sequences:
            self._definition(old)
            return self.resources.definition(old)[0]
        for sequence in self.document.sequences:
            for item in sequence.items():
                if isinstance(item.content, Angles) and item.content.id == old:
                    self._multicam(item.content, sequence)
                    return self.resources.multicam(item.content)[0]
        return None

    def sequence(self, parent: Node, sequence: Sequence) -> None:
        rate = sequence.rate
        shape = self.resources.format(rate, *sequence.frame_size, sequence.pixel_aspect, sequence.field_order)
        begin = rate.seconds(sequence.start)
        element = add(
            parent,
            "sequence",
            format=shape,
            duration=time_of(rate.seconds(sequence.duration)),
            tcStart=time_of(begin),
            tcFormat="DF" if sequence.drop_frame else "NDF",
            audioLayout=sequence.audio_layout or "stereo",
            audioRate=_audio_rate(sequence.sample_rate),
        )
        if sequence.note:
            add(element, "note", sequence.note)
        spine = add(element, "spine")
        self._fill(spine, sequence, begin)
        write_metadata(element, {key: value for key, value in sequence.metadata if key != "angle of"})
        for raw in sequence.raw:
            if raw.dialect == "fcpxml":
                put_back(element, raw)

    def _fill(self, spine: Node, sequence: Sequence, begin: Exact) -> None:
        """Write the items of a sequence into a spine (or an angle); ``begin`` is where the spine's own time
        starts."""
        rate = sequence.rate
        clips = ClipWriter(self.document, self.resources, sequence)
        for content in dict.fromkeys(
            item.content for item in sequence.items() if isinstance(item.content, NestedUse | Angles)
        ):
            if isinstance(content, NestedUse):
                self._definition(content.sequence)
            else:
                self._multicam(content, sequence)
        anchors = self._main_line(spine, sequence, clips, begin)
        starts = [anchor.frame for anchor in anchors]
        for lane, track in enumerate(sequence.video_tracks[1:], 1):
            self._connect(track, lane, sequence, clips, anchors, starts)
        for place, track in enumerate(sequence.audio_tracks, 1):
            self._connect(track, -place, sequence, clips, anchors, starts)
        for marker in sequence.markers:
            anchor = _anchor_at(anchors, starts, marker.start)
            local = anchor.at(marker.start, rate)
            anchor.markers.append((local, marker_element(marker, local, rate)))
        for anchor in anchors:
            for _, child in sorted(anchor.connected, key=lambda pair: pair[0]):
                anchor.element.append(child)
            for _, child in sorted(anchor.markers, key=lambda pair: pair[0]):
                anchor.element.append(child)
            for child in anchor.rest:
                anchor.element.append(child)

    def _definition(self, sequence_id: str) -> None:
        nested = self.sequences.get(sequence_id)
        key, new = self.resources.definition(sequence_id)
        if nested is not None and new:
            holder = node("media", id=key, name=nested.name)
            self.sequence(holder, nested)
            self.resources.block.append(holder)

    def browser_clip(self, event: Node, media: Media, sequence: Sequence) -> None:
        """A clip that stands in an event and is no part of a cut (1.2)."""
        video, _ = self.resources.kinds(media)
        length = self.resources.length(media, sequence)
        tag = "video" if media.still else "asset-clip"
        shape = None
        if video and not media.still:
            size = (media.width, media.height) if media.width and media.height else sequence.frame_size
            shape = self.resources.format(
                media.rate or sequence.rate, *size, media.pixel_aspect, media.field_order
            )
        element = add(
            event,
            tag,
            name=media.name,
            ref=self.resources.asset(media, sequence),
            duration=time_of(length) if length else "10s",
        )
        if shape is not None:
            element.set("format", shape)

    def _multicam(self, angles: Angles, around: Sequence) -> None:
        """The definition of a multi-angle clip; its own time begins at zero (12)."""
        key, new = self.resources.multicam(angles)
        if not new:
            return
        holder = node("media", id=key, name=angles.name)
        shape = self.resources.format(
            around.rate, *around.frame_size, around.pixel_aspect, around.field_order
        )
        element = add(holder, "multicam", format=shape, tcStart="0s", tcFormat="NDF")
        for angle in angles.angles:
            one = add(element, "mc-angle", name=angle.name, angleID=angle.id)
            nested = self.sequences.get(angle.sequence or "")
            media = self.resources.media.get(angle.media or "")
            if nested is not None:
                self._fill(one, nested, 0)
            elif media is not None:
                at = max(0, -angle.offset)
                first = at + angle.offset
                whole = self.resources.length(media, around)
                if at:
                    add(one, "gap", name="Gap", offset="0s", start="3600s", duration=time_of(exact(at)))
                add(
                    one,
                    "asset-clip",
                    name=angle.name,
                    ref=self.resources.asset(media, around),
                    offset=time_of(exact(at)),
                    start=time_of(exact(self.resources.start_of(media, around) + first)),
                    duration=time_of(exact(max(whole - first, around.rate.seconds(1)))),
                    tcFormat="NDF",
                )
        self.resources.block.append(holder)

    def _main_line(self, spine: Node, sequence: Sequence, clips: ClipWriter, begin: Exact) -> list[_Anchor]:
        """Write the lowest picture track without holes, up to the end of everything."""
        rate = sequence.rate
        track = sequence.video_tracks[0] if sequence.video_tracks else Track("video")
        anchors: list[_Anchor] = []
        joins = {transition.cut: transition for transition in track.transitions}
        cursor: Exact = 0

        def gap(until: Exact) -> None:
            element = add(
                spine,
                "gap",
                name="Gap",
                offset=time_of(begin + rate.seconds(cursor)),
                start="3600s",
                duration=time_of(rate.seconds(until - cursor)),
            )
            anchors.append(_Anchor(element, cursor, 3600, [], [], []))

        def join(at: Exact) -> None:
            transition = joins.pop(at, None)
            if transition is not None:
                spine.append(self.transition(transition, begin, sequence, "video"))

        for item in track.items:
            if not isinstance(item.start, int) or not isinstance(item.duration, int):
                raise WriteError(f"{item.name!r} on the main line does not lie on whole frames")
            if item.start < cursor:
                raise WriteError(f"{item.name!r} overlaps its neighbour on the main line")
            if item.start > cursor:
                join(cursor)
                gap(item.start)
            join(item.start)
            placed = clips.clip(item, track, None)
            placed.element.set("offset", time_of(begin + rate.seconds(item.start)))
            spine.append(placed.whole())
            anchors.append(_Anchor(placed.element, item.start, placed.local, [], placed.markers, placed.rest))
            cursor = item.end
        end = max(sequence.duration, cursor)
        join(cursor)
        if end > cursor or not anchors:
            gap(max(end, cursor + 1))
        return anchors

    def _connect(
        self,
        track: Track,
        lane: int,
        sequence: Sequence,
        clips: ClipWriter,
        anchors: list[_Anchor],
        starts: list[Exact],
    ) -> None:
        rate = sequence.rate
        joins = {one.cut: one for one in track.transitions}
        for run in _runs(track):
            first = run[0].start
            anchor = _anchor_at(anchors, starts, first)
            offset = anchor.at(first, rate)
            if len(run) == 1 and first not in joins and run[0].end not in joins:
                placed = clips.clip(run[0], track, lane)
                placed.element.set("offset", time_of(offset))
                _finish(placed)
                anchor.connected.append((offset, placed.whole()))
                continue
            at = rate.seconds(first)
            storyline = node("spine", lane=str(lane), offset=time_of(offset))
            for item in run:
                if item.start in joins:
                    storyline.append(self.transition(joins[item.start], -at, sequence, track.kind))
                placed = clips.clip(item, track, None)
                placed.element.set("offset", time_of(rate.seconds(item.start) - at))
                _finish(placed)
                storyline.append(placed.whole())
            if run[-1].end in joins:
                storyline.append(self.transition(joins[run[-1].end], -at, sequence, track.kind))
            anchor.connected.append((offset, storyline))

    def _own_filter(self, transition: Transition, tag: str, sequence: Sequence) -> Node | None:
        """The effect of a transition as it stood in this dialect; None where there is none."""
        spelled = next((raw for raw in transition.raw if raw.dialect == "fcpxml" and raw.tag == tag), None)
        piece = parsed(spelled) if spelled is not None else None
        if piece is None or self.resources.known_effect(piece.get("ref") or "") is None:
            return None
        # What stands in it may refer to resources too.
        return piece if self.resources.relinked(piece, sequence) else None

    def _sound_filter(self, transition: Transition, sequence: Sequence) -> Node:
        spelled = self._own_filter(transition, "filter-audio", sequence)
        if spelled is not None:
            return spelled
        return node("filter-audio", ref=self.resources.effect(*CROSSFADE), name=CROSSFADE[0])

    def _transition_filter(self, transition: Transition, sequence: Sequence) -> Node:
        """What draws a transition: as it stood where it is this dialect's own, otherwise by its type (5)."""
        spelled = self._own_filter(transition, "filter-video", sequence)
        if spelled is not None:
            return spelled
        effect = _transition_effect(transition)
        element = node("filter-video", ref=self.resources.effect(*effect), name=effect[0])
        if transition.type == "additive":
            add(element, "param", name="Look", key="1", value="Additive")
        if transition.color:
            add(element, "param", name="Color", value=spelled_color(transition.color))
        if transition.type in ("wipe", "iris") and transition.pattern is not None:
            add(element, "param", name="Pattern", value=transition.pattern)
        if transition.direction:
            add(element, "param", name="Direction", value=transition.direction)
        for name, value in (("Softness", transition.softness), ("Border", transition.border)):
            if value is not None:
                add(element, "param", name=name, value=number(value))
        if transition.border_color:
            add(element, "param", name="Border Color", value=spelled_color(transition.border_color))
        return element

    def transition(self, transition: Transition, base: Exact, sequence: Sequence, kind: str) -> Node:
        """Spell a transition; ``base`` seconds are added to its place in the sequence."""
        rate = sequence.rate
        name = transition.name or ("Cross Dissolve" if kind == "video" else "Audio Crossfade")
        element = node(
            "transition",
            name=name,
            offset=time_of(exact(base + rate.seconds(transition.start))),
            duration=time_of(rate.seconds(transition.duration)),
        )
        element.append(
            self._transition_filter(transition, sequence)
            if kind == "video"
            else self._sound_filter(transition, sequence)
        )
        for raw in transition.raw:
            if raw.dialect == "fcpxml" and not raw.tag.startswith("filter-"):
                put_back(element, raw)
        write_metadata(element, {f"wexodos.{kind}": transition.id})
        return element


def _transition_effect(transition: Transition) -> tuple[str, str]:
    """(name, uid) of the effect for a type of transition; our reader and others go by the name where the uid
    is not known."""
    name = _TRANSITIONS.get(transition.type)
    if name is None:
        return DISSOLVE
    if transition.type == "wipe" and transition.pattern is not None:
        name = (
            "Clock Wipe"
            if transition.pattern >= 201
            else "Edge Wipe"
            if transition.pattern in (1, 2)
            else name
        )
    return template("transition", name)


_TRANSITIONS = {"dip": "Fade To Color", "wipe": "Wipe", "iris": "Iris", "push": "Push", "slide": "Slide"}


def _finish(placed: Placed) -> None:
    for _, child in sorted(placed.markers, key=lambda pair: pair[0]):
        placed.element.append(child)
    for child in placed.rest:
        placed.element.append(child)


def _runs(track: Track) -> list[list[Item]]:
    """Items that touch with a transition between them stay together."""
    cuts = {transition.cut for transition in track.transitions}
    runs: list[list[Item]] = []
    for item in track.items:
        if runs and runs[-1][-1].end == item.start and item.start in cuts:
            runs[-1].append(item)
        else:
            runs.append([item])
    return runs


def _anchor_at(anchors: list[_Anchor], starts: list[Exact], frame: Exact) -> _Anchor:
    return anchors[max(0, bisect_right(starts, frame) - 1)]


def _audio_rate(rate: int | None) -> str:
    value = rate or 48000
    return f"{value // 1000}k" if value % 1000 == 0 else f"{value / 1000:g}k"
