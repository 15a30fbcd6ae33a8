"""The truth, whole: machine, stock, fixtures, tools, and where the parts' zeros really are."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Protocol

from underglass.core.bench.frame import Frame
from underglass.core.bench.machine import Machine
from underglass.core.bench.material import Material
from underglass.core.bench.solid import Fixture, Solid
from underglass.core.bench.tool import Tool


class OwnBench(Protocol):
    """A trade's own part of a bench."""

    @property
    def tool_names(self) -> Mapping[int, str]:
        """The tools that are there by number, in plain words."""
        ...

    @property
    def tools_there(self) -> Mapping[int, object]:
        """The same as the values that the trade holds."""
        ...


@dataclass(frozen=True, slots=True, kw_only=True)
class Bench:
    """What is really there. ``zero`` holds each true part zero by the name of its work offset, as G54.

    A zero's frame is in real coordinates: a perfectly set work offset equals it, because machine Z less the real
    length is the height of the tip. ``loaded`` says where another tool sits than the one called.
    ``material`` is what the stock is said to be; ``cuts_like`` what is known of it (None: nothing).
    """

    machine: Machine
    stocks: tuple[Solid, ...]
    fixtures: tuple[Fixture, ...] = ()
    tools: Mapping[int, Tool] = field(default_factory=dict)
    zero: Mapping[str, Frame] = field(default_factory=dict)
    loaded: Mapping[int, int] = field(default_factory=dict)
    material: str = ""
    cuts_like: Material | None = None
    more: OwnBench | None = None
    """What the trade alone knows, where it is not what stands above."""

    @property
    def part_zero(self) -> Frame:
        """The zero that measuring and the picture count from: G54's, or the first there is."""
        return self.zero.get("G54") or next(iter(self.zero.values()), Frame())

    @property
    def tool_names(self) -> Mapping[int, str]:
        """The tools that are there by number, in plain words."""
        return self.more.tool_names if self.more is not None else {n: t.name for n, t in self.tools.items()}

    @property
    def tools_there(self) -> Mapping[int, object]:
        """The tools that are there by number, as the trade holds them."""
        return self.more.tools_there if self.more is not None else self.tools

    def really_in_spindle(self, called: int) -> Tool | None:
        """The tool that comes when the program asks for number ``called``; None if there is none."""
        return self.tools.get(self.loaded.get(called, called))
