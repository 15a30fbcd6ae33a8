"""The few things that cannot be worked with at all. Everything found *in* a program is a finding, not an exception."""

from __future__ import annotations

from dataclasses import dataclass

_LONGEST = 400


def one_line(text: str) -> str:
    """A sentence on one short line, whatever was written into it: no line breaks, no control characters, cut in its middle."""
    plain = "".join(c if c.isprintable() else " " for c in text)
    return plain if len(plain) <= _LONGEST else f"{plain[: _LONGEST // 2]} \u2026 {plain[-_LONGEST // 2 :]}"


class UnderGlassError(Exception):
    """Base of every error that ends in one plain sentence for the person."""


@dataclass(slots=True)
class UnusableFile(UnderGlassError):
    """A file that cannot be opened, read or written."""

    path: str
    why: str

    def __str__(self) -> str:
        return one_line(f"{self.path}: {self.why}")


@dataclass(slots=True, kw_only=True)
class BadEntry(UnderGlassError):
    """An entry of a job or profile file that is not what the format asks for. ``key`` is dotted; ``line`` from 1."""

    path: str
    key: str
    line: int
    why: str

    def __str__(self) -> str:
        where = f"{self.path}, line {self.line}"
        return one_line(f"{where}, {self.key}: {self.why}" if self.key else f"{where}: {self.why}")


class Cancelled(UnderGlassError):
    """The person, or a newer request, no longer wants this answer."""

    def __str__(self) -> str:
        return "stopped before it was finished"
