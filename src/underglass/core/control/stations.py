"""What a lathe's control holds of the tool at work: the offset that is on, and the tables it comes from."""

from __future__ import annotations

from underglass.core.control.desk import Desk
from underglass.core.control.state import AtStop, Station


def on(c: Desk) -> Station:
    """What is on now."""
    return c.modal.station or Station()


def put(c: Desk, station: Station) -> None:
    """Something of it changes."""
    c.modal.station = station
    judged = c.offset_judged
    c.use_offset(c.modal.offset)
    c.offset_judged = judged
    c.changed()


def figures(c: Desk, offset: int) -> tuple[float, float]:
    """Geometry and wear of an offset together, X as a radius and Z, mm; nothing for offset 0."""
    x, _y, z = c.geometry.get(offset, (0.0, 0.0, 0.0))
    return (x, z)


def correct(c: Desk, told: AtStop) -> None:
    """The wear of offsets is corrected by hand at a stop: it acts from the next move on."""
    for number, (x, _y, z) in told.wear.items():
        old = c.geometry.get(number, (0.0, 0.0, 0.0))
        c.geometry = {**c.geometry, number: (old[0] + x, 0.0, old[2] + z)}
    now = on(c)
    if now.offset in told.wear:
        x, z = figures(c, now.offset)
        put(c, now._replace(x=x, z=z))
