"""The definitions of classes and types of an AAF file that is read, each taken when it is asked for.

The library makes those that every file may rely on anew for each file it opens, and then reads all that stand
in the file, hundreds of both; a short file asks for a few dozen. Those it may rely on are made once here and
copied: what a definition refers to is looked up in the file it belongs to, which may have another of that id.
"""

from __future__ import annotations

import copy
import threading
from collections.abc import Callable
from typing import Any

from aaf2.auid import AUID
from aaf2.core import AAFObject
from aaf2.metadict import PID_CLASSDEFS, PID_PROPERTIES, PID_TYPEDEFS, MetaDictionary

_OWN = ("_auid", "_property_name", "_typedef_id", "_fields", "propertydef_by_pid")
"""What a definition knows beside its properties."""
_making = threading.Lock()
_made: list[MetaDictionary] = []


class _Nowhere:
    """The file of definitions that are in none."""

    mode = "wb+"
    metadict: Any = None

    def weakref_index(self, _path: list[int]) -> int:
        """Where a reference leads to, which nobody follows."""
        return 0


def _known() -> MetaDictionary:
    with _making:
        if not _made:
            _made.append(MetaDictionary(_Nowhere()))
    return _made[0]


class _Asked(dict[Any, Any]):
    """Definitions that are made when they are asked for; None where there is none of a key."""

    def __init__(self, make: Callable[[Any], Any]) -> None:
        super().__init__()
        self._make = make

    def __missing__(self, key: Any) -> Any:
        made = self[key] = self._make(key)
        return made

    def get(self, key: Any, default: Any = None) -> Any:
        found = self[key]
        return default if found is None else found


class Definitions(MetaDictionary):  # type: ignore[misc]
    """What is defined in a file, by ids, and by the names that every file may rely on."""

    def __new__(cls, *_given: Any) -> Definitions:
        made: Definitions = AAFObject.__new__(cls)
        return made

    def __init__(self, file: Any, entry: Any) -> None:
        self.root, self.dir = file, entry
        known = _known()
        self.typedefs_classes = known.typedefs_classes
        self.classdefs_by_auid = _Asked(self._class)
        self.typedefs_by_auid = _Asked(self._type)
        self.classdefs_by_name = _Asked(_named(known.classdefs_by_name, self.classdefs_by_auid))
        self.typedefs_by_name = _Asked(_named(known.typedefs_by_name, self.typedefs_by_auid))

    def read_properties(self) -> None:
        """Which definitions the file has."""
        AAFObject.read_properties(self)

    def lookup_typedef(self, asked: Any) -> Any:
        """As the library's, which asks what it was given in two ways before: it is nearly always an id."""
        return self.typedefs_by_auid.get(asked) if type(asked) is AUID else super().lookup_typedef(asked)

    def _read(self, number: int, auid: AUID) -> Any:
        held = self.property_entries.get(number)
        return held.get(auid) if held is not None else None

    def _type(self, auid: AUID) -> Any:
        found = self._read(PID_TYPEDEFS, auid)
        if found is None and (known := _known().typedefs_by_auid.get(auid)) is not None:
            found = _copied(known, self.root)
        return found

    def _class(self, auid: AUID) -> Any:
        found = self._read(PID_CLASSDEFS, auid)
        if found is not None:
            found.propertydef_by_pid = {one.pid: one for one in found.propertydefs}
        elif (known := _known().classdefs_by_auid.get(auid)) is not None:
            found = _copied_class(known, self.root)
        return found


def _named(known: dict[str, Any], by_auid: dict[Any, Any]) -> Callable[[str], Any]:
    def make(name: str) -> Any:
        return by_auid[known[name].auid] if name in known else None

    return make


def _copied(thing: Any, file: Any) -> Any:
    kind: Any = type(thing)
    made = kind.__new__(kind)
    made.root, made.property_entries = file, thing.property_entries
    for name in _OWN:
        if hasattr(thing, name):
            setattr(made, name, getattr(thing, name))
    return made


def _copied_class(thing: Any, file: Any) -> Any:
    """The definition of a class with those of its properties."""
    made = _copied(thing, file)
    own = thing.property_entries.get(PID_PROPERTIES)
    if own is not None:
        mine = copy.copy(own)
        mine.parent = made
        mine.objects = {auid: _copied(one, file) for auid, one in own.objects.items()}
        made.property_entries = {**thing.property_entries, PID_PROPERTIES: mine}
        made.propertydef_by_pid = {one.pid: one for one in mine.objects.values()}
    return made
