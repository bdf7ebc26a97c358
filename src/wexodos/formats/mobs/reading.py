"""The model of a tree of mobs."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

from wexodos.formats.errors import ReadError
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.operations import crossfade_law
from wexodos.formats.mobs.pairs import Mono, merged
from wexodos.formats.mobs.pictures import title_of
from wexodos.formats.mobs.places import frames_of
from wexodos.formats.mobs.sources import FINE, Sources, _code
from wexodos.formats.mobs.untaken import untaken
from wexodos.formats.mobs.unwrapping import Core, core, joined_levels, pan_curve, speed_of, unknown_effect
from wexodos.formats.mobs.unwrapping import gain_curve as level_curve_of
from wexodos.formats.names import wipe_direction
from wexodos.formats.taken import listed
from wexodos.model import (
    NORMAL,
    Adjustment,
    Angle,
    Angles,
    Content,
    Curve,
    Document,
    Effect,
    Fade,
    Generator,
    Item,
    Key,
    Marker,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Note,
    Parameter,
    Sequence,
    Sound,
    Speed,
    SpeedPoint,
    Track,
    Transition,
    Variable,
    constant,
)
from wexodos.model.speed import source_at
from wexodos.timing import Exact, Rate, ceil, exact, parse_exact

MOST_ITEMS = 400_000
DEEPEST = 40
_SETTINGS = ("Frame size", "Pixel aspect", "Field order", "Sample rate")


def document_of(file: tree.File, format_id: str) -> Document:
    """The document of a file. Raises ``ReadError`` where it holds nothing that could be a sequence."""
    return _Reader(file, format_id).document()


@dataclass(slots=True)
class _Element:
    """A part of a row: its extent, and the transitions at its edges; in edit units."""

    segment: tree.Segment
    start: Exact
    end: Exact
    before: tuple[Exact, tree.Transition] | None = None
    after: tuple[Exact, tree.Transition] | None = None

    @property
    def nothing(self) -> bool:
        return isinstance(self.segment, tree.Filler | tree.ScopeReference)


class _Reader:
    def __init__(self, file: tree.File, format_id: str) -> None:
        self.file, self.format_id = file, format_id
        self.notes: list[tuple[str, str, str]] = list(file.notes)
        self.sources = Sources(file, self.notes)
        self.sequences: dict[str, Sequence] = {}
        self.waiting: list[str] = []
        self.made = 0

    def document(self) -> Document:
        top = self._top()
        self.waiting = list(top)
        while self.waiting:
            mob_id = self.waiting.pop(0)
            if mob_id not in self.sequences:
                self.sequences[mob_id] = self._sequence(self.file.mobs[mob_id], mob_id in top)
        self._spare()
        ordered = sorted(self.sequences.values(), key=lambda one: (not one.top_level, one.name))
        notes = tuple(Note(level, "reading", where, text) for level, where, text in self.notes[:500])
        unread, kept = listed([*self.file.left, *untaken(self.file, set(self.sequences))], self.format_id)
        return Document(
            self.format_id,
            self.file.version,
            tuple(ordered),
            tuple(self.sources.media.values()),
            (*notes, *unread),
            raw=kept,
        )

    def _spare(self) -> None:
        """Clips that no sequence uses: their media are part of what came."""
        used = {
            clip.mob for mob in self.file.mobs.values() for slot in mob.slots for clip in _clips(slot.segment)
        }
        for mob in self.file.mobs.values():
            if mob.kind == "master" and mob.id not in used and mob.id not in self.sequences:
                for slot in mob.slots:
                    if slot.segment.kind in ("picture", "sound") and isinstance(
                        slot.segment, tree.SourceClip
                    ):
                        self.sources.follow(
                            tree.SourceClip(slot.segment.kind, 1, mob.id, slot.id, 0),
                            slot.rate,
                            slot.rate,
                            mob.name,
                        )

    def _top(self) -> list[str]:
        """The sequences for the user: those the file names, else compositions nobody refers to, else single
        clips."""
        found = [one for one in self.file.top if one in self.file.mobs]
        if found:
            return found
        used: set[str] = set()
        for mob in self.file.mobs.values():
            for slot in mob.slots:
                used.update(clip.mob for clip in _clips(slot.segment))
        compositions = [one for one in self.file.mobs.values() if one.kind == "composition"]
        found = [one.id for one in compositions if one.id not in used and one.usage in ("", "top")]
        found = found or [one.id for one in compositions if one.usage in ("", "top")]
        found = found or [
            one.id
            for one in self.file.mobs.values()
            if one.kind == "master" and any(slot.segment.kind in ("picture", "sound") for slot in one.slots)
        ]
        if not found:
            raise ReadError("it holds no sequence and no clip")
        return found

    # ---- sequences

    def _sequence(self, mob: tree.Mob, top: bool) -> Sequence:
        pictures = [one for one in mob.slots if one.segment.kind == "picture"]
        sounds = [one for one in mob.slots if one.segment.kind == "sound"]
        codes = [one for one in mob.slots if _code(one) is not None]
        rate = self._rate(mob, pictures, sounds, codes)
        start, drop = _start(codes, rate)
        told = mob.comments
        size = re.fullmatch(r"(\d{1,5}) x (\d{1,5})", told.get("Frame size", ""))
        width, height = (int(size.group(1)), int(size.group(2))) if size else self._size(pictures)
        try:
            aspect = parse_exact(told.get("Pixel aspect", "1"))
        except ValueError:
            aspect = 1
        samples = told.get("Sample rate", "")
        names = {int(key[1:]): value for key, value in told.items() if re.fullmatch(r"V[1-9]\d{0,2}", key)}
        frame = (width or 1920, height or 1080)
        tracks: list[Track] = []
        for slot in sorted(pictures, key=lambda one: (one.number or 9999, one.id)):
            tracks += self._picture_tracks(mob, slot, rate, frame)
        alone = len(tracks) == len(pictures)
        tracks = [
            replace(track, name=names.get(place, track.name if alone and not _numbered(track.name) else ""))
            for place, track in enumerate(tracks, 1)
        ]
        monos = [
            self._sound_track(mob, slot, rate, frame)
            for slot in sorted(sounds, key=lambda one: (one.number or 9999, one.id))
        ]
        for mono in merged(monos):
            tracks.append(Track("audio", tuple(mono.items), tuple(mono.transitions), mono.name, mono.enabled))
        length = max(
            (frames_of(_length(slot.segment), slot.rate, rate) for slot in (*pictures, *sounds)), default=0
        )
        metadata = tuple(
            (key, value)
            for key, value in told.items()
            if key not in _SETTINGS and not (re.fullmatch(r"V[1-9]\d{0,2}", key))
        )
        made = Sequence(
            mob.id,
            mob.name or "Sequence",
            rate,
            start,
            drop,
            width,
            height,
            aspect,
            told.get("Field order", "progressive"),
            int(samples) if samples.isdigit() else self._sample_rate(sounds),
            None,
            None,
            tuple(tracks),
            self._markers(mob, rate),
            top,
            ceil(length),
            metadata=metadata,
        )
        return made

    def _rate(
        self, mob: tree.Mob, pictures: list[tree.Slot], sounds: list[tree.Slot], codes: list[tree.Slot]
    ) -> Rate:
        first = sorted(codes, key=lambda one: (one.number != 1, one.number))
        for slot in (*pictures, *first, *sounds):
            if slot.rate.fps < FINE:
                return slot.rate
        self.notes.append(("warning", mob.name, "nothing says its picture rate; it is taken to be 25 frames"))
        return Rate(25)

    def _size(self, pictures: list[tree.Slot]) -> tuple[int | None, int | None]:
        """The frame size of a composition that says none: that of most of its media."""
        counts: dict[tuple[int, int], int] = {}
        for slot in pictures:
            for clip in _clips(slot.segment):
                mob = self.file.mobs.get(clip.mob)
                for _ in range(4):
                    if mob is None or mob.kind == "composition":
                        break
                    told = mob.descriptor
                    if told is not None and told.width and told.height:
                        counts[told.width, told.height] = counts.get((told.width, told.height), 0) + 1
                        break
                    inner = next((one for one in mob.slots if one.segment.kind == "picture"), None)
                    deeper = next(_clips(inner.segment), None) if inner is not None else None
                    mob = self.file.mobs.get(deeper.mob) if deeper is not None else None
        if not counts:
            return None, None
        return max(counts, key=lambda size: (counts[size], size))

    def _sample_rate(self, sounds: list[tree.Slot]) -> int | None:
        fine = [one.rate.fps for one in sounds if one.rate.fps >= 8000]
        return int(fine[0]) if fine else None

    # ---- tracks

    def _picture_tracks(
        self, mob: tree.Mob, slot: tree.Slot, rate: Rate, frame: tuple[int, int]
    ) -> list[Track]:
        segment = slot.segment
        over: list[Effect] = []
        while (
            isinstance(segment, tree.Operation)
            and segment.inputs
            and isinstance(segment.inputs[0], tree.NestedScope | tree.Sequence)
        ):
            over.append(unknown_effect(segment))
            segment = segment.inputs[0]
        rows = segment.slots if isinstance(segment, tree.NestedScope) else [segment]
        tracks = []
        for level, row in enumerate(rows, 1):
            where = f"{mob.name}/V{level}"
            items, transitions = self._row(row, slot, rate, frame, where, f"{mob.id[-8:]}-{slot.id}.{level}")
            if over:
                items = [replace(item, effects=(*item.effects, *over)) for item in items]
            tracks.append(Track("video", tuple(items), tuple(transitions), slot.name))
        return tracks

    def _sound_track(self, mob: tree.Mob, slot: tree.Slot, rate: Rate, frame: tuple[int, int]) -> Mono:
        segment = slot.segment
        level: Curve | None = None
        pan: Curve | None = None
        whole = frames_of(_length(segment), slot.rate, rate)
        unknown: list[Effect] = []
        while (
            isinstance(segment, tree.Operation)
            and len(segment.inputs) == 1
            and isinstance(segment.inputs[0], tree.Sequence | tree.Operation)
        ):
            if segment.op == "gain":
                level = joined_levels(level, level_curve_of(segment, whole))
            elif segment.op == "pan":
                pan = pan_curve(segment, whole) or pan
            else:
                unknown.append(unknown_effect(segment))
            segment = segment.inputs[0]
        where = f"{mob.name}/{slot.name or f'A{slot.number}'}"
        items, transitions = self._row(segment, slot, rate, frame, where, f"{mob.id[-8:]}-{slot.id}")
        if level is not None or pan is not None or unknown:
            items = [_under_track(item, level, pan, unknown) for item in items]
        return Mono(slot.name, items, transitions, not slot.muted)

    def _row(
        self, segment: tree.Segment, slot: tree.Slot, rate: Rate, frame: tuple[int, int], where: str, key: str
    ) -> tuple[list[Item], list[Transition]]:
        """The items and transitions of a track."""
        elements = _elements(segment)
        self.made += len(elements)
        if self.made > MOST_ITEMS:
            raise ReadError(f"it holds more than {MOST_ITEMS} clips", where)
        kind = segment.kind
        items: list[Item] = []
        transitions: list[Transition] = []

        def at(place: Exact) -> Exact:
            return frames_of(place, slot.rate, rate)

        for number, element in enumerate(elements):
            fade_in = fade_out = None
            if element.after is not None:
                begin, join = element.after
                cut = begin + join.cut
                following = elements[number + 1] if number + 1 < len(elements) else None
                from_nothing = element.nothing
                to_nothing = following is None or following.nothing
                if from_nothing and to_nothing:
                    continue
                if kind == "sound" and to_nothing and join.cut == join.length:
                    fade_out = Fade(exact(at(cut) - at(begin)), self._law(join.effect, where))
                elif not (kind == "sound" and from_nothing and join.cut == 0):
                    transitions.append(
                        self._transition(
                            join, at(begin), at(begin + join.length), at(cut), f"{key}.t{number}", where
                        )
                    )
            if element.before is not None:
                begin, join = element.before
                previous = elements[number - 1]
                if kind == "sound" and previous.nothing and join.cut == 0:
                    fade_in = Fade(exact(at(begin + join.length) - at(begin)), self._law(join.effect, where))
            if element.nothing:
                continue
            low = element.before[0] + element.before[1].cut if element.before else element.start
            high = element.after[0] + element.after[1].cut if element.after else element.end
            if high <= low:
                continue
            made = self._item(element, low, high, slot, rate, frame, where, f"{key}.{number}")
            if made is not None:
                if made.sound is not None and (fade_in or fade_out):
                    made = replace(
                        made,
                        sound=replace(
                            made.sound,
                            fade_in=fade_in or made.sound.fade_in,
                            fade_out=fade_out or made.sound.fade_out,
                        ),
                    )
                items.append(made)
        edges = {edge for one in items for edge in (one.start, one.end)}
        return items, [one for one in transitions if one.cut in edges]

    def _transition(
        self, join: tree.Transition, start: Exact, end: Exact, cut: Exact, key: str, where: str
    ) -> Transition:
        effect = join.effect
        length = exact(end - start)
        law = self._law(effect, where)
        if join.kind == "sound":
            name = "Equal power" if law == "equal-power" else "Equal gain"
            return Transition(
                key,
                effect.name or name,
                "audio-equal-power" if law == "equal-power" else "audio-linear",
                start,
                length,
                cut,
            )
        found = effect.parameters
        if effect.op == "wipe":
            pattern = found.get("wipe-number")
            number = int(pattern) if isinstance(pattern, int | Fraction) else 1
            reverse = bool(found.get("wipe-reverse"))
            soft, border = (_percent(found.get(name)) for name in ("wipe-soft", "wipe-border"))
            return Transition(
                key,
                effect.name or "Wipe",
                "wipe",
                start,
                length,
                cut,
                None,
                number,
                wipe_direction(number, reverse),
                soft,
                border,
            )
        if effect.op == "dip":
            return Transition(key, effect.name or "Dip", "dip", start, length, cut, "#000000ff")
        if effect.op not in ("dissolve", "fade-up", "fade-down"):
            what = str(effect.parameters.get("effect-id") or effect.name or effect.op)
            self.notes.append(
                ("warning", where, f"the transition {what!r} is not known here; it is taken for a dissolve")
            )
            return Transition(key, what, "other", start, length, cut, parameters=(Parameter("effect", what),))
        return Transition(key, effect.name or "Cross dissolve", "dissolve", start, length, cut)

    def _law(self, effect: tree.Operation, where: str) -> str:
        """How a transition or fade runs; said where it is neither of what can be read."""
        if not _runs_straight(effect):
            self.notes.append(
                ("warning", where, "a transition does not run straight from 0 to 1; it is read as if it did")
            )
        return crossfade_law(effect)

    # ---- items

    def _item(
        self,
        element: _Element,
        low: Exact,
        high: Exact,
        slot: tree.Slot,
        rate: Rate,
        frame: tuple[int, int],
        where: str,
        key: str,
    ) -> Item | None:
        start, end = frames_of(low, slot.rate, rate), frames_of(high, slot.rate, rate)
        whole = frames_of(element.start, slot.rate, rate)
        shift = exact(start - whole)
        span = exact(frames_of(element.end, slot.rate, rate) - whole)
        found = core(element.segment, span, frame)
        kind = element.segment.kind
        if found.segment is None and found.title is None:
            if not found.below:
                return None
            return Item(
                key,
                "Adjustment",
                start,
                exact(end - start),
                Adjustment(),
                enabled=found.enabled,
                motion=Motion(),
                effects=tuple(found.unknown),
            )
        name = ""
        content: Content | None = None
        source: Exact = 0
        speed: Speed = NORMAL
        sound: Sound | None = None
        markers: tuple[Marker, ...] = ()
        media: Media | None = None
        if found.title is not None:
            title = title_of(found.title, frame)
            name = title.words.split("\n")[0][:60] or found.title.name or "Title"
            if not title.words_known:
                name = self._title_name(found.title) or name
                title = replace(title, runs=(replace(title.runs[0], text=name),))
            content = title
        elif isinstance(found.segment, tree.SourceClip):
            name, content, source, speed, media, sound = self._clip(
                found, found.segment, slot, rate, element, low, where
            )
            markers = self._clip_markers(found.segment, source, speed, exact(end - start), rate)
        else:
            assert found.segment is not None
            name, content, source = self._anonymous(found.segment, slot, rate, frame, where, key)
            if content is None:
                what = (
                    found.segment.what
                    if isinstance(found.segment, tree.Unknown)
                    else type(found.segment).__name__
                )
                self.notes.append(("warning", where, f"a {what} is not understood; its place is kept"))
                name, content = what, Generator("other", what)
            else:
                source = exact(source + rate.seconds(shift))
        still = media is not None and media.still
        motion = None
        if kind != "sound":
            motion = _shifted_motion(found.dressed.motion() if found.dressed else Motion(fit="fit"), shift)
            if not isinstance(content, MediaUse | Angles):
                motion = replace(motion, fit="none")
        else:
            sound = sound or Sound()
            level = _shifted(found.level, shift) if found.level is not None else constant(0)
            sound = replace(
                sound, level=level, pan=_shifted(found.pan, shift) if found.pan is not None else None
            )
        effects = (*(found.dressed.effects if found.dressed else ()), *found.unknown)
        comments = dict(found.comments)
        note = comments.pop("Note", "")
        name = comments.pop("Clip name", "") or name
        label = None
        if all(isinstance(found.attributes.get(f"_COLOR_{one}"), int) for one in "RGB"):
            label = "#" + "".join(f"{int(found.attributes[f'_COLOR_{one}']) >> 8 & 255:02x}" for one in "RGB")
        return Item(
            key,
            name,
            start,
            exact(end - start),
            content,
            source if not still else 0,
            speed if not still else NORMAL,
            found.enabled,
            motion,
            sound,
            effects=effects,
            markers=markers,
            note=note,
            label=label,
            metadata=tuple(comments.items()),
            still=still,
        )

    def _clip(
        self,
        found: Core,
        clip: tree.SourceClip,
        slot: tree.Slot,
        rate: Rate,
        element: _Element,
        low: Exact,
        where: str,
    ) -> tuple[str, Content, Exact, Speed, Media | None, Sound | None]:
        place = self.sources.follow(clip, slot.rate, rate, where)
        skipped = rate.seconds(
            exact(frames_of(low, slot.rate, rate) - frames_of(element.start, slot.rate, rate))
        )
        speed: Speed = NORMAL
        source = place.seconds
        if found.speed is not None:
            inner = slot.rate.seconds(clip.start)
            speed, first = speed_of(found.speed, clip.start, slot.rate, rate)
            by = exact(place.seconds - inner)
            source = exact(first + by)
            shift = rate.frames(skipped)
            if isinstance(speed, Variable):
                speed = Variable(
                    tuple(SpeedPoint(exact(one.time - shift), exact(one.source + by)) for one in speed.points)
                )
                source = source_at(speed, 0, 0, rate)[0]
            else:
                source = exact(source + speed.rate * skipped)
                speed = NORMAL if speed.rate == 1 else speed
        else:
            source = exact(source + skipped)
        if found.level is None and place.inner_gain is not None:
            found.level = level_curve_of(
                place.inner_gain, frames_of(element.end - element.start, slot.rate, rate)
            )
        sound = (
            Sound(tuple(range(place.channel, place.channel + place.wide))) if clip.kind == "sound" else None
        )
        if sound is not None:
            fades = [
                Fade(frames_of(one[0], slot.rate, rate), one[1]) if one and one[0] > 0 else None
                for one in (clip.fade_in, clip.fade_out)
            ]
            sound = replace(sound, fade_in=fades[0], fade_out=fades[1])
        if place.composition is not None:
            if place.composition not in self.sequences:
                self.waiting.append(place.composition)
            sound = Sound() if sound is not None else None
            return place.name, NestedUse(place.composition), source, speed, None, sound
        media = self.sources.media[place.media or ""]
        content: Content = MediaUse(media.id)
        if found.alternates:
            content = self._angles(found, clip, media.id, place.seconds, slot, rate, where)
        return place.name or media.name, content, source, speed, media, sound

    def _angles(
        self,
        found: Core,
        clip: tree.SourceClip,
        media: str,
        seconds: Exact,
        slot: tree.Slot,
        rate: Rate,
        where: str,
    ) -> Content:
        """A selector without a switch is a group of angles: the one that plays, and the others kept beside
        it."""
        angles = [Angle("1", self.file.mobs[clip.mob].name if clip.mob in self.file.mobs else "1", media)]
        for number, other in enumerate(found.alternates, 2):
            inner = core(other, 1, (1920, 1080)).segment
            if isinstance(inner, tree.SourceClip):
                place = self.sources.follow(inner, slot.rate, rate, where)
                if place.media is not None:
                    angles.append(
                        Angle(str(number), place.name, place.media, None, exact(place.seconds - seconds))
                    )
        if len(angles) == 1:
            return MediaUse(media)
        return Angles(tuple(angles), "1", "1", angles[0].name, clip.mob)

    def _anonymous(
        self, segment: tree.Segment, slot: tree.Slot, rate: Rate, frame: tuple[int, int], where: str, key: str
    ) -> tuple[str, Content | None, Exact]:
        """A stack or a row inside a track: a nested sequence without a mob of its own."""
        rows: list[tree.Segment] = []
        if isinstance(segment, tree.NestedScope):
            rows = segment.slots
        elif isinstance(segment, tree.Operation):
            rows = [one for one in segment.inputs if not isinstance(one, tree.ScopeReference)]
        elif isinstance(segment, tree.Sequence):
            rows = [segment]
        if not rows or key.count("/") > DEEPEST:
            return "", None, 0
        kind = "video" if segment.kind == "picture" else "audio"
        tracks = []
        for level, row in enumerate(rows, 1):
            items, transitions = self._row(row, slot, rate, frame, where, f"{key}/{level}")
            tracks.append(Track(kind, tuple(items), tuple(transitions)))
        inner = f"stack-{key}"
        self.sequences[inner] = Sequence(
            inner,
            "Stack",
            rate,
            width=frame[0],
            height=frame[1],
            tracks=tuple(tracks),
            top_level=False,
            stated_duration=ceil(frames_of(segment.length, slot.rate, rate)),
        )
        return "Stack", NestedUse(inner), 0

    def _title_name(self, operation: tree.Operation) -> str:
        for one in operation.inputs:
            for clip in _clips(one):
                mob = self.file.mobs.get(clip.mob)
                if mob is not None and mob.name:
                    return mob.name
        return ""

    # ---- markers

    def _markers(self, mob: tree.Mob, rate: Rate) -> tuple[Marker, ...]:
        found = []
        for slot in mob.slots:
            parts = slot.segment.parts if isinstance(slot.segment, tree.Sequence) else [slot.segment]
            found += [_marker(one, slot.rate, rate) for one in parts if isinstance(one, tree.MarkerEvent)]
        return tuple(sorted(found, key=lambda one: one.start))

    def _clip_markers(
        self, clip: tree.SourceClip, source: Exact, speed: Speed, length: Exact, rate: Rate
    ) -> tuple[Marker, ...]:
        mob = self.file.mobs.get(clip.mob)
        if mob is None or mob.kind != "master" or speed is not NORMAL:
            return ()
        made = []
        for slot in mob.slots:
            parts = slot.segment.parts if isinstance(slot.segment, tree.Sequence) else []
            for one in parts:
                if isinstance(one, tree.MarkerEvent):
                    marker = _marker(one, slot.rate, rate)
                    at = exact(marker.start - rate.frames(source))
                    if 0 <= at < length:
                        made.append(replace(marker, start=at))
        return tuple(made)


def _elements(segment: tree.Segment) -> list[_Element]:
    """The parts of a row with their extents; a transition overlaps both neighbours."""
    parts = segment.parts if isinstance(segment, tree.Sequence) else [segment]
    made: list[_Element] = []
    position: Exact = 0
    pending: tuple[Exact, tree.Transition] | None = None
    for part in parts:
        if isinstance(part, tree.Transition):
            if not made or part.length <= 0:
                continue
            begin = position - part.length
            pending = (begin, part)
            made[-1].after = pending
            position = begin
            continue
        element = _Element(part, position, position + max(part.length, 0), pending)
        pending = None
        made.append(element)
        position = element.end
    return made


def _length(segment: tree.Segment) -> Exact:
    """The length of a track: the components are believed over what a sequence says of itself."""
    if isinstance(segment, tree.NestedScope):
        return max((_length(one) for one in segment.slots), default=0)
    if (
        isinstance(segment, tree.Operation)
        and segment.inputs
        and isinstance(segment.inputs[0], tree.Sequence | tree.NestedScope)
    ):
        return _length(segment.inputs[0])
    if isinstance(segment, tree.Sequence):
        return max(
            0, sum(-one.length if isinstance(one, tree.Transition) else one.length for one in segment.parts)
        )
    return segment.length


def _clips(segment: tree.Segment) -> Iterator[tree.SourceClip]:
    stack, budget = [segment], MOST_ITEMS
    while stack and budget:
        one = stack.pop()
        budget -= 1
        if isinstance(one, tree.SourceClip):
            yield one
        else:
            stack.extend(reversed(list(tree.inside(one))))


def _start(codes: list[tree.Slot], rate: Rate) -> tuple[int, bool]:
    """The start timecode: number 1 first, else the one that counts as the pictures do."""
    ordered = sorted(codes, key=lambda one: (one.number != 1, _code(one).fps != rate.nominal, one.number))  # type: ignore[union-attr]
    for slot in ordered:
        code = _code(slot)
        if code is not None and code.fps == rate.nominal:
            return code.start, code.drop and rate.nominal in (30, 60)
    return 0, False


def _under_track(item: Item, level: Curve | None, pan: Curve | None, unknown: list[Effect]) -> Item:
    """What a whole track's operation does, said of one of its items."""
    sound = item.sound or Sound()
    if level is not None and (level.animated or level.still != (0.0,)):
        sound = replace(sound, level=joined_levels(_shifted(level, item.start), sound.level))
    if pan is not None and sound.pan is None:
        sound = replace(sound, pan=_shifted(pan, item.start))
    return replace(item, sound=sound, effects=(*item.effects, *unknown))


def _shifted(curve: Curve, by: Exact) -> Curve:
    if not by or not curve.keys:
        return curve
    return replace(curve, keys=tuple(Key(exact(key.time - by), key.value, key.ease) for key in curve.keys))


def _shifted_motion(motion: Motion, by: Exact) -> Motion:
    if not by:
        return motion
    changes: dict[str, Any] = {name: _shifted(curve, by) for name, curve in motion.curves.items()}
    return replace(motion, **changes)


def _marker(event: tree.MarkerEvent, units: Rate, rate: Rate) -> Marker:
    span = event.span if event.span > 1 else 0
    return Marker(frames_of(event.start, units, rate), span, event.name, event.comment, event.color)


def _percent(value: object) -> float | None:
    return float(value) * 100 if isinstance(value, int | float | Fraction) and value else None


def _numbered(name: str) -> bool:
    return re.fullmatch(r"V\d*", name) is not None


def _runs_straight(effect: tree.Operation) -> bool:
    """Whether a transition's share runs evenly from nothing to all; the two curves of a crossfade say its
    law."""
    # What goes out mirrors what comes in.
    effect.parameters.get("level-out")
    level = effect.parameters.get("level")
    if not isinstance(level, tree.Varying) or len(level.points) < 2:
        return True
    first, last = level.points[0], level.points[-1]
    span = float(last.time - first.time)
    if span <= 0:
        return True
    shares = [(float(point.time - first.time) / span, float(point.value)) for point in level.points]
    rising = all(abs(value - share) < 0.02 for share, value in shares)
    falling = all(abs(1 - value - share) < 0.02 for share, value in shares)
    return rising or falling
