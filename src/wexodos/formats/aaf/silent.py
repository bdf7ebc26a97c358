"""The library says on standard output and in the root log what it does not like; the user hears it from us.

Its modules get a ``print`` that says nothing and a log of their own, once, when the format is imported: what
a worker redirects while it reads would be redirected for everybody.
"""

from __future__ import annotations

import logging

import aaf2.cfb
import aaf2.components
import aaf2.core
import aaf2.file
import aaf2.types

_log = logging.getLogger("wexodos.aaf")


def _nothing(*_words: object, **_settings: object) -> None:
    """Says nothing."""


def silence() -> None:
    """Keep the library quiet from now on."""
    _log.addHandler(logging.NullHandler())
    _log.propagate = False
    for module in (aaf2.cfb, aaf2.components, aaf2.core, aaf2.file, aaf2.types):
        module.print = _nothing
        if hasattr(module, "logging"):
            module.logging = _log
    aaf2.core.safe_print = _nothing
