"""Wexodos carries edited sequences between programs and says exactly what does not carry over."""

__version__ = "0.1.0"
