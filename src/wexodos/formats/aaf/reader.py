"""An AAF file as a tree of mobs.

Whatever the library meets in a damaged file it raises in all kinds of ways, on opening and at every property;
so every access goes through ``values``, which gives a rest value and lets the reading go on.
"""

from __future__ import annotations

import contextlib
import io
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any, BinaryIO

from aaf2 import components, essence, mobs, mobslots
from aaf2.auid import AUID

from wexodos.formats.aaf import ids, lookup
from wexodos.formats.aaf.sectors import MAGIC
from wexodos.formats.aaf.stored import StoredFile
from wexodos.formats.aaf.values import (
    MOST_OBJECTS,
    as_rate,
    ascii_of,
    bytes_of,
    count_of,
    exact_of,
    members,
    mob_key,
    plain_of,
    text_of,
    value_of,
)
from wexodos.formats.errors import ReadError
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.reading import document_of
from wexodos.formats.mobs.summaries import sound_facts
from wexodos.formats.taken import MOST_TEXT, Left, unreadable
from wexodos.ground.letters import name_of, words_of
from wexodos.model import Document
from wexodos.timing import Exact, Rate, exact

DEEPEST = 80


def matches(head: bytes) -> bool:
    return head[:8] == MAGIC


def read(data: bytes) -> Document:
    """Read an AAF file from memory. Raises ``ReadError``."""
    return document_of(_read(io.BytesIO(data), None), "aaf")


def read_path(path: Path) -> Document:
    """Read an AAF file from its place; sound inside it stays there. Raises ``ReadError``."""
    return document_of(tree_of(path), "aaf")


def tree_of(path: Path) -> tree.File:
    """The mobs of a file. Raises ``ReadError``."""
    with path.open("rb") as file:
        return _read(file, path)


def _read(held: BinaryIO, path: Path | None) -> tree.File:
    lookup.fresh()
    try:
        with StoredFile(held) as file:
            return _Reader(file, path).file()
    except (ReadError, RecursionError, MemoryError):
        raise
    except Exception as error:
        raise ReadError(f"the AAF is damaged ({type(error).__name__})") from None


class _Reader:
    def __init__(self, file: Any, path: Path | None) -> None:
        self.source, self.path = file, path
        self.made = tree.File()
        self.budget = MOST_OBJECTS
        self.kinds: dict[AUID, str] = {}

    def file(self) -> tree.File:
        header = self.source.header
        version = value_of(header, "Version", {})
        if isinstance(version, dict):
            self.made.version = f"{version.get('major', 1)}.{version.get('minor', 1)}"
        for mob in members(self.source.content, "Mobs"):
            found = self._mob(mob)
            if found is not None and found.id not in self.made.mobs:
                self.made.mobs[found.id] = found
        self.made.top = [
            one.id
            for one in sorted(self.made.mobs.values(), key=lambda one: one.name)
            if one.kind == "composition" and one.usage == "top"
        ]
        self._essence()
        self.made.left = list(self._left())
        for owner, name, places in lookup.damage():
            self._note(places[0], unreadable(owner, name, len(places)))
        return self.made

    def _left(self) -> Iterator[Left]:
        """What stands in the objects that were read and nobody asked for."""
        for kind, name, entry in lookup.left():
            try:
                value = entry.value
            except (RecursionError, MemoryError):
                raise
            except Exception:
                value = "damaged"
            if value is not None and str(value).strip() not in ("", "[]", "0"):
                yield Left(kind, f"{kind} {name}", str(value)[:MOST_TEXT])

    def _note(self, where: str, text: str) -> None:
        if len(self.made.notes) < 500:
            self.made.notes.append(("warning", where, text))

    # ---- mobs

    def _mob(self, mob: Any) -> tree.Mob | None:
        kind = (
            "composition"
            if isinstance(mob, mobs.CompositionMob)
            else "master"
            if isinstance(mob, mobs.MasterMob)
            else "source"
            if isinstance(mob, mobs.SourceMob)
            else None
        )
        key = mob_key(value_of(mob, "MobID"))
        if kind is None or not key:
            return None
        usage = value_of(mob, "UsageCode")
        name = text_of(value_of(mob, "Name", ""))
        lookup.at(name or key)
        found = tree.Mob(key, kind, name, ids.USAGES.get(str(usage), ids.USAGE_NAMES.get(str(usage), "")))
        if kind == "source":
            found.descriptor = self._descriptor(value_of(mob, "EssenceDescription"))
        for one in members(mob, "UserComments"):
            found.comments[name_of(text_of(value_of(one, "Name", "")))] = words_of(
                text_of(value_of(one, "Value", ""))
            )
        for slot in members(mob, "Slots"):
            made = self._slot(slot, name)
            if made is not None:
                found.slots.append(made)
        return found

    def _slot(self, slot: Any, where: str) -> tree.Slot | None:
        segment = value_of(slot, "Segment")
        if segment is None:
            return None
        rate = as_rate(value_of(slot, "EditRate"))
        if rate is None:
            lookup.damaged(slot, "EditRate")
            rate = Rate(25)
        number = value_of(slot, "PhysicalTrackNumber", 0)
        name = text_of(value_of(slot, "SlotName", ""))
        lookup.at(f"{where}/{name}")
        if isinstance(slot, mobslots.EventMobSlot):
            events = [self._marker(one) for one in members(segment, "Components") or [segment]]
            made: tree.Segment = tree.Sequence("metadata", 0, [one for one in events if one is not None])
        else:
            made = self._segment(segment, f"{where}/{name}", 0)
        muted = any(
            text_of(value_of(one, "Name", "")) == "AudioMixerCompMute" and value_of(one, "Value") == 1
            for one in members(slot, "TimelineMobAttributeList")
        )
        return tree.Slot(
            int(value_of(slot, "SlotID", 0)),
            rate,
            made,
            name,
            int(number or 0),
            count_of(slot, "Origin"),
            muted,
        )

    # ---- segments

    def _segment(self, one: Any, where: str, depth: int, kind: str = "") -> tree.Segment:
        self.budget -= 1
        if self.budget < 0:
            raise ReadError("it holds too many objects")
        if depth > DEEPEST:
            raise ReadError("things are nested too deeply", where)
        kind = self._kind(one) or kind
        length = count_of(one, "Length")
        made = self._made(one, kind, length, where, depth + 1)
        lists: tuple[tuple[str, Any], ...] = (
            ("ComponentAttributeList", made.attributes),
            ("UserComments", made.comments),
        )
        for name, target in lists:
            if lookup.found(one, name) is not None:
                for tag in members(one, name):
                    value = value_of(tag, "Value", "")
                    if isinstance(value, int) and name == "ComponentAttributeList":
                        made.attributes[text_of(value_of(tag, "Name", ""))] = value
                    elif isinstance(value, int | str):
                        target[name_of(text_of(value_of(tag, "Name", "")))] = words_of(text_of(value))
        return made

    def _made(self, one: Any, kind: str, length: Exact, where: str, depth: int) -> tree.Segment:
        def inner(thing: Any) -> tree.Segment:
            return self._segment(thing, where, depth, kind)

        if isinstance(one, components.SourceClip):
            return self._clip(one, kind, length)
        if isinstance(one, components.Sequence):
            return tree.Sequence(kind, length, [inner(part) for part in members(one, "Components")])
        if isinstance(one, components.Filler):
            return tree.Filler(kind, length)
        if isinstance(one, components.Transition):
            group = value_of(one, "OperationGroup")
            effect = inner(group) if group is not None else None
            if not isinstance(effect, tree.Operation):
                effect = tree.Operation(kind, length, "dissolve" if kind == "picture" else "crossfade")
            return tree.Transition(kind, length, count_of(one, "CutPoint"), effect)
        if isinstance(one, components.OperationGroup):
            return self._operation(one, kind, length, inner)
        if isinstance(one, components.NestedScope):
            return tree.NestedScope(kind, length, [inner(part) for part in members(one, "Slots")])
        if isinstance(one, components.ScopeReference):
            return tree.ScopeReference(
                kind, length, value_of(one, "RelativeScope", 0), value_of(one, "RelativeSlot", 1)
            )
        if isinstance(one, components.Selector):
            chosen = value_of(one, "Selected")
            selected = inner(chosen) if chosen is not None else tree.Filler(kind, length)
            return tree.Selector(kind, length, selected, [inner(part) for part in members(one, "Alternates")])
        if isinstance(one, components.EssenceGroup):
            return tree.Group(kind, length, [inner(part) for part in members(one, "Choices")])
        if isinstance(one, components.Timecode):
            return tree.TimecodeSegment(
                "timecode",
                length,
                int(value_of(one, "Start", 0)),
                int(value_of(one, "FPS", 25)),
                bool(value_of(one, "Drop", False)),
            )
        if isinstance(one, components.Pulldown):
            inside = value_of(one, "InputSegment")
            if inside is not None:
                found = inner(inside)
                if kind != "timecode":
                    self._note(where, "a pulldown is taken away; its pictures are counted as they stand")
                return tree.Unknown("auxiliary", length, what="Pulldown") if kind == "timecode" else found
        what = getattr(getattr(one, "classdef", None), "class_name", "") or type(one).__name__
        return tree.Unknown(kind or "other", length, what=what)

    def _clip(self, one: Any, kind: str, length: Exact) -> tree.SourceClip:
        made = tree.SourceClip(
            kind,
            length,
            mob_key(value_of(one, "SourceID")),
            int(value_of(one, "SourceMobSlotID", 0)),
            count_of(one, "StartTime"),
        )
        for side, name in (("In", "fade_in"), ("Out", "fade_out")):
            span = count_of(one, f"Fade{side}Length")
            if span:
                shape = str(value_of(one, f"Fade{side}Type", ""))
                setattr(
                    made,
                    name,
                    (span, "equal-power" if shape in ("FadeLinearPower", "2") else "linear"),
                )
        return made

    def _operation(self, one: Any, kind: str, length: Exact, inner: Any) -> tree.Operation:
        definition = value_of(one, "Operation")
        auid = str(getattr(definition, "auid", "") or "")
        bypass = value_of(definition, "Bypass", 1) if definition is not None else 1
        bypass = value_of(one, "BypassOverride", bypass)
        made = tree.Operation(
            kind,
            length,
            ids.OPERATIONS.get(auid, auid or "unknown"),
            [inner(part) for part in members(one, "InputSegments")],
            name=text_of(value_of(definition, "Name", "")) if definition is not None else "",
            bypass=bypass if isinstance(bypass, int) else 1,
        )
        if made.op in (
            "gain",
            "pan",
            "speed",
            "position",
            "scale",
            "rotate",
            "crop",
            "opacity",
            "crossfade",
            "crossfade-curves",
            "dissolve",
            "wipe",
        ):
            made.name = ""
        for parameter in members(one, "Parameters"):
            found = self._parameter(parameter, made.op)
            if found is not None:
                made.parameters[found[0]] = found[1]
        return made

    def _parameter(self, parameter: Any, op: str) -> tuple[str, tree.Value] | None:
        if value_of(parameter, "IsEnabled") is False or value_of(parameter, "IsSilent") is True:
            return None
        auid = str(value_of(parameter, "Definition", ""))
        word = ids.PARAMETERS.get(auid, auid)
        if lookup.found(parameter, "PointList") is None:
            value = value_of(parameter, "Value")
            if word == "effect-id" and value is not None:
                return word, ascii_of(value)
            plain = plain_of(value)
            return None if plain is None else (word, plain)
        points, frames = [], False
        for control in members(parameter, "PointList"):
            at, value = value_of(control, "Time"), value_of(control, "Value")
            time, number = exact_of(at), exact_of(value)
            if time is None or number is None:
                if at is not None and value is not None:
                    lookup.damaged(control, "Time" if time is None else "Value")
                continue
            frames = frames or str(value_of(control, "EditHint", "")) == "RelativeFixed"
            points.append(tree.Point(time, float(number), number))
        if not points:
            return None
        law = ids.LAWS.get(str(getattr(value_of(parameter, "Interpolation"), "auid", "")), "linear")
        unit = (
            "frames"
            if frames
            or (
                word in ("offset-map", "sampled-map", "speed-map") and max(point.time for point in points) > 2
            )
            else "share"
        )
        # Picture effects and speeds of one family count their last frame as 1; sound and the edit protocol
        # count their end.
        return word, tree.Varying(
            points, unit, law, unit == "share" and op in ("placement", "stack", "speed")
        )

    def _marker(self, one: Any) -> tree.MarkerEvent | None:
        if not isinstance(one, components.Event):
            return None
        notes = {
            text_of(value_of(tag, "Name", "")): value_of(tag, "Value", "")
            for tag in members(one, "CommentMarkerAttributeList")
        }
        color = value_of(one, "CommentMarkerColor")
        shown = None
        if isinstance(color, dict):
            parts = [int(color.get(name, 0)) >> 8 & 255 for name in ("red", "green", "blue")]
            shown = "#" + "".join(f"{part:02x}" for part in parts) + "ff"
        if shown is None:
            shown = ids.MARKER_COLORS.get(text_of(notes.get("_ATN_CRM_COLOR", "")).strip().lower())
        # Our notes hold while what they are about stands as we wrote it: what was changed over there counts.
        if notes.get(ids.COLOR_UNSAID) and shown == ids.PLAIN_COLOR:
            shown = None
        name = text_of(
            notes.get("_ATN_CRM_USER", "")
            or value_of(one, "CommentMarkerUser", "")
            or value_of(one, "CommentMarkerUSer", "")
        )
        span = notes.get("_ATN_CRM_LENGTH", 1)
        comment = text_of(value_of(one, "Comment", "") or notes.get("_ATN_CRM_COM", ""))
        if notes.get(ids.NAME_ONLY) and comment == name:
            comment = ""
        return tree.MarkerEvent(
            "metadata",
            0,
            count_of(one, "Position"),
            comment,
            name,
            shown,
            span if isinstance(span, int) else 1,
        )

    # ---- media

    def _descriptor(self, one: Any) -> tree.Descriptor | None:
        if one is None:
            return None
        if isinstance(one, essence.TapeDescriptor):
            return tree.Descriptor("tape")
        if isinstance(one, essence.ImportDescriptor):
            return tree.Descriptor("import", locators=self._locators(one))
        if (
            type(one).__name__ == "FilmDescriptor"
            or getattr(getattr(one, "classdef", None), "class_name", "") == "FilmDescriptor"
        ):
            return tree.Descriptor("film")
        made = tree.Descriptor(
            "file", locators=self._locators(one), rate=as_rate(value_of(one, "SampleRate"))
        )
        made.length = count_of(one, "Length") or None
        parts = [one, *members(one, "FileDescriptors")[:16]]
        for part in parts:
            self._facts(made, part)
        return made

    def _facts(self, made: tree.Descriptor, one: Any) -> None:
        if isinstance(one, essence.DigitalImageDescriptor):
            made.picture = True
            made.width = int(value_of(one, "DisplayWidth", 0) or value_of(one, "StoredWidth", 0)) or None
            high = int(value_of(one, "DisplayHeight", 0) or value_of(one, "StoredHeight", 0))
            layout = str(value_of(one, "FrameLayout", "FullFrame"))
            if (
                layout in ("SeparateFields", "SegmentedFrame")
                and made.width
                and high
                and high * 2 <= made.width
            ):
                high *= 2
            made.height = high or None
            if layout in ("MixedFields", "SeparateFields"):
                made.field_order = "lower" if value_of(one, "FieldDominance", 1) == 2 else "upper"
            aspect = exact_of(value_of(one, "ImageAspectRatio"))
            if aspect and aspect > 0 and made.width and made.height:
                pixel = exact(Fraction(aspect) * made.height / made.width)
                # The ratio is often that of the screen, rounded: a picture within a hundredth of square
                # pixels has them.
                made.pixel_aspect = 1 if abs(float(pixel) - 1) < 0.01 else pixel
        elif isinstance(one, essence.WAVEDescriptor | essence.AIFCDescriptor):
            made.sound, made.what = True, "wave" if isinstance(one, essence.WAVEDescriptor) else "aiff"
            summary = value_of(one, "Summary", b"")
            made.summary = bytes_of(summary)[:65536]
            facts = sound_facts(made.summary)
            if facts:
                made.channels, made.sample_rate, made.bits = facts
        elif isinstance(one, essence.SoundDescriptor):
            made.sound, made.what = True, made.what or "pcm"
            rate = as_rate(value_of(one, "AudioSamplingRate")) or as_rate(value_of(one, "SampleRate"))
            if rate is not None and rate.fps >= 8000:
                made.sample_rate = int(rate.fps)
            made.channels = int(value_of(one, "Channels", 0)) or None
            made.bits = int(value_of(one, "QuantizationBits", 0)) or None

    def _locators(self, one: Any) -> list[str]:
        found = []
        for locator in members(one, "Locator")[:32]:
            place = value_of(locator, "URLString") or value_of(locator, "Name")
            if place:
                found.append(text_of(place))
        return found

    def _essence(self) -> None:
        """The sound that stands inside the file, by the file mob it belongs to."""
        for data in members(self.source.content, "EssenceData"):
            key = mob_key(value_of(data, "MobID"))
            mob = self.made.mobs.get(key)
            with contextlib.suppress(Exception):
                if not data.open("r").byte_size:
                    # A place for samples, and none are there.
                    continue
            if mob is None or mob.descriptor is None or not mob.descriptor.sound or self.path is None:
                if mob is not None and mob.descriptor is not None and mob.descriptor.sound:
                    lookup.found(data, "Data")
                    self.made.essence[key] = tree.Essence(key, mob.descriptor.what or "pcm", 0, _nothing)
                continue
            told = mob.descriptor
            # Its bytes are read by whoever wants the sound.
            lookup.found(data, "Data")
            size = int((told.length or 0) * (told.channels or 1) * (told.bits or 16) // 8)
            with contextlib.suppress(Exception):
                there = data.open("r").byte_size
                size = min(size, there) if told.what == "pcm" else there
            self.made.essence[key] = tree.Essence(key, told.what or "pcm", size, _opener(self.path, key))

    def _kind(self, one: Any) -> str:
        found = lookup.found(one, "DataDefinition")
        ref = getattr(found, "ref", None)
        if ref in self.kinds:
            return self.kinds[ref]
        definition = value_of(one, "DataDefinition")
        auid = str(getattr(definition, "auid", "") or "")
        kind = ids.KINDS.get(auid, "" if not auid else "other")
        if ref is not None and auid:
            self.kinds[ref] = kind
        return kind


def _nothing() -> BinaryIO:
    return io.BytesIO()


def _opener(path: Path, key: str) -> Any:
    def opened() -> BinaryIO:
        return essence_stream(path, key)

    return opened


def essence_stream(path: Path, key: str) -> BinaryIO:
    """The bytes of the embedded sound of a file mob. Raises ``ReadError``."""
    try:
        with contextlib.ExitStack() as held:
            file = StoredFile(held.enter_context(path.open("rb")))
            for data in file.content.essencedata.values():
                if mob_key(data.mob_id) == key:
                    sound: BinaryIO = data.open("r").last()
                    held.pop_all()
                    return sound
    except Exception as error:
        raise ReadError(f"its sound cannot be read ({type(error).__name__})", "", str(path)) from None
    raise ReadError("its sound is not there", "", str(path))
