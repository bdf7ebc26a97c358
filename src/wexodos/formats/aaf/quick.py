"""Objects of the library, made without its searches.

The library looks for a property's definition by its name, one after the other, and for a kind of data among
all definitions, at every object. A large file holds the same few kinds of object thousands of times: what
was found for the first of them holds for the others.
"""

from __future__ import annotations

from typing import Any

from aaf2.properties import Property, WeakRefProperty


class Quick:
    """Makes objects of one file, and puts values into their properties before they are hung into it."""

    def __init__(self, file: Any) -> None:
        self._file = file
        self._classes: dict[str, Any] = {}
        # By the class of the object and the name: the kind of property, where it stands, its definition.
        self._known: dict[tuple[type, str], tuple[type, int, int, Any]] = {}
        self._referred: dict[tuple[type, str, Any], bytes] = {}

    def new(self, name: str) -> Any:
        """An object of a class with no properties at all."""
        if name not in self._classes:
            self._classes[name] = self._file.metadict.lookup_class(name)
        kind = self._classes[name]
        made = kind.__new__(kind)
        made.root = self._file
        return made

    def put(self, thing: Any, name: str, value: Any) -> None:
        """What ``thing[name].value = value`` does."""
        key = type(thing), name
        known = self._known.get(key)
        if known is None:
            there = thing[name]
            known = self._known[key] = type(there), there.pid, there.format, there.propertydef
        kind, pid, form, definition = known
        made = kind(thing, pid, form)
        made._propertydef = definition
        if kind is Property:
            made.data = definition.typedef.encode(value)
        elif kind is WeakRefProperty:
            referred = (*key, value)
            if referred not in self._referred:
                made.value = value
                self._referred[referred] = made.data
            made.data = self._referred[referred]
        else:
            made.value = value
        thing.property_entries[pid] = made
