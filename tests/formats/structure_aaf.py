"""A strict look at an AAF file: what its format asks of one, whoever wrote it. Knows nothing of our reader; its
objects are the library's, ``quickly`` on a container of ours, which ``test_stored`` holds against the library's own."""

from __future__ import annotations

import io
import struct
import tempfile
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import aaf2

from wexodos.formats.aaf.stored import StoredFile

NOUGHT = "00000000-0000-0000-0000-000000000000"
SPEED = "9d2ea890-0968-11d3-8a38-0050040ef7d2"
PICTURE, SOUND, CODE, EVENTS = (
    "01030202-0100-0000-060e-2b3404010101",
    "01030202-0200-0000-060e-2b3404010101",
    "01030201-0100-0000-060e-2b3404010101",
    "01030201-1000-0000-060e-2b3404010101",
)


def faults_of_aaf(data: bytes | Path, with_essence: bool = False, quickly: bool = False) -> list[str]:
    """What is wrong with a file, a sentence each, with its place; ``with_essence``: samples that are to be
    embedded must be there."""
    if quickly:
        with StoredFile(io.BytesIO(data) if isinstance(data, bytes) else data.open("rb")) as file:
            return list(_Look(file, with_essence).all())
    if isinstance(data, bytes):
        with tempfile.NamedTemporaryFile(suffix=".aaf") as held:
            held.write(data)
            held.flush()
            return faults_of_aaf(Path(held.name), with_essence)
    with aaf2.open(str(data), "r") as file:
        return list(_Look(file, with_essence).all())


class _Look:
    def __init__(self, file: Any, with_essence: bool) -> None:
        self.file, self.with_essence = file, with_essence
        self.mobs = {str(mob.mob_id): mob for mob in file.content.mobs}
        self.slots = {(key, int(slot.slot_id)): slot for key, mob in self.mobs.items() for slot in mob.slots}
        self.operations = {str(one.auid): one for one in file.dictionary["OperationDefinitions"].value}
        self.parameters = {
            str(one.auid): one for one in (file.dictionary["ParameterDefinitions"].value or ())
        }
        self.essence = {str(one.mob_id): one for one in file.content.essencedata}

    def all(self) -> Iterator[str]:
        header = self.file.header
        for name in ("ByteOrder", "LastModified", "Version", "IdentificationList", "OperationalPattern"):
            if _of(header, name) is None:
                yield f"header: no {name}"
        for one in _of(header, "IdentificationList") or ():
            for name in ("CompanyName", "ProductName", "ProductVersionString", "ProductID", "Date"):
                if not _of(one, name):
                    yield f"identification: no {name}"
        if len(self.mobs) != len(list(self.file.content.mobs)):
            yield "two mobs of one id"
        tops = [mob for mob in self.mobs.values() if "TopLevel" in str(_of(mob, "UsageCode"))]
        if len(tops) != 1 or tops[0].classdef.class_name != "CompositionMob":
            yield f"{len(tops)} compositions at the top"
        for mob in tops:
            yield from self.composition(mob)
        for key, mob in self.mobs.items():
            where = f"{mob.classdef.class_name} {mob.name!r}"
            yield from (f"{where}: {one}" for one in self.mob(mob, key))
        for key in self.essence:
            if key not in self.mobs or _of(self.mobs[key], "EssenceDescription") is None:
                yield f"essence {key} belongs to no file"

    def composition(self, mob: Any) -> Iterator[str]:
        codes = [
            slot
            for slot in mob.slots
            if _auid(slot.segment) == CODE and _of(slot, "PhysicalTrackNumber") == 1
        ]
        if len(codes) != 1:
            yield f"composition: {len(codes)} timecode slots of number 1"
        spans = set()
        for slot in mob.slots:
            if _auid(slot.segment) in (PICTURE, SOUND):
                spans.add(Fraction(_of(slot.segment, "Length")) / _rate(slot))
        frame = 1 / _rate(codes[0]) if codes else Fraction(1)
        if spans and max(spans) - min(spans) > frame:
            yield f"composition: tracks of {float(min(spans))} to {float(max(spans))} s"
        for kind in (PICTURE, SOUND):
            numbers = [_of(slot, "PhysicalTrackNumber") for slot in mob.slots if _auid(slot.segment) == kind]
            if numbers != list(range(1, len(numbers) + 1)):
                yield f"composition: tracks numbered {numbers}"

    def mob(self, mob: Any, key: str) -> Iterator[str]:
        for name in ("CreationTime", "LastModified"):
            if _of(mob, name) is None:
                yield f"no {name}"
        if not mob.name:
            yield "no name"
        ids = [slot.slot_id for slot in mob.slots]
        if len(set(ids)) != len(ids) or not ids or min(ids) < 1:
            yield f"slots {ids}"
        if mob.classdef.class_name == "SourceMob":
            told = _of(mob, "EssenceDescription")
            if told is None:
                yield "no descriptor"
            else:
                yield from self.medium(told, mob, key)
        for slot in mob.slots:
            if slot.segment is None:
                yield f"slot {slot.slot_id}: no segment"
                continue
            rate = _rate(slot)
            if rate <= 0:
                yield f"slot {slot.slot_id}: edit rate {rate}"
                continue
            if slot.classdef.class_name == "TimelineMobSlot" and _of(slot, "Origin") is None:
                yield f"slot {slot.slot_id}: no origin"
            where = f"slot {slot.slot_id}"
            if _auid(slot.segment) == EVENTS:
                yield from (f"{where}: {one}" for one in self.events(slot, ids))
            else:
                end = mob.classdef.class_name == "SourceMob"
                yield from (f"{where}: {one}" for one in self.segment(slot.segment, rate, end))

    def events(self, slot: Any, ids: list[int]) -> Iterator[str]:
        before = -1
        for one in _of(slot.segment, "Components") or ():
            place = _of(one, "Position")
            if place is None or place < before:
                yield f"a marker at {place} after {before}"
            before = place or 0
            if not set(_of(one, "DescribedSlots") or ()) <= set(ids) or not _of(one, "DescribedSlots"):
                yield "a marker that describes no slot"
            notes = {
                str(_of(note, "Name")): _of(note, "Value")
                for note in _of(one, "CommentMarkerAttributeList") or ()
            }
            if _of(one, "CommentMarkerColor") is None or not notes.get("_ATN_CRM_COLOR"):
                yield "a marker without colour"
            if not isinstance(notes.get("_ATN_CRM_LENGTH"), int) or notes["_ATN_CRM_LENGTH"] < 1:
                yield "a marker without length"
            if _of(one, "CommentMarkerUser") and not _of(one, "Comment"):
                yield "a marker whose words stand in the user's field alone"

    # ---- segments

    def segment(self, one: Any, rate: Fraction, source: bool) -> Iterator[str]:
        kind, length = one.classdef.class_name, _of(one, "Length")
        if _of(one, "DataDefinition") is None:
            yield f"{kind}: no data definition"
        if not isinstance(length, int) or length < 0:
            yield f"{kind}: length {length}"
            return
        inside: list[Any] = []
        if kind == "Sequence":
            inside = list(one.components)
            parts = [(part.classdef.class_name == "Transition", _of(part, "Length") or 0) for part in inside]
            yield from row_faults(parts, length)
        elif kind == "Transition":
            if not 0 <= _of(one, "CutPoint") <= length:
                yield f"a transition cut at {_of(one, 'CutPoint')} of {length}"
            effect = _of(one, "OperationGroup")
            if _of(effect, "Length") != length or list(effect.segments):
                yield "a transition whose effect is of another length, or has inputs"
            yield from self.operation(effect, length, True)
        elif kind == "OperationGroup":
            yield from self.operation(one, length, False)
            inside = list(one.segments)
        elif kind == "NestedScope":
            inside = list(_of(one, "Slots"))
            if not inside or any(_of(part, "Length") != length for part in inside):
                yield f"a stack of {length} holds {[_of(part, 'Length') for part in inside]}"
        elif kind == "Selector":
            inside = [_of(one, "Selected"), *_of(one, "Alternates")]
            if any(_of(part, "Length") != length for part in inside):
                yield f"a choice of {length} among {[_of(part, 'Length') for part in inside]}"
        elif kind == "Timecode":
            start, fps, drop = (_of(one, name) for name in ("Start", "FPS", "Drop"))
            if start is None or start < 0 or not fps or (drop and fps % 30):
                yield f"timecode {start} at {fps}, drop {drop}"
        elif kind == "SourceClip":
            yield from self.clip(one, rate, length, source)
        elif kind not in ("Filler", "ScopeReference"):
            yield f"a {kind}"
        for part in inside:
            yield from self.segment(part, rate, source)

    def operation(self, one: Any, length: int, joins: bool) -> Iterator[str]:
        auid = str(one.operation.auid)
        told = self.operations.get(auid)
        if told is None:
            yield f"operation {auid} is not in the dictionary"
            return
        name, inputs = told.name, list(one.segments)
        warps = bool(_of(told, "IsTimeWarp"))
        wanted = _of(told, "NumberInputs")
        if not joins and wanted not in (-1, len(inputs)):
            yield f"{name}: {len(inputs)} inputs of {wanted}"
        if not warps and any(_of(part, "Length") != length for part in inputs):
            yield f"{name}: {length} over {[_of(part, 'Length') for part in inputs]}"
        known = {str(part.auid) for part in _of(told, "ParametersDefined") or ()}
        for parameter in one.parameters:
            key = str(parameter.auid)
            if key not in known or key not in self.parameters:
                yield f"{name}: parameter {key} is not defined"
            points = _of(parameter, "PointList")
            if points is None:
                if parameter.value is None:
                    yield f"{name}: a parameter without a value"
                continue
            times = [Fraction(_of(point, "Time")) for point in points]
            if not times or any(a >= b for a, b in zip(times, times[1:])):
                yield f"{name}: control points at {times}"
            frames = {str(_of(point, "EditHint")) for point in points} != {"Proportional"}
            if times and not (times[0] >= 0 and times[-1] <= (length if frames else 1)):
                yield f"{name}: control points {times[0]} to {times[-1]}"
            if _of(parameter, "Interpolation") is None:
                yield f"{name}: no interpolation"
        if auid == SPEED and not any(
            str(part.auid) == "72559a80-24d7-11d3-8a50-0050040ef7d2" for part in one.parameters
        ):
            yield "a speed without its ratio"

    def clip(self, one: Any, rate: Fraction, length: int, source: bool) -> Iterator[str]:
        start, slot, key = _of(one, "StartTime"), _of(one, "SourceMobSlotID"), str(one.mob_id)
        fades = [_of(one, f"Fade{side}Length") or 0 for side in ("In", "Out")]
        if min(fades) < 0 or sum(fades) > length:
            yield f"fades of {fades} on a clip of {length}"
        if one.mob_id.int == 0:
            if slot or start or not source:
                yield f"a clip of nothing: slot {slot}, start {start}"
            return
        if key not in self.mobs:
            yield f"a clip of a mob that is not there: {key}"
            return
        target = self.slots.get((key, int(slot)))
        if target is None:
            yield f"{self.mobs[key].name!r} has no slot {slot}"
            return
        if _auid(target.segment) != _auid(one):
            yield f"{self.mobs[key].name!r}: slot {slot} is of another kind"
        there = _rate(target)
        whole = Fraction(_of(target.segment, "Length"))
        slack = max(Fraction(1), there / rate)
        first, last = start * there / rate, (start + length) * there / rate
        if first < 0 or last >= whole + slack:
            yield f"{self.mobs[key].name!r}: {float(first)} to {float(last)} of {whole}"

    # ---- descriptors

    def medium(self, one: Any, mob: Any, key: str) -> Iterator[str]:
        kind = one.classdef.class_name
        for place in _of(one, "Locator") or ():
            if not _of(place, "URLString"):
                yield "a locator of nothing"
        if kind in ("TapeDescriptor", "ImportDescriptor", "FilmDescriptor"):
            return
        rate, length = Fraction(_of(one, "SampleRate") or 0), _of(one, "Length")
        if rate <= 0 or not length or length < 1:
            yield f"{kind}: {length} at {rate}"
            return
        if _of(one, "ContainerFormat") is None:
            yield f"{kind}: no container"
        for slot in mob.slots:
            span = Fraction(_of(slot.segment, "Length")) / _rate(slot)
            if abs(span - length / rate) > max(1 / rate, 1 / _rate(slot)):
                yield f"{kind}: {float(length / rate)} s, its slot {slot.slot_id} {float(span)} s"
        if kind == "MultipleDescriptor":
            inside = list(_of(one, "FileDescriptors") or ())
            if len(inside) < 2:
                yield "a descriptor of several describes one"
            for part in inside:
                yield from self.described(part, mob, key)
        else:
            yield from self.described(one, mob, key)

    def described(self, one: Any, mob: Any, key: str) -> Iterator[str]:
        kind, length = one.classdef.class_name, _of(one, "Length")
        stream = self.essence.get(key)
        if kind == "CDCIDescriptor":
            for name in ("Stored", "Sampled", "Display"):
                if not _of(one, f"{name}Width") or not _of(one, f"{name}Height"):
                    yield f"{name} size {_of(one, f'{name}Width')} x {_of(one, f'{name}Height')}"
            for name in ("FrameLayout", "VideoLineMap", "ComponentWidth", "HorizontalSubsampling"):
                if not _of(one, name):
                    yield f"picture: no {name}"
            if Fraction(_of(one, "ImageAspectRatio") or 0) <= 0:
                yield "picture: no aspect"
            return
        data = _bytes(stream) if stream is not None else None
        if kind == "PCMDescriptor":
            rate, wide, bits = (
                int(_of(one, name) or 0) for name in ("AudioSamplingRate", "Channels", "QuantizationBits")
            )
            align, flow = _of(one, "BlockAlign"), _of(one, "AverageBPS")
            if Fraction(_of(one, "SampleRate")) != rate or wide < 1 or bits < 1:
                yield f"PCM: {rate}, {wide} channels, {bits} bits"
            if align != wide * -(-bits // 8) or flow != rate * align:
                yield f"PCM: {align} bytes a block, {flow} a second"
            sounding = [slot for slot in mob.slots if _auid(slot.segment) == SOUND]
            if len(sounding) != wide:
                yield f"PCM: {wide} channels, {len(sounding)} slots"
            if data is not None and self.with_essence and len(data) != length * align:
                yield f"PCM: {len(data)} bytes of {length * align}"
            if data is not None and data[:4] in (b"RIFF", b"FORM"):
                yield f"PCM: the stream is a whole file of {data[:4]!r}"
        elif kind in ("WAVEDescriptor", "AIFCDescriptor"):
            head = bytes(_of(one, "Summary") or b"")
            yield from (f"{kind}: {fault}" for fault in head_faults(head, kind[:4] == "WAVE", int(length)))
            if data is not None and self.with_essence:
                yield from (
                    f"{kind}, stream: {fault}"
                    for fault in head_faults(data, kind[:4] == "WAVE", int(length), True)
                )
        else:
            yield f"a {kind}"


def row_faults(parts: list[tuple[bool, int]], length: int) -> Iterator[str]:
    """The rules of what stands in a row (object specification, Sequence and Transition); each part: whether it is
    a transition, and its length."""
    if length != sum(-own if joins else own for joins, own in parts):
        yield f"a sequence of {length} whose parts are {parts[:8]}"
    for place, (joins, own) in enumerate(parts):
        before, after = parts[max(0, place - 1) : place], parts[place + 1 : place + 2]
        if not joins:
            beside = sum(there for one, there in (*before, *after) if one)
            if beside > own:
                yield f"transitions of {beside} around a part of {own}"
        elif own < 1 or not before or not after or before[0][0] or after[0][0]:
            yield f"a transition of {own} at an end, or beside another"


def head_faults(head: bytes, wave: bool, frames: int, whole: bool = False) -> list[str]:
    """What is wrong with the head of a sound file, or with a whole one, that should hold so many frames."""
    order = "<" if wave else ">"
    kinds = (b"RIFF", b"WAVE") if wave else (b"FORM", b"AIFC")
    if len(head) < 12 or (head[:4], head[8:12]) != kinds:
        return [f"it begins with {head[:12]!r}"]
    chunks: dict[bytes, tuple[int, bytes]] = {}
    place = 12
    while place + 8 <= len(head):
        name, size = head[place : place + 4], struct.unpack(order + "I", head[place + 4 : place + 8])[0]
        chunks[name] = (size, head[place + 8 : place + 8 + size])
        place += 8 + size + size % 2
    if wave:
        if b"fmt " not in chunks or b"data" not in chunks:
            return [f"it has {sorted(chunks)}"]
        _, wide, rate, flow, align, bits = struct.unpack_from("<HHIIHH", chunks[b"fmt "][1])
        size, held = chunks[b"data"]
        found = [] if size == frames * align else [f"{size} bytes of data for {frames} frames of {align}"]
        if align != wide * -(-bits // 8) or flow != rate * align:
            found.append(f"{wide} channels of {bits} bits in {align} bytes, {flow} a second")
    else:
        if not {b"FVER", b"COMM", b"SSND"} <= set(chunks):
            return [f"it has {sorted(chunks)}"]
        wide, count, bits = struct.unpack_from(">hIh", chunks[b"COMM"][1])
        size, held = chunks[b"SSND"]
        align = wide * -(-bits // 8)
        found = [] if count == frames else [f"{count} frames, not {frames}"]
        if size != frames * align + 8:
            found.append(f"{size} bytes of sound for {frames} frames of {align}")
    if whole and len(held) != size:
        found.append(f"{len(held)} bytes of {size}")
    return found


def _of(one: Any, name: str) -> Any:
    found = one.get(name)
    return None if found is None else found.value


def _rate(slot: Any) -> Fraction:
    return Fraction(_of(slot, "EditRate") or 0)


def _auid(segment: Any) -> str:
    return str(segment.datadef.auid)


def _bytes(stream: Any) -> bytes:
    return bytes(stream.open("r").read())
