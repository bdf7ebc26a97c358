"""Libraries say what they have to say to the log, not to the person at the terminal."""

from __future__ import annotations

import logging
import warnings


def silence() -> None:
    """Keep warnings of libraries and their logging off standard error."""
    warnings.simplefilter("ignore")
    logging.lastResort = None
