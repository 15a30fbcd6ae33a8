"""What stands between a written place and the work offset: rotation, scaling, mirror, G52 and G92."""

from __future__ import annotations

import math
from dataclasses import replace

from underglass.core.control import places
from underglass.core.control.block_words import BlockWords
from underglass.core.control.desk import Desk
from underglass.core.control.state import Vector
from underglass.core.control.transform import Mapping, Transform

_AXES = "XYZ"
_CENTRES = "IJK"
_ONE: Vector = (1.0, 1.0, 1.0)


def _put(c: Desk, transform: Transform) -> None:
    c.modal.mapping = Mapping(transform)
    c.changed()


def take(c: Desk, b: BlockWords, letters: str) -> dict[str, float]:
    """The block's values for these letters, in mm, taken out so that nothing moves there."""
    return {x: c.length(b.letters.pop(x).value) for x in letters if x in b.letters}


def rotate(c: Desk, b: BlockWords) -> None:
    """G68 X Y R turns about a point of the program, counter-clockwise positive in G17; G69 ends it."""
    m = c.modal
    transform = m.mapping.transform
    if b.g["rotation"][0] == 690:
        if transform.angle:
            _put(c, replace(transform, angle=0.0, pivot=(0.0, 0.0)))
        return
    if m.plane != 17:
        take(c, b, _AXES)
        b.letters.pop("R", None)
        c.find_span(
            "not-proved", b, b.g_word("rotation"), f"rotation in G{m.plane} is not simulated by this version: what follows is run as written",
            "rotate only what is cut in G17",
        )  # fmt: skip
        return
    word = b.letters.pop("R", None)
    if word is None:
        c.find_span(
            "syntax",
            b,
            b.g_word("rotation"),
            "G68 has no R, the rotation angle",
            "write R and the angle in degrees",
        )
        return
    # The centre is a programmed place: without X or Y it is where the tool stands, before this rotation.
    _put(c, replace(transform, angle=0.0, pivot=(0.0, 0.0)))
    here = places.programmed(c)
    given = take(c, b, "XY")
    pivot = (given.get("X", here[0]), given.get("Y", here[1]))
    _put(c, replace(transform, angle=math.radians(word.value), pivot=pivot))


def scale(c: Desk, b: BlockWords) -> None:
    transform = c.modal.mapping.transform
    if b.g["scaling"][0] == 500:
        _put(c, replace(transform, scale=_ONE, scale_centre=(0.0, 0.0, 0.0)))
        return
    factor = b.letters.pop("P", None)
    single = [b.letters.pop(letter, None) for letter in _CENTRES]
    # The centre is a programmed place: without X, Y or Z it is where the tool stands, before this scaling, as with G68.
    _put(c, replace(transform, scale=_ONE, scale_centre=(0.0, 0.0, 0.0)))
    here = places.programmed(c)
    given = take(c, b, _AXES)
    centre = (given.get("X", here[0]), given.get("Y", here[1]), given.get("Z", here[2]))
    words = [factor] * 3 if factor is not None else single
    values = [1.0 if word is None else word.value for word in words]
    if all(word is None for word in words) or any(not 1e-3 <= value <= 1e3 for value in values):
        bad = next((w for w in words if w is not None and not 1e-3 <= w.value <= 1e3), None)
        c.find_span(
            "syntax",
            b,
            bad or b.g_word("scaling"),
            "G51 needs P, the factor, more than nothing; or I, J and K, one for each axis",
            "write P and the factor, as in P1.5",
        )
        return
    _put(c, replace(transform, scale=(values[0], values[1], values[2]), scale_centre=centre))


def mirror(c: Desk, b: BlockWords) -> None:
    """G51.1 mirrors each axis named about the place named; G50.1 ends it, for the axes named or for all."""
    transform = c.modal.mapping.transform
    given = take(c, b, _AXES)
    factor, centre = list(transform.mirror), list(transform.mirror_centre)
    ends = b.g["mirror"][0] == 501
    for axis, letter in enumerate(_AXES):
        if letter in given or (ends and not given):
            factor[axis] = 1.0 if ends else -1.0
            centre[axis] = 0.0 if ends else given[letter]
    _put(
        c, replace(transform, mirror=(factor[0], factor[1], factor[2]), mirror_centre=(centre[0], centre[1], centre[2]))
    )


def preset(c: Desk, b: BlockWords) -> None:
    """G92: the place where the machine stands is called by these figures from here on."""
    given = take(c, b, _AXES)
    place = list(places.programmed(c))
    for letter, value in given.items():
        place[_AXES.index(letter)] = value
    m = c.modal
    now = (c.at[0] - m.shift[0], c.at[1] - m.shift[1], c.at[2] - m.shift[2] - m.h_value)
    would = m.mapping.forward((place[0], place[1], place[2]))
    old = m.mapping.transform.preset
    _put(
        c,
        replace(
            m.mapping.transform,
            preset=(old[0] + now[0] - would[0], old[1] + now[1] - would[1], old[2] + now[2] - would[2]),
        ),
    )


def shift_locally(c: Desk, b: BlockWords) -> None:
    """G52: places count from there, in every work offset."""
    local = list(c.modal.mapping.transform.local)
    for letter, value in take(c, b, _AXES).items():
        local[_AXES.index(letter)] = value
    _put(c, replace(c.modal.mapping.transform, local=(local[0], local[1], local[2])))


def end_preset(c: Desk) -> None:
    """G92.1."""
    _put(c, replace(c.modal.mapping.transform, preset=(0.0, 0.0, 0.0)))
