"""What a form asks about the whole operation being turned about a place."""

from __future__ import annotations

from collections.abc import Mapping

from underglass.core.reckon.form import Field


def is_turned(entered: Mapping[str, str]) -> bool:
    """Whether a turn is entered."""
    return str(entered.get("rot", "0")).strip() not in ("", "0", "0.", "0.0")


def turn_fields(*, by: float, about: tuple[float, float]) -> tuple[Field, ...]:
    """The angle and the place; usually no more than ``by`` degrees, about a place whose X and Y go from and to ``about``, mm."""
    return (
        Field(
            key="rot", word="Turned by", kind="angle", start="0", usual=(-by, by),
            tip="The whole operation, anticlockwise, about the place below",
        ),
        Field(key="rotx", word="about X", start="0", shown=is_turned, usual=about),
        Field(key="roty", word="about Y", start="0", shown=is_turned, usual=about),
    )  # fmt: skip
