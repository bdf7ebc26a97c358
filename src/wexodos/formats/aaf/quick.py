"""Objects of the library, made without its searches.

The library looks for a property's definition by its name, one after the other, and for a kind of data among
all definitions, at every object. A large file holds the same few kinds of object thousands of times: what
was found for the first of them holds for the others.
"""

from __future__ import annotations

from typing import Any

from aaf2.properties import Property, StrongRefSetProperty, WeakRefProperty


class Quick:
    """Makes objects of one file, and puts values into their properties before they are hung into it."""

    def __init__(self, file: Any) -> None:
        self._file = file
        self._classes: dict[str, Any] = {}
        # By the class of the object and the name: the kind of property, where it stands, its definition.
        self._known: dict[tuple[type, str], tuple[type, int, int, Any]] = {}
        self._referred: dict[tuple[type, str, Any], bytes] = {}
        self._keyed: dict[tuple[type, str], tuple[int, int]] = {}
        self._types: dict[str, Any] = {}

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
        made, definition = self._property(thing, name)
        kind = type(made)
        if kind is Property:
            made.data = definition.typedef.encode(value)
        elif kind is StrongRefSetProperty:
            # What the members are told apart by the library looks for in all definitions of their class.
            made.key_pid, made.key_size = self._keyed.get(key, (None, None))
            made.value = value
            self._keyed[key] = made.key_pid, made.key_size
        elif kind is WeakRefProperty:
            referred = (*key, value)
            if referred not in self._referred:
                made.value = value
                self._referred[referred] = made.data
            made.data = self._referred[referred]
        else:
            made.value = value
        thing.property_entries[made.pid] = made

    def put_typed(self, thing: Any, name: str, value: Any, kind: str) -> None:
        """Put a value of a type that is named beside it into a property that takes any."""
        made, definition = self._property(thing, name)
        if kind not in self._types:
            self._types[kind] = self._file.metadict.lookup_typedef(kind)
        made.data = definition.typedef.encode(value, self._types[kind])
        thing.property_entries[made.pid] = made

    def _property(self, thing: Any, name: str) -> tuple[Any, Any]:
        """An empty property of an object, and its definition."""
        key = type(thing), name
        known = self._known.get(key)
        if known is None:
            there = thing[name]
            known = self._known[key] = type(there), there.pid, there.format, there.propertydef
        kind, pid, form, definition = known
        made = kind(thing, pid, form)
        made._propertydef = definition
        return made, definition
