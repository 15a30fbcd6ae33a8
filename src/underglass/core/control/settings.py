"""Words that move nothing by themselves: modes, offsets, registers, rotation, scaling, mirror, dwell, reference points."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

from underglass.core.control import compensated, motion, places
from underglass.core.control.block_words import BlockWords
from underglass.core.control.motions import Kind, RegisterUse
from underglass.core.control.state import AtStop, Vector
from underglass.core.control.transform import Mapping, Transform
from underglass.core.control.words import OFFSET_NAMES, OFFSETS_IN_ORDER, g_name
from underglass.core.language.block import Word
from underglass.core.units import show_clock

if TYPE_CHECKING:
    from underglass.core.control.interpret import Control

_AXES = "XYZ"
_CENTRES = "IJK"
_ONE: Vector = (1.0, 1.0, 1.0)
_TIMES = {"s": "seconds", "ms": "milliseconds"}

LONG_DWELL_S = 60.0
"""Nobody lets a mill wait for longer in the middle of a program (common practice, no source)."""


def set_modes(c: Control, b: BlockWords) -> None:
    """Plane, work offset, path control, distance, arc centres, cycle return, rotation, scaling, mirror."""
    m, g = c.modal, b.g
    c.changed()
    if "plane" in g:
        plane = g["plane"][0] // 10
        if plane != m.plane and c.comp is not None:
            c.find_span(
                "comp-plane-change",
                b,
                g["plane"][1],
                f"G{plane} changes the plane with radius compensation on",
                "write G40 and a move first",
            )
            compensated.end(c)
        m.plane = plane
    if "work offset" in g:
        _work_offset(c, b)
    if "radius compensation" in g:
        _compensation(c, b)
    if "path control" in g:
        m.exact = g["path control"][0] != 640
    if "distance" in g:
        m.absolute = g["distance"][0] == 900
    if "arc centres" in g:
        m.centres_absolute = g["arc centres"][0] == 901
    if "cycle return" in g:
        m.return_to = g_name(g["cycle return"][0])
    if "rotation" in g:
        _rotation(c, b)
    if "scaling" in g:
        _scaling(c, b)
    if "mirror" in g:
        _mirror(c, b)


def _work_offset(c: Control, b: BlockWords) -> None:
    key, word = b.g["work offset"]
    if key != 541:
        c.use_offset(OFFSET_NAMES[key])
        return
    number = b.letters.pop("P", None)
    if number is None or number.value != int(number.value) or not 1 <= number.value <= 48:
        c.find_span("syntax", b, number or word, "G54.1 needs P1 to P48", "write the offset's number, as in G54.1 P3")
        return
    c.use_offset(f"G54.1P{int(number.value)}")


def set_length(c: Control, b: BlockWords) -> None:
    """G43, G44, G49, and H alone while one is in force."""
    m = c.modal
    found = b.g.get("length compensation")
    h = b.letters.get("H")
    if found is None and m.h_number is None:
        return
    cycle = c.profile.cycle_by_name.get(g_name(b.g["motion"][0]) if "motion" in b.g else m.motion)
    if found is None and cycle is not None and "H" in cycle.letters.values():
        # H is one of the cycle's own letters here.
        return
    key = found[0] if found is not None else (440 if m.h_sign < 0 else 430)
    c.length_changed()
    if key == 490:
        m.h_number, m.h_value, m.h_sign = None, 0.0, 1
        return
    if h is None and c.profile.h_default == "tool" and m.tool and found is not None:
        put_length(c, m.tool, -1 if key == 440 else 1, (c.line(b.block), found[1].start + 1, found[1].end + 1))
        return
    if h is None or h.value != int(h.value) or h.value < 0:
        word = h or (found[1] if found is not None else None)
        c.find_span(
            "length-number-missing",
            b,
            word,
            f"{g_name(key)} needs the number of a length register",
            "write H and the register's number, as in G43 H2",
        )
        return
    put_length(c, int(h.value), -1 if key == 440 else 1, (c.line(b.block), h.start + 1, h.end + 1))


def put_length(c: Control, number: int, sign: int, word: tuple[int, int, int]) -> None:
    """A length register comes into force; ``word`` is what says so: line, column, end column, from 1."""
    m = c.modal
    m.h_number, m.h_sign, m.h_word = number, sign, word
    m.h_value = sign * c.length_registers.get(number, 0.0) if number else 0.0
    c.length_changed()


def _d_number(c: Control, b: BlockWords) -> int | None:
    """The D register that the block names; None after the finding where its number is none."""
    word = b.letters["D"]
    if word.value == int(word.value) and word.value >= 0:
        return int(word.value)
    c.find_word(
        "syntax", b.block, word, f"{word.text} is no radius register", "a register's number is a whole number, as in D1"
    )
    return None


def set_radius_number(c: Control, b: BlockWords) -> None:
    """D without G41 or G42: in force for the next of them; inside a contour the radius changes with the next move."""
    m = c.modal
    cycle = c.profile.cycle_by_name.get(m.motion)
    if cycle is not None and "D" in cycle.letters.values():
        return
    number = _d_number(c, b)
    if number is None:
        return
    m.d_number = number
    if c.comp is None:
        return
    m.d_value = c.radius_registers.get(number, 0.0) if number else 0.0
    c.changed()
    if abs(m.d_value) == c.comp.radius:
        return
    word, same, side = b.letters["D"], m.comp, c.comp.side
    _put_radius(c, b, word, same, side)


def _put_radius(c: Control, b: BlockWords, word: Word, same: str, side: float, *, joined: bool = True) -> None:
    """Compensation with the D in force, from the next move in the plane on."""
    m = c.modal
    assert m.d_number is not None
    c.radii.append(
        RegisterUse(c.line(b.block), word.start + 1, word.end + 1, m.d_number, m.d_value, m.tool, len(c.moves))
    )
    compensated.begin(c, b.block, side, m.d_value, joined=joined)
    m.comp = same
    c.changed()


def _compensation(c: Control, b: BlockWords) -> None:
    """G40, G41, G42 with the D in force."""
    m = c.modal
    key, word = b.g["radius compensation"]
    if key == 400:
        compensated.end(c)
        return
    d = b.letters.get("D")
    if d is not None:
        m.d_number = _d_number(c, b)
        if m.d_number is None:
            return
    elif m.d_number is None and c.profile.d_default == "tool" and m.tool:
        m.d_number = m.tool
    if m.d_number is None:
        c.find_span(
            "comp-register-missing", b, d or word, f"{g_name(key)} has no D: the control does not know the cutter's radius",
            f"write D and the register's number, as in {g_name(key)} D{m.tool or 1}",
        )  # fmt: skip
        return
    transform = m.mapping.transform
    if m.plane != 17 and transform.angle:
        c.find_span(
            "not-proved", b, word, f"compensation in G{m.plane} under rotation leaves its plane: the path is run as written",
            "rotate only what is compensated in G17",
        )  # fmt: skip
        return
    m.d_value = c.radius_registers.get(m.d_number, 0.0) if m.d_number else 0.0
    left = (key == 410) != transform.turned_over_in(m.plane)
    same = "left" if left else "right"
    c.changed()
    if c.comp is not None and m.comp == same and c.comp.radius == abs(m.d_value):
        return
    if c.comp is not None and m.comp != same and c.profile.side_change == "alarm":
        c.find_span(
            "comp-side-change",
            b,
            word,
            f"{g_name(key)} changes the side of compensation while it is on",
            "write G40 with a move away from the contour first",
        )
    _put_radius(c, b, d or word, same, 1.0 if left else -1.0, joined=c.comp is not None and m.comp == same)


def _put(c: Control, transform: Transform) -> None:
    c.modal.mapping = Mapping(transform)
    c.changed()


def _take(c: Control, b: BlockWords, letters: str) -> dict[str, float]:
    """The block's values for these letters, in mm, taken out so that nothing moves there."""
    return {x: c.length(b.letters.pop(x).value) for x in letters if x in b.letters}


def _rotation(c: Control, b: BlockWords) -> None:
    """G68 X Y R turns about a point of the program, counter-clockwise positive in G17; G69 ends it."""
    m = c.modal
    transform = m.mapping.transform
    if b.g["rotation"][0] == 690:
        if transform.angle:
            _put(c, replace(transform, angle=0.0, pivot=(0.0, 0.0)))
        return
    if m.plane != 17:
        _take(c, b, _AXES)
        b.letters.pop("R", None)
        c.find_span(
            "not-proved", b, b.g_word("rotation"), f"rotation in G{m.plane} is not held by this version: what follows is run as written",
            "rotate only what is cut in G17",
        )  # fmt: skip
        return
    word = b.letters.pop("R", None)
    if word is None:
        c.find_span(
            "syntax",
            b,
            b.g_word("rotation"),
            "G68 has no R: by how much is not said",
            "write R and the angle in degrees",
        )
        return
    # The centre is a programmed place: without X or Y it is where the tool stands, before this rotation.
    _put(c, replace(transform, angle=0.0, pivot=(0.0, 0.0)))
    here = places.programmed(c)
    given = _take(c, b, "XY")
    pivot = (given.get("X", here[0]), given.get("Y", here[1]))
    _put(c, replace(transform, angle=math.radians(word.value), pivot=pivot))


def _scaling(c: Control, b: BlockWords) -> None:
    transform = c.modal.mapping.transform
    if b.g["scaling"][0] == 500:
        _put(c, replace(transform, scale=_ONE, scale_centre=(0.0, 0.0, 0.0)))
        return
    factor = b.letters.pop("P", None)
    single = [b.letters.pop(letter, None) for letter in _CENTRES]
    # The centre is a programmed place: without X, Y or Z it is where the tool stands, before this scaling, as with G68.
    _put(c, replace(transform, scale=_ONE, scale_centre=(0.0, 0.0, 0.0)))
    here = places.programmed(c)
    given = _take(c, b, _AXES)
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


def _mirror(c: Control, b: BlockWords) -> None:
    """G51.1 mirrors each axis named about the place named; G50.1 ends it, for the axes named or for all."""
    transform = c.modal.mapping.transform
    given = _take(c, b, _AXES)
    factor, centre = list(transform.mirror), list(transform.mirror_centre)
    ends = b.g["mirror"][0] == 501
    for axis, letter in enumerate(_AXES):
        if letter in given or (ends and not given):
            factor[axis] = 1.0 if ends else -1.0
            centre[axis] = 0.0 if ends else given[letter]
    _put(
        c, replace(transform, mirror=(factor[0], factor[1], factor[2]), mirror_centre=(centre[0], centre[1], centre[2]))
    )


# -- words that act in their own block only ----------------------------------------------------------------------------------


def non_modal(c: Control, b: BlockWords) -> bool:
    """Carry out G4, G10, G28, G30, G52, G53, G92. True where the block's X Y Z belong to it and nothing else moves."""
    key = b.g["non-modal"][0]
    if key == 40:
        _dwell(c, b)
        return False
    if key == 530:
        _compensation_must_be_off(c, b)
        _machine_move(c, b)
    elif key == 100:
        _data(c, b)
    elif key in (280, 300):
        _compensation_must_be_off(c, b)
        _reference(c, b, c.machine.home if key == 280 else c.machine.second_home)
    elif key == 520:
        local = list(c.modal.mapping.transform.local)
        for letter, value in _take(c, b, _AXES).items():
            local[_AXES.index(letter)] = value
        _put(c, replace(c.modal.mapping.transform, local=(local[0], local[1], local[2])))
    elif key == 921:
        _put(c, replace(c.modal.mapping.transform, preset=(0.0, 0.0, 0.0)))
    else:
        _preset(c, b)
    return True


def _compensation_must_be_off(c: Control, b: BlockWords) -> None:
    word = b.g_word("non-modal")
    if word is not None:
        compensated.left_on(c, b.block, word, word.text.upper())
    compensated.end(c)


def _dwell(c: Control, b: BlockWords) -> None:
    letter = next((x for x in c.profile.dwells if x in b.letters), c.profile.dwell_letter)
    word = b.letters.pop(letter, None)
    if word is None or word.value < 0:
        c.find_span(
            "syntax",
            b,
            word or b.g_word("non-modal"),
            f"G4 needs {' or '.join(c.profile.dwells)} and how long to wait",
            f"write {letter} and the time",
        )
        # What was written for the time under another letter is no place to go to.
        _take(c, b, _AXES)
        return
    seconds = c.profile.dwell_seconds(word.value, letter)
    if seconds >= LONG_DWELL_S:
        c.find_word(
            "dwell-long", b.block, word, f"the machine waits {show_clock(seconds)} minutes here: {word.text.upper()} counts in {_TIMES[c.profile.dwells[letter]]}",
            "check the figure and its decimal point", {"seconds": seconds},
        )  # fmt: skip
    c.wait(b.block, seconds)


def _machine_move(c: Control, b: BlockWords) -> None:
    """G53: this block's X Y Z are machine coordinates, absolute, no length offset."""
    m = c.modal
    found = b.g.get("motion")
    if found is not None and found[0] in (0, 10):
        m.motion = g_name(found[0])
        c.changed()
    word = b.g_word("non-modal")
    if m.motion not in ("G0", "G1"):
        c.find_span("syntax", b, word, f"G53 moves straight, but {m.motion} is in force", "write G0 or G1 beside G53")
        return
    end = list(c.at)
    for axis, letter in enumerate(_AXES):
        if letter in b.letters:
            end[axis] = c.length(b.letters[letter].value)
    motion.straight(c, b, (end[0], end[1], end[2]), machine=True)


def _reference(c: Control, b: BlockWords, point: Vector) -> None:
    """G28, G30: through the programmed place, then home with the axes named; the others stay."""
    named = [axis for axis, letter in enumerate(_AXES) if letter in b.letters]
    if not named:
        word = b.g_word("non-modal")
        c.find_span(
            "syntax",
            b,
            word,
            f"{word.text.upper() if word else 'G28'} names no axis: nothing goes home",
            "name the axes, as in G91 G28 Z0",
        )
        return
    c.go(Kind.RAPID, b.block, places.target(c, b.letters), math.nan, machine=True)
    end = list(c.at)
    for axis in named:
        end[axis] = point[axis]
    c.go(Kind.RAPID, b.block, (end[0], end[1], end[2]), math.nan, machine=True)


def _preset(c: Control, b: BlockWords) -> None:
    """G92: the place where the machine stands is called by these figures from here on."""
    given = _take(c, b, _AXES)
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


def correct(c: Control, told: AtStop) -> None:
    """What is corrected by hand while the program stands at a stop."""
    m = c.modal
    # New tables, never changed ones: a checkpoint may hold the old.
    c.radius_registers, c.radius_wear = (
        {**table, **{n: table.get(n, 0.0) + v for n, v in told.radius.items()}}
        for table in (c.radius_registers, c.radius_wear)
    )
    c.length_registers, c.length_wear = (
        {**table, **{n: table.get(n, 0.0) + v for n, v in told.length.items()}}
        for table in (c.length_registers, c.length_wear)
    )
    if m.h_number is not None and m.h_number in told.length:
        m.h_value += m.h_sign * told.length[m.h_number]
        c.length_changed()
    for name, by in told.work.items():
        x, y, z = c.work_offsets.get(name, (0.0, 0.0, 0.0))
        c.work_offsets = {**c.work_offsets, name: (x + by[0], y + by[1], z + by[2])}
        if name == m.offset:
            c.use_offset(name)


def _data(c: Control, b: BlockWords) -> None:
    """G10: L2 sets a work offset; L10 to L13 length and radius registers and their wear."""
    m = c.modal
    kind, number = b.letters.pop("L", None), b.letters.pop("P", None)
    word = b.g_word("non-modal")
    if kind is None or number is None or number.value != int(number.value) or number.value < 0:
        c.find_span(
            "syntax", b, kind or word, "G10 needs L, what is set, and P, its number", "write as in G10 L2 P1 X0 Y0 Z0"
        )
        return
    which = int(number.value)
    if kind.value == 2.0:
        if which > len(OFFSETS_IN_ORDER):
            c.find_span(
                "syntax", b, number, f"G10 L2 knows P0 to P{len(OFFSETS_IN_ORDER)}", "P1 is G54, P2 is G55, and so on"
            )
            return
        name = m.offset if which == 0 else OFFSETS_IN_ORDER[which - 1]
        values = list(c.work_offsets.get(name, (0.0, 0.0, 0.0)))
        for letter, value in _take(c, b, _AXES).items():
            axis = _AXES.index(letter)
            values[axis] = value if m.absolute else values[axis] + value
        c.work_offsets = {**c.work_offsets, name: (values[0], values[1], values[2])}
        if name == m.offset:
            c.use_offset(name)
        return
    given = b.letters.pop("R", None)
    if kind.value not in (10.0, 11.0, 12.0, 13.0) or given is None:
        c.find_span(
            "word-unknown",
            b,
            kind,
            f"G10 {kind.text.upper()} is not known to this control, or has no R",
            "L2, L10, L11, L12 and L13 are known",
        )
        return
    lengths, wear = kind.value in (10.0, 11.0), kind.value in (11.0, 13.0)
    sums, worn = (c.length_registers, c.length_wear) if lengths else (c.radius_registers, c.radius_wear)
    length = c.length(given.value)
    if not lengths and c.profile.d_register == "diameter":
        length /= 2.0
    # The register is its geometry and its wear together; each is set by itself, and in G91 by so much more.
    geometry, off = sums.get(which, 0.0) - worn.get(which, 0.0), worn.get(which, 0.0)
    if wear:
        off = length if m.absolute else off + length
    else:
        geometry = length if m.absolute else geometry + length
    # New tables, never changed ones: a checkpoint may hold the old.
    sums, worn = {**sums, which: geometry + off}, {**worn, which: off}
    if not lengths:
        c.radius_registers, c.radius_wear = sums, worn
        return
    c.length_registers, c.length_wear = sums, worn
    if m.h_number == which:
        m.h_value = m.h_sign * sums[which]
        c.length_changed()
