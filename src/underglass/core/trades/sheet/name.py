"""What rules say they are for."""

from __future__ import annotations

SHEET = "sheet cutting"
