"""Under Glass: prove a CNC program against what is really clamped, before a machine runs it."""

__version__ = "0.1.0"
