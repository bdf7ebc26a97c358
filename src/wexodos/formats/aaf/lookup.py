"""Properties of the library's objects found by a table instead of by walking through all definitions of a
class each time."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from typing import Any

from aaf2.core import AAFObject

_local = threading.local()


def fresh() -> None:
    """Begin a new file: numbers of properties that are no part of the specification differ from file to
    file."""
    _local.numbers = {}
    _local.taken = {}
    _local.damaged = {}
    _local.place = ""


def at(place: str) -> None:
    """What is read from here on stands at this place; damage is told with it."""
    _local.place = place


def damaged(thing: Any, name: str) -> None:
    """A property stands there and cannot be read."""
    kind = getattr(getattr(thing, "classdef", None), "class_name", type(thing).__name__)
    _local.damaged.setdefault((kind, name), []).append(_local.place)


def damage() -> Iterator[tuple[str, str, list[str]]]:
    """Class, name of the property and the places of all that could not be read."""
    for (kind, name), places in _local.damaged.items():
        yield kind, name, places


def left() -> Iterator[tuple[str, str, Any]]:
    """What stands in the objects that were asked for anything, and that nobody asked for: class, name of the
    property, its value. Objects nobody came to hang on a property that is left."""
    taken: dict[int, tuple[Any, set[int | None]]] = _local.taken
    for thing, asked in taken.values():
        entries = getattr(thing, "property_entries", None)
        if not entries or not set(entries) - asked:
            continue
        kind = getattr(thing.classdef, "class_name", type(thing).__name__)
        if kind.endswith("Definition"):
            continue
        for number, entry in entries.items():
            if number in asked:
                continue
            definition = entry.propertydef
            name = definition.property_name if definition is not None else f"property {number:#06x}"
            if name not in HOUSEKEEPING and (kind, name) not in _DESCRIBED:
                yield kind, name, entry


HOUSEKEEPING: dict[str, str] = {
    **dict.fromkeys(
        (
            "AppCode",
            "CreationTime",
            "LastModified",
            "Generation",
            "IdentificationList",
            "Version",
            "InstanceID",
        ),
        "who wrote the object and when",
    ),
    **dict.fromkeys(
        ("ByteOrder", "ObjectModelVersion", "MetadataVersion", "OperationalPattern", "Dictionary", "Content"),
        "how the file is built",
    ),
    **dict.fromkeys(
        ("DataDefinition", "Definition", "Interpolation", "SegmentKind", "ObjClass"),
        "what kind an object is: told by its class and where it stands",
    ),
    **dict.fromkeys(
        ("CodecDefinition", "CompressionID", "ContainerFormat", "EssenceContainers", "EssenceData"),
        "how the bytes of a medium are packed: told by the medium itself",
    ),
    **dict.fromkeys(
        (
            "BlockAlign",
            "AverageBPS",
            "ComponentWidth",
            "HorizontalSubsampling",
            "SampledWidth",
            "SampledHeight",
            "StoredWidth",
            "StoredHeight",
            "VideoLineMap",
            "DataEssenceCoding",
            "CodingEquations",
            "FrameLayout",
        ),
        "follows from what is read of the same medium",
    ),
    **dict.fromkeys(
        ("PhysicalTrackNumber", "LinkedSlotID", "DescribedSlots", "EditHint", "ControlPointPointProperties"),
        "how a program shows the object",
    ),
    **dict.fromkeys(
        ("MobAttributeList", "SlotAttributeList", "TimelineMobAttributeList", "Package Attributes"),
        "private values of the program that wrote it",
    ),
    **dict.fromkeys(("MarkInTime", "MarkOutTime", "Locked", "UsageCode"), "a state of the program's window"),
    "CommentMarkerUser": "who set a marker",
}
"""Properties that are passed over on purpose, and why."""
_DESCRIBED = {("CDCIDescriptor", "Length"), ("CDCIDescriptor", "SampleRate")} | {
    ("PCMDescriptor", "Length"),
    ("PCMDescriptor", "SampleRate"),
}
"""Facts of a medium that are read from its slots where they stand there."""


def found(thing: Any, name: str) -> Any:
    """The property of an object under a name; None where the object does not have it."""
    read = _local.__dict__
    numbers: dict[tuple[Any, str], tuple[int | None, Any]] = read["numbers"]
    kind: Any = type(thing)
    key = (str(thing.class_id) if kind is AAFObject else kind, name)
    known = numbers.get(key)
    if known is None:
        known = numbers[key] = next(
            ((one.pid, one) for one in thing.classdef.all_propertydefs() if one.property_name == name),
            (None, None),
        )
    number, definition = known
    taken: dict[int, tuple[Any, set[int | None]]] = read["taken"]
    asked = taken.get(id(thing))
    if asked is None:
        taken[id(thing)] = thing, {number}
    else:
        asked[1].add(number)
    there = None if number is None else thing.property_entries.get(number)
    if there is not None and there._propertydef is None:
        # So that it does not look for it again when it is asked for its value.
        there._propertydef = definition
    return there
