"""A tree of mobs as an AAF file.

Everything is built detached and hung into the file last: appending to what already hangs there takes time
that grows with the square of the number of clips.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import aaf2
from aaf2.auid import AUID
from aaf2.mobid import MobID

from wexodos.formats.aaf import ids
from wexodos.formats.aaf.streams import write_stream
from wexodos.formats.aaf.write_objects import fraction, mob_id, nearest_color, now, rate_of, set_up, tagged
from wexodos.formats.errors import WriteError
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.writing import mobs_of
from wexodos.formats.paths import locator_of
from wexodos.formats.spelling import Spelling
from wexodos.model import Document
from wexodos.timing import Exact, exact

_KIND = {"picture": "picture", "sound": "sound", "timecode": "Timecode", "metadata": "DescriptiveMetadata"}
_CLASSES = {"composition": "CompositionMob", "master": "MasterMob", "source": "SourceMob"}
_LAYOUTS = {"progressive": "FullFrame", "upper": "MixedFields", "lower": "MixedFields"}
_FADES = {"linear": "FadeLinearAmp", "equal-power": "FadeLinearPower"}


def write(document: Document, sequence_id: str, version: str, how: Spelling | None = None) -> bytes:
    """The structure of one sequence as an AAF file; sound that is to be embedded is described, its samples
    are left out."""
    made = mobs_of(document, sequence_id, how or Spelling())
    file = aaf2.open()
    _fill(file, made, None)
    file.save()
    file.manager.remove_temp()
    file.cfb.close()
    data: bytes = file.f.getvalue()
    return data


def write_to(path: Path, document: Document, sequence_id: str, version: str, how: Spelling) -> None:
    """Write one sequence with its embedded sound into a new file, samples going by in blocks. Raises
    ``WriteError``."""
    made = mobs_of(document, sequence_id, how)
    try:
        with aaf2.open(str(path), "w") as file:
            _fill(file, made, how)
    except OSError as error:
        raise WriteError(f"{path}: cannot be written: {(error.strerror or str(error)).lower()}") from None


def _fill(file: Any, made: tree.File, how: Spelling | None) -> None:
    """Hang a tree into an empty file; ``how`` also asks for the samples of what is embedded."""
    used: set[str] = set()
    for mob in made.mobs.values():
        for slot in mob.slots:
            used.update(_operations(slot.segment))
    set_up(file, used)
    maker = _Maker(file, made)
    maker.mobs()
    if how is None:
        return
    total = sum(sound.size for sound in made.sounds.values()) or 1
    done = 0
    for key, sound in made.sounds.items():
        if sound.blocks is None:
            continue
        size = sound.frames * sound.bits // 8 if sound.form == "pcm" else sound.size
        for length in write_stream(maker.essence(key).open("w"), size, _bytes(sound)):
            done += length
            if how.progress is not None:
                how.progress("writing sound", done / total)


def _bytes(sound: Any) -> Iterator[bytes]:
    if sound.blocks is None:
        return
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

    def mobs(self) -> None:
        order = {"source": 0, "master": 1, "composition": 2}
        for mob in sorted(self.made.mobs.values(), key=lambda one: order[one.kind]):
            self.file.content.mobs.append(self.mob(mob))

    def mob(self, mob: tree.Mob) -> Any:
        made = getattr(self.file.create, _CLASSES[mob.kind])(mob.name)
        made.mob_id = self.ids[mob.id]
        made["CreationTime"].value = made["LastModified"].value = now()
        if mob.usage == "top":
            made.usage = "Usage_TopLevel"
        if mob.descriptor is not None:
            made.descriptor = self.descriptor(mob.descriptor, mob)
        for slot in mob.slots:
            made.slots.append(self.slot(slot))
        if mob.comments:
            made["UserComments"].value = [
                tagged(self.file, key, str(value)) for key, value in mob.comments.items()
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
        made = self.file.create.TimelineMobSlot(slot.id, edit_rate=rate_of(slot.rate))
        if slot.name:
            made.name = slot.name
        made["PhysicalTrackNumber"].value = slot.number
        made.segment = self.segment(slot.segment)
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
        made["CommentMarkerAttributeList"].value = [tagged(self.file, key, value) for key, value in notes]
        return made

    # ---- segments

    def segment(self, one: tree.Segment) -> Any:
        made = self._segment(one)
        if one.attributes:
            made["ComponentAttributeList"].value = [
                tagged(self.file, key, value) for key, value in one.attributes.items()
            ]
        if one.comments:
            made["UserComments"].value = [
                tagged(self.file, key, str(value)) for key, value in one.comments.items()
            ]
        return made

    def _segment(self, one: tree.Segment) -> Any:
        create, kind, length = self.file.create, _KIND[one.kind], int(one.length)
        if isinstance(one, tree.Filler):
            return create.Filler(kind, length)
        if isinstance(one, tree.SourceClip):
            return self._clip(one, kind, length)
        if isinstance(one, tree.TimecodeSegment):
            made = create.Timecode(fps=one.fps, drop=one.drop, length=length)
            made.start = one.start
            return made
        if isinstance(one, tree.Sequence):
            made = create.Sequence(media_kind=kind)
            made["Components"].value = [self.segment(part) for part in one.parts]
            made.length = sum(
                int(-part.length if isinstance(part, tree.Transition) else part.length) for part in one.parts
            )
            return made
        if isinstance(one, tree.Transition):
            made = create.Transition(media_kind=kind, length=length)
            made["OperationGroup"].value = self.segment(one.effect)
            made.cutpoint = int(one.cut)
            return made
        if isinstance(one, tree.Operation):
            made = create.OperationGroup(AUID(ids.operation_id(one.op)), length=length, media_kind=kind)
            for word, value in one.parameters.items():
                made.parameters.append(self.parameter(word, value))
            for part in one.inputs:
                made.segments.append(self.segment(part))
            return made
        if isinstance(one, tree.NestedScope):
            made = create.NestedScope(media_kind=kind, length=length)
            made["Slots"].value = [self.segment(part) for part in one.slots]
            return made
        if isinstance(one, tree.Selector):
            made = create.Selector(media_kind=kind, length=length)
            made["Selected"].value = self.segment(one.selected)
            for part in one.alternates:
                made["Alternates"].append(self.segment(part))
            return made
        raise WriteError(f"{type(one).__name__} is not written")

    def _clip(self, one: tree.SourceClip, kind: str, length: int) -> Any:
        target = self.ids[one.mob] if one.mob else MobID()
        made = self.file.create.SourceClip(
            start=int(one.start),
            length=length,
            mob_id=target,
            slot_id=one.slot if one.mob else 0,
            media_kind=kind,
        )
        for side, fade in (("In", one.fade_in), ("Out", one.fade_out)):
            if fade is not None:
                made[f"Fade{side}Length"].value = int(fade[0])
                made[f"Fade{side}Type"].value = _FADES[fade[1]]
        return made

    def parameter(self, word: str, value: tree.Value) -> Any:
        auid, create = AUID(ids.parameter_id(word)), self.file.create
        if not isinstance(value, tree.Varying):
            kind = ids.parameter_type(word)
            plain: Any = (
                fraction(value) if kind == "Rational" else str(value) if kind == "aafString" else int(value)
            )
            return create.ConstantValue(auid, bool(plain) if kind == "Boolean" else plain)
        made = create.VaryingValue(auid, AUID(ids.CONSTANT if value.law == "constant" else ids.LINEAR))
        points = []
        for point in value.points:
            control = create.ControlPoint()
            control["Time"].value = fraction(point.time)
            control["Value"].add_pid_entry()
            control["Value"].data = control["Value"].typedef.encode(
                fraction(point.exact if point.exact is not None else point.value), "Rational"
            )
            control["Value"].mark_modified()
            control["EditHint"].value = "RelativeFixed" if value.unit == "frames" else "Proportional"
            points.append(control)
        made["PointList"].value = points
        return made

    # ---- media

    def descriptor(self, told: tree.Descriptor, mob: tree.Mob) -> Any:
        create = self.file.create
        if told.role == "tape":
            return create.TapeDescriptor()
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
            made = create.AIFCDescriptor() if told.what == "aiff" else create.WAVEDescriptor()
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
            made["SampleRate"].value = rate_of(told.rate)
        made["Length"].value = int(told.length or 0)
        made["ContainerFormat"].value = self.file.dictionary.lookup_containerdef(
            "AAF" if embedded else "External"
        )

    def _picture(self, told: tree.Descriptor) -> Any:
        made = self.file.create.CDCIDescriptor()
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
            made[key].value = value
        if told.field_order in ("upper", "lower"):
            made["FieldDominance"].value = 1 if told.field_order == "upper" else 2
        return made

    def _pcm(self, told: tree.Descriptor, embedded: bool = False) -> Any:
        made = self.file.create.PCMDescriptor()
        rate = told.sample_rate or 48000
        length = told.length or 0
        if told.rate is not None and told.picture:
            length = round(rate * told.rate.seconds(length))
        self._file(made, told, embedded)
        made["SampleRate"].value = fraction(rate)
        made["Length"].value = int(length)
        channels, bits = told.channels or 1, told.bits or 24
        for key, value in (
            ("AudioSamplingRate", fraction(rate)),
            ("Channels", channels),
            ("QuantizationBits", bits),
            ("BlockAlign", channels * bits // 8),
            ("AverageBPS", rate * channels * bits // 8),
            ("Locked", False),
        ):
            made[key].value = value
        return made

    def essence(self, key: str) -> Any:
        made = self.file.create.EssenceData()
        made.mob_id = self.ids[key]
        self.file.content.essencedata.append(made)
        return made


def _aspect(told: tree.Descriptor) -> Exact:
    if not told.width or not told.height:
        return 1
    return exact((told.pixel_aspect or 1) * told.width, told.height)
