"""The colours, by role. Red is a crash and nothing else."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtGui import QColor

from underglass.core.finding import Severity


@dataclass(frozen=True, slots=True, kw_only=True)
class Palette:
    """Hex colours of one theme. ``tools`` are the muted colours of cut faces, ``lines`` those of motion."""

    name: str
    ground: str
    panel: str
    field: str
    rule: str
    text: str
    quiet: str
    active: str
    on_active: str
    active_wash: str
    belief: str
    crash: str
    fault: str
    caution: str
    note: str
    rail: str
    rail_text: str
    rail_active: str
    glass_top: str
    glass_bottom: str
    stock: str
    fixture: str
    holder: str
    cutter: str
    feed: str
    rapid: str
    tools: tuple[str, ...]

    def severity(self, severity: Severity) -> str:
        return {
            Severity.CRASH: self.crash,
            Severity.FAULT: self.fault,
            Severity.CAUTION: self.caution,
            Severity.NOTE: self.note,
        }[severity]

    def colour(self, role: str) -> QColor:
        return QColor(getattr(self, role))

    def tool(self, index: int) -> str:
        """The colour of the tool that comes ``index``-th in the run."""
        return self.tools[index % len(self.tools)]


# Motion: vermillion-free members of the colour-blind-safe set of Okabe and Ito (2008): blue #0072B2 for feed and
# reddish purple #CC79A7 for rapid, darkened or lightened to stand on each ground.
DAY = Palette(
    name="day",
    ground="#ECE9E2",
    panel="#F8F6F1",
    field="#FFFFFF",
    rule="#CFC9BC",
    text="#1E242B",
    quiet="#5D646C",
    active="#1D3C94",
    on_active="#FFFFFF",
    active_wash="#E1E4EF",
    belief="#7E5D18",
    crash="#B3261E",
    fault="#A04A08",
    caution="#706100",
    note="#3E6B57",
    rail="#1E242B",
    rail_text="#C9CCD1",
    rail_active="#2B3340",
    glass_top="#F1EEE7",
    glass_bottom="#DFDBD1",
    stock="#B7A684",
    fixture="#8B9096",
    holder="#474D57",
    cutter="#A39A5A",
    feed="#0A5F94",
    rapid="#A34C80",
    tools=("#8F9DBC", "#C6B389", "#93B59E", "#C39A92", "#A79BBE", "#8FB3B8", "#B7A9A0", "#9FA878"),
)

NIGHT = Palette(
    name="night",
    ground="#15191E",
    panel="#1C2127",
    field="#12161A",
    rule="#353C45",
    text="#E8E3D8",
    quiet="#98A0A9",
    active="#7FA0FF",
    on_active="#10141B",
    active_wash="#26304A",
    belief="#D9B35C",
    crash="#FF6B5E",
    fault="#F2994A",
    caution="#D8C24A",
    note="#7FC3A2",
    rail="#0F1216",
    rail_text="#B4BAC2",
    rail_active="#232A33",
    glass_top="#222830",
    glass_bottom="#171B20",
    stock="#8C7F66",
    fixture="#5F666E",
    holder="#7C848F",
    cutter="#B5AC6E",
    feed="#5DB2E6",
    rapid="#DD94BC",
    tools=("#6F7FA3", "#A08E65", "#6E937B", "#9F766E", "#82769B", "#6A9096", "#93857C", "#7C855A"),
)


def luminance(colour: str) -> float:
    """Relative luminance of a hex colour (WCAG 2.1, definition of relative luminance)."""
    parts = [int(colour[k : k + 2], 16) / 255.0 for k in (1, 3, 5)]
    linear = [c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(one: str, other: str) -> float:
    """Contrast ratio of two hex colours (WCAG 2.1), 1 to 21."""
    a, b = sorted((luminance(one), luminance(other)), reverse=True)
    return (a + 0.05) / (b + 0.05)
