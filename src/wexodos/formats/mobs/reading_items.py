"""Clips, words, stacks and adjustment items of a row as the model has them."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from wexodos.formats.errors import ReadError
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.pictures import title_of
from wexodos.formats.mobs.places import frames_of
from wexodos.formats.mobs.reading_joins import Notes, law_of, transition_of
from wexodos.formats.mobs.reading_speeds import speed_of
from wexodos.formats.mobs.rows import MOST_ITEMS, Element, clips_in, elements
from wexodos.formats.mobs.sources import Sources
from wexodos.formats.mobs.unwrapping import Core, core
from wexodos.formats.mobs.unwrapping import gain_curve as level_curve_of
from wexodos.model import (
    NORMAL,
    Adjustment,
    Angle,
    Angles,
    Content,
    Curve,
    Fade,
    Generator,
    Item,
    Key,
    Marker,
    Media,
    MediaUse,
    Motion,
    NestedUse,
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
from wexodos.timing import Exact, Rate, ceil, exact

DEEPEST = 40


class Rows:
    """Reads rows of segments; what sequences they use goes into ``waiting``, stacks without a mob of their
    own into ``sequences``."""

    def __init__(self, file: tree.File, notes: Notes) -> None:
        self.file, self.notes = file, notes
        self.sources = Sources(file, notes)
        self.sequences: dict[str, Sequence] = {}
        self.waiting: list[str] = []
        self.made = 0

    def row(
        self, segment: tree.Segment, slot: tree.Slot, rate: Rate, frame: tuple[int, int], where: str, key: str
    ) -> tuple[list[Item], list[Transition]]:
        """The items and transitions of a track."""
        parts = elements(segment)
        self.made += len(parts)
        if self.made > MOST_ITEMS:
            raise ReadError(f"it holds more than {MOST_ITEMS} clips", where)
        kind = segment.kind
        items: list[Item] = []
        transitions: list[Transition] = []

        def at(place: Exact) -> Exact:
            return frames_of(place, slot.rate, rate)

        for number, element in enumerate(parts):
            fade_in = fade_out = None
            if element.after is not None:
                begin, join = element.after
                cut = begin + join.cut
                following = parts[number + 1] if number + 1 < len(parts) else None
                from_nothing = element.nothing
                to_nothing = following is None or following.nothing
                if from_nothing and to_nothing:
                    continue
                if kind == "sound" and to_nothing and join.cut == join.length:
                    fade_out = Fade(exact(at(cut) - at(begin)), law_of(join.effect, where, self.notes))
                elif not (kind == "sound" and from_nothing and join.cut == 0):
                    transitions.append(
                        transition_of(
                            join,
                            at(begin),
                            at(begin + join.length),
                            at(cut),
                            f"{key}.t{number}",
                            where,
                            self.notes,
                        )
                    )
            if element.before is not None:
                begin, join = element.before
                previous = parts[number - 1]
                if kind == "sound" and previous.nothing and join.cut == 0:
                    fade_in = Fade(
                        exact(at(begin + join.length) - at(begin)), law_of(join.effect, where, self.notes)
                    )
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

    def _item(
        self,
        element: Element,
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
            level = shifted(found.level, shift) if found.level is not None else constant(0)
            sound = replace(
                sound, level=level, pan=shifted(found.pan, shift) if found.pan is not None else None
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
        element: Element,
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
        # Channels are counted from 1, also where the chain below says nothing of them.
        channel = max(1, place.channel)
        sound = Sound(tuple(range(channel, channel + place.wide))) if clip.kind == "sound" else None
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
            rows = [one for one in segment.inputs if isinstance(one, tree.Filler) or not tree.nothing(one)]
        elif isinstance(segment, tree.Sequence):
            rows = [segment]
        if not rows or key.count("/") > DEEPEST:
            return "", None, 0
        kind = "video" if segment.kind == "picture" else "audio"
        tracks = []
        for level, row in enumerate(rows, 1):
            items, transitions = self.row(row, slot, rate, frame, where, f"{key}/{level}")
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
            for clip in clips_in(one):
                mob = self.file.mobs.get(clip.mob)
                if mob is not None and mob.name:
                    return mob.name
        return ""

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
                    marker = marker_of(one, slot.rate, rate)
                    at = exact(marker.start - rate.frames(source))
                    if 0 <= at < length:
                        made.append(replace(marker, start=at))
        return tuple(made)


def shifted(curve: Curve, by: Exact) -> Curve:
    """The curve of an item that begins ``by`` frames later."""
    if not by or not curve.keys:
        return curve
    return replace(curve, keys=tuple(Key(exact(key.time - by), key.value, key.ease) for key in curve.keys))


def _shifted_motion(motion: Motion, by: Exact) -> Motion:
    if not by:
        return motion
    changes: dict[str, Any] = {name: shifted(curve, by) for name, curve in motion.curves.items()}
    return replace(motion, **changes)


def marker_of(event: tree.MarkerEvent, units: Rate, rate: Rate) -> Marker:
    """A marker with its place in frames of ``rate``."""
    span = event.span if event.span > 1 else 0
    return Marker(frames_of(event.start, units, rate), span, event.name, event.comment, event.color)
