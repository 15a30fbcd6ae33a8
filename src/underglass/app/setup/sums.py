"""Sums of touching off as both trades' pages show them: each as a line, and on the button what they come to."""

from __future__ import annotations

import html
from collections.abc import Mapping

from PySide6.QtWidgets import QLabel, QPushButton

from underglass.app.style.palette import Palette
from underglass.core.reckon.touching import Sum
from underglass.core.units import Unit, show_length


def show_sums(
    said: QLabel, take: QPushButton, result: Mapping[str, Sum], unit: Unit, palette: Palette, *, hint: str, put: str, nothing: str
) -> None:  # fmt: skip
    """``result`` by axis. ``put``: the button's words, with {} where the figures go; ``hint`` and ``nothing`` while there are none."""
    lines = "<br>".join(html.escape(one.said) for one in result.values())
    said.setText(lines or f'<span style="color:{palette.quiet}">{hint}</span>')
    shown = "  ".join(f"{axis.upper()} {show_length(one.value, unit)}" for axis, one in result.items())
    take.setText(put.format(shown) if shown else nothing)
    take.setEnabled(bool(shown))
