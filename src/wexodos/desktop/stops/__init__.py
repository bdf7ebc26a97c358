"""The working screens, in the order of the work."""

from wexodos.desktop.stops.base import Stop
from wexodos.desktop.stops.carry import CarryStop
from wexodos.desktop.stops.intake import IntakeStop
from wexodos.desktop.stops.media import MediaStop
from wexodos.desktop.stops.returning import ReturnStop
from wexodos.desktop.stops.tidying import TidyStop
from wexodos.desktop.stops.turnover import TurnoverStop

__all__ = ["CarryStop", "IntakeStop", "MediaStop", "ReturnStop", "Stop", "TidyStop", "TurnoverStop"]
