"""Kiln Night: a made-up documentary about a night kiln firing, its media and its sequence files."""

from wexodos.demo.build import build, complete

__all__ = ["build", "complete"]
