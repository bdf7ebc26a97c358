"""A tree of mobs as an AAF file.

Everything is built detached and hung into the file last: appending to what already hangs there takes time
that grows with the square of the number of clips.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from aaf2.auid import AUID
from aaf2.mobid import MobID

from wexodos.formats.aaf import ids
from wexodos.formats.aaf.filling import filled
from wexodos.formats.aaf.quick import Quick
from wexodos.formats.aaf.storage import NewFile
from wexodos.formats.aaf.write_objects import fraction, mob_id, nearest_color, now, rate_of, set_up, tagged
from wexodos.formats.errors import WriteError
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.writing import mobs_of
from wexodos.formats.paths import locator_of
from wexodos.formats.spelling import Content, Sounding, Spelling
from wexodos.model import Document
from wexodos.timing import Exact, exact

_KIND = {"picture": "picture", "sound": "sound", "timecode": "Timecode", "metadata": "DescriptiveMetadata"}
_CLASSES = {"composition": "CompositionMob", "master": "MasterMob", "source": "SourceMob"}
_LAYOUTS = {"progressive": "FullFrame", "upper": "MixedFields", "lower": "MixedFields"}
_FADES = {"linear": "FadeLinearAmp", "equal-power": "FadeLinearPower"}


def write(document: Document, sequence_id: str, version: str, how: Spelling | None = None) -> bytes:
    """The structure of one sequence as an AAF file; sound that is to be embedded is described, its samples
    are left out."""
    return _built(mobs_of(document, sequence_id, how or Spelling()))


def write_to(path: Path, document: Document, sequence_id: str, version: str, how: Spelling) -> dict[str, str]:
    """Write one sequence with its embedded sound into a new file, samples going by in blocks; return the
    names of the sounds by their keys. Raises ``WriteError``."""
    structure = how.structure or _built(mobs_of(document, sequence_id, how))
    sounds = [one for channels in how.sounds.values() for one in channels.values() if one.path is None]
    total, done = sum(sound.size for sound in sounds) or 1, 0

    def told(count: int) -> None:
        nonlocal done
        done += count
        if how.progress is not None:
            how.progress("writing sound", done / total)

    try:
        return filled(path, structure, {sound.name: _content(sound) for sound in sounds}, told)
    except OSError as error:
        raise WriteError(f"{path}: cannot be written: {(error.strerror or str(error)).lower()}") from None


def _content(sound: Sounding) -> Content:
    bare = sound.form == "pcm"
    return Content(sound.frames * sound.bits // 8 if bare else sound.size, lambda: _bytes(sound))


def _built(made: tree.File) -> bytes:
    """A tree as a file; the streams of what is to be embedded are there and empty."""
    file = NewFile()
    used: set[str] = set()
    for mob in made.mobs.values():
        for slot in mob.slots:
            used.update(_operations(slot.segment))
    set_up(file, used)
    maker = _Maker(file, made)
    maker.mobs()
    for key in made.sounds:
        maker.essence(key)
    return file.written()


def _bytes(sound: Sounding) -> Iterator[bytes]:
    assert sound.blocks is not None
    if sound.form != "pcm":
        yield sound.head
    yield from sound.blocks()
    if sound.form != "pcm":
        yield sound.tail


def _operations(segment: tree.Segment) -> Iterator[str]:
    stack = [segment]
    while stack:
        one = stack.pop()
        if isinstance(one, tree.Operation):
            yield one.op
        stack.extend(tree.inside(one))


class _Maker:
    def __init__(self, file: Any, made: tree.File) -> None:
        self.file, self.made = file, made
        self.ids = {key: mob_id(key) for key in made.mobs}
        self.nowhere = MobID()
        self.quick = Quick(file)
        self.kinds = {kind: file.dictionary.lookup_datadef(kind) for kind in set(_KIND.values())}
        self.operations: dict[str, Any] = {}
        self.laws = {
            one: file.dictionary.lookup_interperlationdef(AUID(one)) for one in (ids.LINEAR, ids.CONSTANT)
        }
        self.containers = {one: file.dictionary.lookup_containerdef(one) for one in ("AAF", "External")}
        self.moment = now()

    def mobs(self) -> None:
        order = {"source": 0, "master": 1, "composition": 2}
        for mob in sorted(self.made.mobs.values(), key=lambda one: order[one.kind]):
            self.file.content.mobs.append(self.mob(mob))

    def mob(self, mob: tree.Mob) -> Any:
        made, put = self.quick.new(_CLASSES[mob.kind]), self.quick.put
        put(made, "Name", mob.name or "Mob")
        put(made, "MobID", self.ids[mob.id])
        put(made, "CreationTime", self.moment)
        put(made, "LastModified", self.moment)
        put(made, "Slots", [self.slot(slot) for slot in mob.slots])
        if mob.usage == "top":
            made.usage = "Usage_TopLevel"
        if mob.descriptor is not None:
            put(made, "EssenceDescription", self.descriptor(mob.descriptor, mob))
        if mob.comments:
            made["UserComments"].value = [
                tagged(self.quick, key, str(value)) for key, value in mob.comments.items()
            ]
        return made

    def slot(self, slot: tree.Slot) -> Any:
        if isinstance(slot.segment, tree.Sequence) and slot.segment.kind == "metadata":
            made = self.file.create.EventMobSlot(slot.id)
            made["EditRate"].value = rate_of(slot.rate)
            made["PhysicalTrackNumber"].value = slot.number or 1
            row = self.file.create.Sequence(media_kind="DescriptiveMetadata")
            row["Components"].value = [
                self.marker(one) for one in slot.segment.parts if isinstance(one, tree.MarkerEvent)
            ]
            made.segment = row
            return made
        made, put = self.quick.new("TimelineMobSlot"), self.quick.put
        put(made, "SlotID", slot.id)
        # Some readers want a name where the format wants none.
        put(made, "SlotName", slot.name or "")
        put(made, "Origin", 0)
        put(made, "EditRate", rate_of(slot.rate))
        put(made, "PhysicalTrackNumber", slot.number)
        put(made, "Segment", self.segment(slot.segment))
        return made

    def component(self, name: str, kind: str, length: int) -> Any:
        """What every piece of a track has."""
        made = self.quick.new(name)
        self.quick.put(made, "DataDefinition", self.kinds[kind])
        self.quick.put(made, "Length", length)
        return made

    def marker(self, one: tree.MarkerEvent) -> Any:
        made = self.file.create.DescriptiveMarker()
        made["Position"].value = int(one.start)
        # Who reads only one of both fields sees the words; which they were is told apart by a note of ours.
        comment = one.comment or one.name
        made["Comment"].value = comment
        made["DescribedSlots"].value = set(one.slots)
        made["CommentMarkerUser"].value = one.name
        notes: list[tuple[str, str | int]] = [("_ATN_CRM_COM", comment), ("_ATN_CRM_USER", one.name)]
        if comment != one.comment:
            notes.append((ids.NAME_ONLY, 1))
        if not one.color:
            notes.append((ids.COLOR_UNSAID, 1))
        color = one.color or ids.PLAIN_COLOR
        parts = [int(color[place : place + 2], 16) * 257 for place in (1, 3, 5)]
        made["CommentMarkerColor"].value = dict(zip(("red", "green", "blue"), parts))
        notes.append(("_ATN_CRM_COLOR", nearest_color(color)))
        notes.append(("_ATN_CRM_LENGTH", max(1, one.span)))
        made["CommentMarkerAttributeList"].value = [tagged(self.quick, key, value) for key, value in notes]
        return made

    # ---- segments

    def segment(self, one: tree.Segment) -> Any:
        made = self._segment(one)
        if one.attributes:
            made["ComponentAttributeList"].value = [
                tagged(self.quick, key, value) for key, value in one.attributes.items()
            ]
        if one.comments:
            made["UserComments"].value = [
                tagged(self.quick, key, str(value)) for key, value in one.comments.items()
            ]
        return made

    def _segment(self, one: tree.Segment) -> Any:
        create, kind, length = self.file.create, _KIND[one.kind], int(one.length)
        if isinstance(one, tree.Filler):
            return self.component("Filler", kind, length)
        if isinstance(one, tree.SourceClip):
            return self._clip(one, kind, length)
        if isinstance(one, tree.TimecodeSegment):
            made = create.Timecode(fps=one.fps, drop=one.drop, length=length)
            made.start = one.start
            return made
        if isinstance(one, tree.Sequence):
            length = sum(
                int(-part.length if isinstance(part, tree.Transition) else part.length) for part in one.parts
            )
            made = self.component("Sequence", kind, length)
            self.quick.put(made, "Components", [self.segment(part) for part in one.parts])
            return made
        if isinstance(one, tree.Transition):
            made = self.component("Transition", kind, length)
            self.quick.put(made, "OperationGroup", self.segment(one.effect))
            self.quick.put(made, "CutPoint", int(one.cut))
            return made
        if isinstance(one, tree.Operation):
            return self._operation(one, kind, length)
        if isinstance(one, tree.NestedScope):
            made = self.component("NestedScope", kind, length)
            self.quick.put(made, "Slots", [self.segment(part) for part in one.slots])
            return made
        if isinstance(one, tree.Selector):
            made = create.Selector(media_kind=kind, length=length)
            made["Selected"].value = self.segment(one.selected)
            for part in one.alternates:
                made["Alternates"].append(self.segment(part))
            return made
        raise WriteError(f"{type(one).__name__} is not written")

    def _operation(self, one: tree.Operation, kind: str, length: int) -> Any:
        if one.op not in self.operations:
            self.operations[one.op] = self.file.dictionary.lookup_operationdef(AUID(ids.operation_id(one.op)))
        made, put = self.component("OperationGroup", kind, length), self.quick.put
        put(made, "Operation", self.operations[one.op])
        if one.parameters:
            put(made, "Parameters", [self.parameter(word, value) for word, value in one.parameters.items()])
        if one.inputs:
            put(made, "InputSegments", [self.segment(part) for part in one.inputs])
        return made

    def _clip(self, one: tree.SourceClip, kind: str, length: int) -> Any:
        made, put = self.component("SourceClip", kind, length), self.quick.put
        put(made, "StartTime", int(one.start))
        put(made, "SourceID", self.ids[one.mob] if one.mob else self.nowhere)
        put(made, "SourceMobSlotID", one.slot if one.mob else 0)
        for side, fade in (("In", one.fade_in), ("Out", one.fade_out)):
            if fade is not None:
                made[f"Fade{side}Length"].value = int(fade[0])
                made[f"Fade{side}Type"].value = _FADES[fade[1]]
        return made

    def parameter(self, word: str, value: tree.Value) -> Any:
        put, put_typed = self.quick.put, self.quick.put_typed
        if not isinstance(value, tree.Varying):
            kind = ids.parameter_type(word)
            plain: Any = (
                fraction(value) if kind == "Rational" else str(value) if kind == "aafString" else int(value)
            )
            made = self.quick.new("ConstantValue")
            put(made, "Definition", AUID(ids.parameter_id(word)))
            put_typed(made, "Value", bool(plain) if kind == "Boolean" else plain, kind)
            return made
        made = self.quick.new("VaryingValue")
        put(made, "Definition", AUID(ids.parameter_id(word)))
        put(made, "Interpolation", self.laws[ids.CONSTANT if value.law == "constant" else ids.LINEAR])
        points = []
        for point in value.points:
            control = self.quick.new("ControlPoint")
            put(control, "Time", fraction(point.time))
            exact_value = point.exact if point.exact is not None else point.value
            put_typed(control, "Value", fraction(exact_value), "Rational")
            put(control, "EditHint", "RelativeFixed" if value.unit == "frames" else "Proportional")
            points.append(control)
        put(made, "PointList", points)
        return made

    # ---- media

    def descriptor(self, told: tree.Descriptor, mob: tree.Mob) -> Any:
        create = self.file.create
        if told.role == "tape":
            return self.quick.new("TapeDescriptor")
        if told.role == "import":
            return create.ImportDescriptor()
        embedded = mob.id in self.made.sounds
        if told.picture and told.sound:
            made = create.MultipleDescriptor()
            self._file(made, told, embedded)
            parts = [self._picture(told), self._pcm(told)]
            made["FileDescriptors"].value = parts
        elif told.picture:
            made = self._picture(told)
        elif told.summary:
            # A whole file lies there, inside or beside: its own head says what it holds.
            made = self.quick.new("AIFCDescriptor" if told.what == "aiff" else "WAVEDescriptor")
            self._file(made, told, embedded)
            made["Summary"].value = bytearray(told.summary)
        else:
            made = self._pcm(told, embedded)
        for place in told.locators:
            locator = create.NetworkLocator()
            locator["URLString"].value = locator_of(place)
            made["Locator"].append(locator)
        return made

    def _file(self, made: Any, told: tree.Descriptor, embedded: bool) -> None:
        if told.rate is not None:
            self.quick.put(made, "SampleRate", rate_of(told.rate))
        self.quick.put(made, "Length", int(told.length or 0))
        self.quick.put(made, "ContainerFormat", self.containers["AAF" if embedded else "External"])

    def _picture(self, told: tree.Descriptor) -> Any:
        made = self.quick.new("CDCIDescriptor")
        self._file(made, told, False)
        width, height = told.width or 0, told.height or 0
        values = {
            "StoredWidth": width,
            "StoredHeight": height,
            "SampledWidth": width,
            "SampledHeight": height,
            "DisplayWidth": width,
            "DisplayHeight": height,
            "FrameLayout": _LAYOUTS.get(told.field_order or "progressive", "FullFrame"),
            "VideoLineMap": [42, 0],
            "ImageAspectRatio": fraction(_aspect(told)),
            "ComponentWidth": 8,
            "HorizontalSubsampling": 2,
        }
        for key, value in values.items():
            self.quick.put(made, key, value)
        if told.field_order in ("upper", "lower"):
            self.quick.put(made, "FieldDominance", 1 if told.field_order == "upper" else 2)
        return made

    def _pcm(self, told: tree.Descriptor, embedded: bool = False) -> Any:
        made = self.quick.new("PCMDescriptor")
        rate = told.sample_rate or 48000
        length = told.length or 0
        if told.rate is not None and told.picture:
            length = round(rate * told.rate.seconds(length))
        self._file(made, told, embedded)
        self.quick.put(made, "SampleRate", fraction(rate))
        self.quick.put(made, "Length", int(length))
        channels, bits = told.channels or 1, told.bits or 24
        for key, value in (
            ("AudioSamplingRate", fraction(rate)),
            ("Channels", channels),
            ("QuantizationBits", bits),
            ("BlockAlign", channels * bits // 8),
            ("AverageBPS", rate * channels * bits // 8),
            ("Locked", False),
        ):
            self.quick.put(made, key, value)
        return made

    def essence(self, key: str) -> None:
        """A place for the samples of a file."""
        made = self.file.create.EssenceData()
        made.mob_id = self.ids[key]
        self.file.content.essencedata.append(made)
        made.open("w")


def _aspect(told: tree.Descriptor) -> Exact:
    if not told.width or not told.height:
        return 1
    return exact((told.pixel_aspect or 1) * told.width, told.height)
