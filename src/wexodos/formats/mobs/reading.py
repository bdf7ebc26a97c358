"""The model of a tree of mobs."""

from __future__ import annotations

import re
from dataclasses import replace

from wexodos.formats.errors import ReadError
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.pairs import Mono, merged
from wexodos.formats.mobs.places import frames_of
from wexodos.formats.mobs.reading_items import Rows, marker_of, shifted
from wexodos.formats.mobs.rows import clips_in, length_of
from wexodos.formats.mobs.sources import FINE, _code
from wexodos.formats.mobs.untaken import untaken
from wexodos.formats.mobs.unwrapping import gain_curve as level_curve_of
from wexodos.formats.mobs.unwrapping import joined_levels, main_input, pan_curve, unknown_effect
from wexodos.formats.taken import listed
from wexodos.model import (
    Curve,
    Document,
    Effect,
    Item,
    Marker,
    Note,
    Sequence,
    Sound,
    Track,
)
from wexodos.timing import Exact, Rate, ceil, parse_exact

_SETTINGS = ("Frame size", "Pixel aspect", "Field order", "Sample rate")

HALF_DAY = 12 * 60 * 60
"""Seconds."""


def document_of(file: tree.File, format_id: str) -> Document:
    """The document of a file. Raises ``ReadError`` where it holds nothing that could be a sequence."""
    return _Reader(file, format_id).document()


class _Reader:
    def __init__(self, file: tree.File, format_id: str) -> None:
        self.file, self.format_id = file, format_id
        self.notes: list[tuple[str, str, str]] = list(file.notes)
        self.rows = Rows(file, self.notes)
        self.sources, self.sequences = self.rows.sources, self.rows.sequences

    def document(self) -> Document:
        top = self._top()
        self.rows.waiting = list(top)
        while self.rows.waiting:
            mob_id = self.rows.waiting.pop(0)
            if mob_id not in self.sequences:
                self.sequences[mob_id] = self._sequence(self.file.mobs[mob_id], mob_id in top)
        self._spare()
        self._unheard()
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
            clip.mob
            for mob in self.file.mobs.values()
            for slot in mob.slots
            for clip in clips_in(slot.segment)
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

    def _unheard(self) -> None:
        """Sound that stands inside and belongs to no medium is told."""
        heard = {
            key
            for one in self.sources.media.values()
            if one.embedded is not None
            for _, key in one.embedded.streams
        }
        for key in self.file.essence:
            if key not in heard:
                name = self.file.mobs[key].name if key in self.file.mobs else key
                self.notes.append(("info", name, "its sound stands in the file, and nothing plays it"))

    def _top(self) -> list[str]:
        """The sequences for the user: those the file names, else compositions nobody refers to, else single
        clips."""
        found = [one for one in self.file.top if one in self.file.mobs]
        if found:
            return found
        used: set[str] = set()
        for mob in self.file.mobs.values():
            for slot in mob.slots:
                used.update(clip.mob for clip in clips_in(slot.segment))
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
            (frames_of(length_of(slot.segment), slot.rate, rate) for slot in (*pictures, *sounds)),
            default=_alone(codes),
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
            for clip in clips_in(slot.segment):
                mob = self.file.mobs.get(clip.mob)
                for _ in range(4):
                    if mob is None or mob.kind == "composition":
                        break
                    told = mob.descriptor
                    if told is not None and told.width and told.height:
                        counts[told.width, told.height] = counts.get((told.width, told.height), 0) + 1
                        break
                    inner = next((one for one in mob.slots if one.segment.kind == "picture"), None)
                    deeper = next(clips_in(inner.segment), None) if inner is not None else None
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
        while isinstance(segment, tree.Operation) and isinstance(
            inner := main_input(segment), tree.NestedScope | tree.Sequence
        ):
            over.append(unknown_effect(segment))
            segment = inner
        rows = segment.slots if isinstance(segment, tree.NestedScope) else [segment]
        tracks = []
        for level, row in enumerate(rows, 1):
            where = f"{mob.name}/V{level}"
            items, transitions = self.rows.row(
                row, slot, rate, frame, where, f"{mob.id[-8:]}-{slot.id}.{level}"
            )
            if over:
                items = [replace(item, effects=(*item.effects, *over)) for item in items]
            tracks.append(Track("video", tuple(items), tuple(transitions), slot.name))
        return tracks

    def _sound_track(self, mob: tree.Mob, slot: tree.Slot, rate: Rate, frame: tuple[int, int]) -> Mono:
        segment = slot.segment
        level: Curve | None = None
        pan: Curve | None = None
        whole = frames_of(length_of(segment), slot.rate, rate)
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
        items, transitions = self.rows.row(segment, slot, rate, frame, where, f"{mob.id[-8:]}-{slot.id}")
        if level is not None or pan is not None or unknown:
            items = [_under_track(item, level, pan, unknown) for item in items]
        return Mono(slot.name, items, transitions, not slot.muted)

    # ---- markers

    def _markers(self, mob: tree.Mob, rate: Rate) -> tuple[Marker, ...]:
        found = []
        for slot in mob.slots:
            parts = slot.segment.parts if isinstance(slot.segment, tree.Sequence) else [slot.segment]
            found += [marker_of(one, slot.rate, rate) for one in parts if isinstance(one, tree.MarkerEvent)]
        return tuple(sorted(found, key=lambda one: one.start))


def _alone(codes: list[tree.Slot]) -> Exact:
    """Frames of a composition without any track: those of its timecode, where that is not the half day that
    some write for any."""
    first = min(codes, key=lambda one: (one.number != 1, one.number), default=None)
    if first is None or first.segment.length >= first.rate.frames(HALF_DAY):
        return 0
    return first.segment.length


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
        sound = replace(sound, level=joined_levels(shifted(level, item.start), sound.level))
    if pan is not None and sound.pan is None:
        sound = replace(sound, pan=shifted(pan, item.start))
    return replace(item, sound=sound, effects=(*item.effects, *unknown))


def _numbered(name: str) -> bool:
    return re.fullmatch(r"V\d*", name) is not None
