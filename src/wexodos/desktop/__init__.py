"""The desktop application; the only place that knows Qt."""

from wexodos.desktop.run import run

__all__ = ["run"]
