"""An OMF file, revision 1 or 2, as a tree of mobs."""

from __future__ import annotations

import io
import mmap
import struct
from pathlib import Path
from typing import Any, BinaryIO

from wexodos.formats.errors import ReadError
from wexodos.formats.limits import is_rate
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.reading import document_of
from wexodos.formats.mobs.summaries import sound_facts
from wexodos.formats.omf import constants as c
from wexodos.formats.omf.container import Data, Value, read_container
from wexodos.formats.omf.objects import Object, Objects
from wexodos.formats.taken import Left, unreadable
from wexodos.model import Document
from wexodos.timing import Exact, Rate, exact

DEEPEST = 80
STEPS = 30
"""How often each object may be walked through on average: objects that are used over and over unfold without
end."""

_KINDS = {
    "sound": "sound",
    "stereosound": "sound",
    "picture": "picture",
    "picturewithmatte": "picture",
    "timecode": "timecode",
    "edgecode": "auxiliary",
}
_OLD_KINDS = {1: "picture", 2: "sound", 3: "timecode", 4: "auxiliary", 5: "auxiliary", 6: "auxiliary"}
OPERATIONS = {
    "monoaudiogain": "gain",
    "stereoaudiogain": "gain",
    "monoaudiopan": "pan",
    "monoaudiodissolve": "crossfade",
    "simplemonoaudiodissolve": "crossfade",
    "stereoaudiodissolve": "crossfade",
    "simplestereoaudiodissolve": "crossfade",
    "twoparametermonoaudiodissolve": "crossfade-curves",
    "videodissolve": "dissolve",
    "simplevideodissolve": "dissolve",
    "videofadetoblack": "dip",
    "smptevideowipe": "wipe",
    "videospeedcontrol": "speed",
}
_CONTROLS = {
    "gain": ("amplitude",),
    "pan": ("pan",),
    "speed": ("speed-ratio", "phase"),
    "dissolve": ("level",),
    "crossfade": ("level",),
    "crossfade-curves": ("level-out", "level-in"),
    "wipe": ("wipe-number", "wipe-reverse", "wipe-soft", "wipe-border"),
}


def matches_tail(tail: bytes) -> bool:
    """Whether a file that ends so is an OMF: it is known from its end."""
    return c.MAGIC in tail


def read(data: bytes) -> Document:
    """Read an OMF file from memory. Raises ``ReadError``."""
    return document_of(_guarded(data, len(data), None), "omf")


def read_path(path: Path) -> Document:
    """Read an OMF file from its place; sound inside it stays there. Raises ``ReadError``."""
    return document_of(tree_of(path), "omf")


def tree_of(path: Path) -> tree.File:
    """The mobs of a file. Raises ``ReadError``."""
    size = path.stat().st_size
    if size < c.LABEL_SIZE:
        raise ReadError("this is no OMF file: it is too short")
    with path.open("rb") as file, mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ) as data:
        return _guarded(data, size, path)


def _guarded(data: Data, size: int, path: Path | None) -> tree.File:
    try:
        return _Reader(Objects(read_container(data, size)), path).file()
    except (ReadError, RecursionError, MemoryError):
        raise
    except (
        ValueError,
        IndexError,
        KeyError,
        struct.error,
        ZeroDivisionError,
        TypeError,
        AttributeError,
        OverflowError,
    ) as error:
        raise ReadError(f"the OMF is damaged ({type(error).__name__})") from None


class _Reader:
    def __init__(self, objects: Objects, path: Path | None) -> None:
        self.all, self.path = objects, path
        self.made = tree.File()
        self.budget = STEPS * len(objects.container.values) + 1000
        self.old = objects.revision == 1

    def file(self) -> tree.File:
        head = self.all.head
        version = head.raw("OMFI:HEAD:Version", "OMFI:Version")
        self.made.version = f"{version[0]}.{version[1]}" if len(version) >= 2 else f"{self.all.revision}.0"
        mobs = [one for one in self.all.all() if one.kind in ("CMOB", "MMOB", "SMOB", "MOBJ")]
        for one in mobs:
            mob = self._mob(one)
            if mob is None:
                continue
            if mob.id in self.made.mobs:
                self.made.notes.append(("warning", mob.name, "two of its mobs have one id; the first counts"))
            else:
                self.made.mobs[mob.id] = mob
        primary = [one.uid("OMFI:MOBJ:MobID") for one in head.references("OMFI:HEAD:PrimaryMobs")]
        self.made.top = [
            one for one in primary if one in self.made.mobs and self.made.mobs[one].kind == "composition"
        ]
        if self.old:
            self._old_kinds()
        self._essence()
        self.made.left = [
            Left(kind, f"{kind} {name}", value.decode("latin-1")) for kind, name, value in self.all.left()
        ]
        for (kind, name), places in self.all.damaged.items():
            self.made.notes.append(("warning", places[0], unreadable(kind, name, len(places))))
        return self.made

    def _old_kinds(self) -> None:
        """Revision 1 has one class for all mobs: a master is one whose tracks are single clips of files."""
        files = {one.id for one in self.made.mobs.values() if one.kind == "source"}
        used = set()
        for mob in self.made.mobs.values():
            if (
                mob.kind == "composition"
                and mob.slots
                and all(
                    isinstance(slot.segment, tree.SourceClip) and slot.segment.mob in files
                    for slot in mob.slots
                    if slot.segment.kind in ("picture", "sound")
                )
            ):
                mob.kind = "master"
        for mob in self.made.mobs.values():
            for slot in mob.slots:
                stack: list[tree.Segment] = [slot.segment]
                while stack:
                    one = stack.pop()
                    if isinstance(one, tree.SourceClip):
                        used.add(one.mob)
                    stack.extend(tree.inside(one))
        self.made.top = [
            one.id for one in self.made.mobs.values() if one.kind == "composition" and one.id not in used
        ]

    # ---- mobs

    def _mob(self, one: Object) -> tree.Mob | None:
        key = one.uid("OMFI:MOBJ:MobID")
        if not key:
            return None
        name = one.text("OMFI:MOBJ:Name", "OMFI:CPNT:Name")
        media = one.reference("OMFI:SMOB:MediaDescription", "OMFI:MOBJ:PhysicalMedia")
        kind = {"CMOB": "composition", "MMOB": "master", "SMOB": "source"}.get(
            one.kind, "source" if media is not None else "composition"
        )
        self.all.place = name or key
        made = tree.Mob(key, kind, name)
        if kind == "source":
            made.descriptor = self._descriptor(media)
        if self.old:
            self._old_slots(made, one)
            return made
        for number, slot in enumerate(one.references("OMFI:MOBJ:Slots"), 1):
            segment = slot.reference("OMFI:MSLT:Segment")
            if segment is None:
                continue
            rate = slot.rational("OMFI:MSLT:EditRate")
            track = slot.reference("OMFI:MSLT:TrackDesc")
            inner = self._segment(segment, name, 0, "")
            made.slots.append(
                tree.Slot(
                    track.integer("OMFI:TRKD:TrackID", rest=number) if track is not None else -number,
                    Rate.of(rate) if rate is not None and is_rate(rate) else Rate(25),
                    inner,
                    track.text("OMFI:TRKD:TrackName") if track is not None else "",
                    track.integer("OMFI:TRKD:PhysicalTrack") if track is not None else 0,
                    track.integer("OMFI:TRKD:Origin") if track is not None else 0,
                )
            )
        return made

    def _old_slots(self, made: tree.Mob, one: Object) -> None:
        for place, track in enumerate(one.references("OMFI:TRKG:Tracks"), 1):
            component = track.reference("OMFI:TRAK:TrackComponent")
            if component is None:
                continue
            label = track.integer("OMFI:TRAK:LabelNumber", rest=place)
            segment = self._old_segment(component, made.name, 0, "")
            rate = self._old_rate(component) or one.rational("OMFI:CPNT:EditRate")
            # Labels repeat for each kind, so kind and label together are the id that clips refer to.
            made.slots.append(
                tree.Slot(
                    _old_id(segment.kind, label),
                    Rate.of(rate) if rate is not None and is_rate(rate) else Rate(25),
                    segment,
                    "",
                    label,
                )
            )

    def _old_rate(self, one: Object) -> Exact | None:
        current: Object | None = one
        for _ in range(8):
            if current is None:
                return None
            rate = current.rational("OMFI:CPNT:EditRate")
            if rate:
                return rate
            inner = current.references("OMFI:SEQU:Sequence")
            current = inner[0] if inner else None
        return None

    # ---- segments of revision 2

    def _step(self, depth: int, where: str) -> None:
        self.budget -= 1
        if self.budget < 0:
            raise ReadError("its objects are used in each other over and over", where)
        if depth > DEEPEST:
            raise ReadError("things are nested too deeply", where)

    def _segment(self, one: Object, where: str, depth: int, outer: str) -> tree.Segment:
        self._step(depth, where)
        data = one.reference("OMFI:CPNT:DataKind")
        name = data.text("OMFI:DDEF:DataKindID").rpartition(":")[2].lower() if data is not None else ""
        kind = _KINDS.get(name, "other" if name else outer)
        length = max(0, one.integer("OMFI:CPNT:Length"))

        def inner(thing: Object) -> tree.Segment:
            return self._segment(thing, where, depth + 1, kind)

        def all_of(prop: str) -> list[tree.Segment]:
            return [inner(part) for part in one.references(prop)]

        what = one.kind
        if what == "SEQU":
            return tree.Sequence(kind, length, all_of("OMFI:SEQU:Components"))
        if what == "SCLP":
            clip = tree.SourceClip(
                kind,
                length,
                one.uid("OMFI:SCLP:SourceID"),
                one.integer("OMFI:SCLP:SourceTrackID"),
                one.integer("OMFI:SCLP:StartTime"),
            )
            clip.fade_in, clip.fade_out = (self._fade(one, side) for side in ("In", "Out"))
            return clip
        if what == "FILL":
            return tree.Filler(kind, length)
        if what == "TRAN":
            effect = one.reference("OMFI:TRAN:Effect")
            made = inner(effect) if effect is not None else None
            if not isinstance(made, tree.Operation):
                made = tree.Operation(kind, length, "crossfade" if kind == "sound" else "dissolve")
            return tree.Transition(kind, length, one.integer("OMFI:TRAN:CutPoint"), made)
        if what == "EFFE":
            return self._effect(one, kind, length, inner)
        if what == "TCCP":
            return tree.TimecodeSegment(
                "timecode",
                length,
                one.integer("OMFI:TCCP:Start"),
                one.unsigned("OMFI:TCCP:FPS", 25),
                bool(one.integer("OMFI:TCCP:Drop")),
            )
        if what == "NEST":
            return tree.NestedScope(kind, length, all_of("OMFI:NEST:Slots"))
        if what == "SREF":
            return tree.ScopeReference(
                kind,
                length,
                one.integer("OMFI:SREF:RelativeScope"),
                one.integer("OMFI:SREF:RelativeSlot", rest=1),
            )
        if what == "SLCT":
            chosen = one.reference("OMFI:SLCT:Selected")
            return tree.Selector(
                kind,
                length,
                inner(chosen) if chosen is not None else tree.Filler(kind, length),
                all_of("OMFI:SLCT:Alternates"),
            )
        if what == "MGRP":
            return tree.Group(kind, length, all_of("OMFI:MGRP:Choices"))
        if what == "ERAT":
            inside = one.reference("OMFI:ERAT:InputSegment")
            self.made.notes.append(("warning", where, "a converter of edit rates is taken away"))
            return inner(inside) if inside is not None else tree.Filler(kind, length)
        return tree.Unknown(kind or "other", length, what=what or "object without a class")

    def _fade(self, one: Object, side: str) -> tuple[Exact, str] | None:
        length = one.integer(f"OMFI:SCLP:Fade{side}Length")
        shape = one.integer(f"OMFI:SCLP:Fade{side}Type", rest=c.FADES["linear"])
        return (
            (length, "equal-power" if shape == c.FADES["equal-power"] else "linear")
            if length > 0 and shape
            else None
        )

    def _effect(self, one: Object, kind: str, length: Exact, inner: Any) -> tree.Operation:
        """Arguments are read by what they are: a constant or a curve is a control, everything else an
        input."""
        definition = one.reference("OMFI:EFFE:EffectKind")
        name = definition.text("OMFI:EDEF:EffectID") if definition is not None else ""
        made = tree.Operation(
            kind, length, OPERATIONS.get(name.rpartition(":")[2].lower(), name or "unknown"), name=""
        )
        if made.op == (name or "unknown"):
            made.name = (definition.text("OMFI:EDEF:EffectName") if definition is not None else "") or name
        controls: list[tuple[int, tree.Value]] = []
        for slot in one.references("OMFI:EFFE:EffectSlots"):
            number = slot.integer("OMFI:ESLT:ArgID")
            argument = slot.reference("OMFI:ESLT:ArgValue")
            if argument is None:
                continue
            if argument.kind in ("CVAL", "VVAL"):
                value = self._control(argument)
                if value is not None:
                    controls.append((number, value))
            else:
                made.inputs.append(inner(argument))
        words = _CONTROLS.get(made.op, ())
        for place, (number, value) in enumerate(sorted(controls, key=lambda pair: abs(pair[0]))):
            made.parameters[words[place] if place < len(words) else f"argument {number}"] = value
        return made

    def _control(self, one: Object) -> tree.Value | None:
        if one.kind == "CVAL":
            return self._number(one, "OMFI:CVAL:Value")
        points = []
        for point in one.references("OMFI:VVAL:PointList"):
            time, value = point.rational("OMFI:CTLP:Time"), self._number(point, "OMFI:CTLP:Value")
            if time is not None and value is not None:
                points.append(tree.Point(time, float(value), value))
        if not points:
            return None
        law = "constant" if one.integer("OMFI:VVAL:Interpolation", rest=c.LINEAR) == c.CONSTANT else "linear"
        return tree.Varying(points, "share", law)

    def _number(self, one: Object, name: str) -> Exact | None:
        size = len(one.raw(name, most=16))
        return one.rational(name) if size >= 8 else one.integer(name) if size else None

    # ---- segments of revision 1

    def _old_segment(self, one: Object, where: str, depth: int, outer: str) -> tree.Segment:
        self._step(depth, where)
        kind = _OLD_KINDS.get(one.integer("OMFI:CPNT:TrackKind"), outer or "other")
        length = max(0, one.integer("OMFI:CLIP:Length", "OMFI:TRKG:GroupLength"))

        def tracks() -> list[tree.Segment]:
            made = []
            for track in one.references("OMFI:TRKG:Tracks"):
                component = track.reference("OMFI:TRAK:TrackComponent")
                if component is not None:
                    made.append(self._old_segment(component, where, depth + 1, kind))
            return made

        what = one.kind
        if what == "SEQU":
            parts = [
                self._old_segment(part, where, depth + 1, kind)
                for part in one.references("OMFI:SEQU:Sequence")
            ]
            total = sum(-part.length if isinstance(part, tree.Transition) else part.length for part in parts)
            return tree.Sequence(parts[0].kind if parts and kind == "other" else kind, total, parts)
        if what == "SCLP":
            return tree.SourceClip(
                kind,
                length,
                one.uid("OMFI:SCLP:SourceID"),
                _old_id(kind, one.integer("OMFI:SCLP:SourceTrack", rest=1)),
                one.integer("OMFI:SCLP:SourcePosition"),
            )
        if what == "FILL":
            return tree.Filler(kind, length)
        if what == "TCCP":
            return tree.TimecodeSegment(
                "timecode",
                length,
                one.integer("OMFI:TCCP:StartTC"),
                one.unsigned("OMFI:TCCP:FPS", 25),
                bool(one.integer("OMFI:TCCP:Flags") & 1),
            )
        if what == "TRKR":
            return tree.ScopeReference(
                kind,
                length,
                one.integer("OMFI:TRKR:RelativeScope"),
                one.integer("OMFI:TRKR:RelativeTrack", rest=1),
            )
        effect = one.text("OMFI:CPNT:EffectID")
        word = OPERATIONS.get(effect.rpartition(":")[2].lower(), effect or "unknown")
        if what == "TRAN":
            word = (
                word
                if word in ("dissolve", "crossfade", "dip", "wipe")
                else "crossfade"
                if kind == "sound"
                else word
                if effect
                else "dissolve"
            )
            return tree.Transition(
                kind,
                length,
                one.integer("OMFI:TRAN:CutPoint"),
                tree.Operation(kind, length, word, name=effect),
            )
        if what in ("SPED", "REPT", "WARP", "MASK"):
            numerator, denominator = (
                one.integer("OMFI:SPED:Numerator", rest=1),
                one.integer("OMFI:SPED:Denominator", rest=1),
            )
            made = tree.Operation(
                kind, length, "speed" if what in ("SPED", "REPT") else what, tracks(), name=what
            )
            if what == "SPED" and numerator and denominator:
                made.parameters["speed-ratio"] = exact(denominator, numerator)
            return made
        if what == "SLCT":
            inside = tracks()
            chosen = one.integer("OMFI:SLCT:SelectedTrack")
            place = min(max(chosen - 1, 0), len(inside) - 1)
            return (
                tree.Selector(kind, length, inside[place], inside[:place] + inside[place + 1 :])
                if inside
                else tree.Filler(kind, length)
            )
        if what in ("TRKG", "EFFE") or effect:
            return tree.Operation(kind, length, word, tracks(), name=effect)
        return tree.Unknown(kind, length, what=what or "object without a class")

    # ---- media

    def _descriptor(self, one: Object | None) -> tree.Descriptor:
        if one is None:
            return tree.Descriptor("file")
        what = one.kind
        old = {2: "MDTP", 3: "MDFM"}.get(one.integer("OMFI:MDES:MobKind")) if self.old else None
        if what == "MDTP" or old == "MDTP":
            return tree.Descriptor("tape")
        if what == "MDFM" or old == "MDFM":
            return tree.Descriptor("film")
        made = tree.Descriptor("file", locators=self._locators(one))
        rate = one.rational("OMFI:MDFL:SampleRate")
        if rate is not None and is_rate(rate):
            made.rate = Rate.of(rate)
        made.length = one.integer("OMFI:MDFL:Length") or None
        if what in ("AIFD", "WAVD"):
            made.sound, made.what = True, "aiff" if what == "AIFD" else "wave"
            made.summary = one.raw(f"OMFI:{what}:Summary", most=65536)
            self._summary(made)
        elif what in ("TIFD", "DIDD", "CDCI", "RGBA", "JPED"):
            made.picture = True
            made.width = one.integer("OMFI:DIDD:StoredWidth") or None
            made.height = one.integer("OMFI:DIDD:StoredHeight") or None
        return made

    def _summary(self, made: tree.Descriptor) -> None:
        facts = sound_facts(made.summary)
        if facts is not None:
            made.channels, made.sample_rate, made.bits = facts
        elif made.rate is not None and made.rate.fps >= 8000:
            made.sample_rate = int(made.rate.fps)

    def _locators(self, one: Object) -> list[str]:
        found = []
        for locator in one.references("OMFI:MDES:Locator")[:32]:
            text = locator.text(
                "OMFI:NETL:URLString",
                "OMFI:UNXL:PathName",
                "OMFI:WINL:PathName",
                "OMFI:DOSL:PathName",
                "OMFI:MACL:PathName",
                "OMFI:MACL:FileName",
                "OMFI:TXTL:Name",
            )
            if text:
                found.append(text)
        return found

    def _essence(self) -> None:
        for one in self.all.all():
            what = one.kind
            if what not in ("AIFC", "WAVE"):
                continue
            key = one.uid("OMFI:MDAT:MobID", f"OMFI:{what}:MobID")
            value = one.value(
                f"OMFI:{what}:AudioData", f"OMFI:{what}:Data", f"OMFI:{what}:ImageData", "OMFI:MDAT:Data"
            )
            # A place for samples in which none stand is no sound.
            if key and value is not None and value.size and key not in self.made.essence:
                self.made.essence[key] = tree.Essence(
                    key, "wave" if what == "WAVE" else "aiff", value.size, _opener(self.path, value)
                )


def _old_id(kind: str, label: int) -> int:
    return {"picture": 1, "sound": 2, "timecode": 3}.get(kind, 4) * 100_000 + label


def _opener(path: Path | None, value: Value) -> Any:
    def opened() -> BinaryIO:
        if path is None:
            return io.BytesIO()
        return io.BufferedReader(Segments(path, value.segments))

    return opened


class Segments(io.RawIOBase):
    """A value in several pieces of a file, as one file of bytes."""

    def __init__(self, path: Path, segments: list[tuple[int, int]]) -> None:
        self._file = path.open("rb")
        self._segments, self._place = segments, 0
        self._size = sum(length for _, length in segments)

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = 0) -> int:
        self._place = max(0, offset + (0 if whence == 0 else self._place if whence == 1 else self._size))
        return self._place

    def tell(self) -> int:
        return self._place

    def readinto(self, target: Any) -> int:
        at = 0
        for offset, length in self._segments:
            if self._place < at + length:
                self._file.seek(offset + self._place - at)
                data = self._file.read(min(len(target), at + length - self._place))
                target[: len(data)] = data
                self._place += len(data)
                return len(data)
            at += length
        return 0

    def close(self) -> None:
        self._file.close()
        super().close()


def essence_stream(path: Path, key: str) -> BinaryIO:
    """The bytes of the embedded sound of a file mob: a whole WAVE or AIFF file. Raises ``ReadError``."""
    found = tree_of(path).essence.get(key)
    if found is None:
        raise ReadError("its sound is not there", "", str(path))
    return found.open()
