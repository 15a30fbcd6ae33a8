"""What rules say they are for."""

from __future__ import annotations

PUNCHING = "punching"
