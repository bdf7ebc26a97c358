"""Media: which files a cut needs, where they are, whether they are the right ones."""

from wexodos.media.check import GONE, STATUSES, Misfit, Problem, misfits, stamp
from wexodos.media.match import Candidate, Reason
from wexodos.media.needs import Need, Use, needs, needs_of
from wexodos.media.probe import Probed, Probes, probe
from wexodos.media.scan import Index, Scanner
from wexodos.media.search import Row, Rules, find, key_of, of_all, relinked, tables_of, used_by
from wexodos.media.swap import Swapped, Unmatched, swap

__all__ = [
    "GONE",
    "STATUSES",
    "Candidate",
    "Index",
    "Misfit",
    "Need",
    "Probed",
    "Probes",
    "Problem",
    "Reason",
    "Row",
    "Rules",
    "Scanner",
    "Swapped",
    "Unmatched",
    "Use",
    "find",
    "key_of",
    "misfits",
    "needs",
    "needs_of",
    "of_all",
    "probe",
    "relinked",
    "stamp",
    "swap",
    "tables_of",
    "used_by",
]
