"""How a turned part is held: half of the bar, the chuck and its jaws, the zero."""

from __future__ import annotations

from underglass.core.bench.lathe import Lathe
from underglass.core.proof.held_picture import HELD, HeldPicture, HeldSays, box, ring, zero_mark
from underglass.core.proof.proof import Proof
from underglass.core.reckon.form import Stroke
from underglass.core.trades.turning.name import TURNING

_KINDS = {"jaws": "jaws, outside", "inside": "jaws, in the bore", "collet": "collet", "none": "nothing"}


def _lathe(proof: Proof) -> Lathe:
    lathe = proof.job.bench.more
    assert isinstance(lathe, Lathe)
    return lathe


def _rows(proof: Proof) -> tuple[tuple[str, str, tuple[float, ...]], ...]:
    lathe = _lathe(proof)
    places = [p for shell in lathe.stock for p in shell]
    out: list[tuple[str, str, tuple[float, ...]]] = []
    if places:
        wide, front, back = max(x for x, _z in places), max(z for _x, z in places), min(z for _x, z in places)
        bore = min(x for x, _z in places)
        out.append(("stock", "diameter {}, {} long", (2.0 * wide, front - back)))
        if bore > 1e-6:
            out.append(("bore", "diameter {}", (2.0 * bore,)))
        out.append(("stands out", "{} from the jaws", (front - lathe.chuck.face,)))
    if proof.job.bench.material:
        out.append(("material", proof.job.bench.material, ()))
    out.append(("held by", _KINDS[lathe.chuck.kind], ()))
    if lathe.chuck.jaws is not None:
        out.append(("jaws", "{} long, {} high, front at Z {}", (*lathe.chuck.jaws, lathe.chuck.face)))
    if lathe.tailstock is not None:
        out.append(("tailstock", "point at Z {}", (lathe.tailstock.z,)))
    return tuple(out)


def _touch(proof: Proof) -> tuple[str, ...]:
    places = [p for shell in _lathe(proof).stock for p in shell]
    front = max((z for _x, z in places), default=0.0)
    if abs(front) < 0.01:
        return ("Z0 is the stock's front face.", "X0 is the axis.")
    return (
        f"Z0 lies {{{abs(front)!r}}} {'behind' if front > 0 else 'in front of'} the stock's front face.",
        "X0 is the axis.",
    )


def _pictures(proof: Proof) -> tuple[HeldPicture, ...]:
    lathe = _lathe(proof)
    strokes: list[Stroke] = []
    wide, front, back = 20.0, 0.0, -60.0
    for shell in lathe.stock:
        strokes += ring([(z, x) for x, z in shell])
        wide, front, back = max(x for x, _z in shell), max(z for _x, z in shell), min(z for _x, z in shell)
    if lathe.chuck.jaws is not None and lathe.chuck.kind == "jaws":
        long, high = lathe.chuck.jaws
        strokes += box(lathe.chuck.face - long, wide, lathe.chuck.face, wide + high, "help")
    low = 0.06 * max(front - back, wide)
    strokes.append(Stroke("line", (back, 0.0, front + 3.0 * low, 0.0), "help"))
    strokes.append(Stroke("measure", (lathe.chuck.face, wide + 2.0 * low, front, wide + 2.0 * low), "measure"))
    strokes.append(Stroke("measure", (front + 2.0 * low, 0.0, front + 2.0 * low, wide), "measure"))
    return (HeldPicture(title="Half section, the radius upwards", strokes=(*strokes, *zero_mark(low))),)


HELD[TURNING] = HeldSays(rows=_rows, touch=_touch, pictures=_pictures)
