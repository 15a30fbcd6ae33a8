"""Machine and control profiles: shipped ones by name, a person's own by path."""

from __future__ import annotations

import difflib
import re
from collections.abc import Mapping
from functools import cache
from pathlib import Path

from underglass.core.bench.machine import Machine, Triple
from underglass.core.control.cycles import COMMON_CYCLES, CYCLES, INPUTS, BoundCycle, Cycle, Input, PeckHabits
from underglass.core.control.flow import Limits
from underglass.core.control.profile import ControlProfile
from underglass.core.control.state import LENGTH_WAYS
from underglass.core.control.words import M_GROUPS, Vocabulary, g_key, g_name
from underglass.core.data import data_folder
from underglass.core.entries.checked import Table, read_toml
from underglass.core.files import machines
from underglass.core.files.flat_words import flat_words
from underglass.core.files.lathe_words import lathe_words, letters, m_words
from underglass.core.language.handover import FileHabits
from underglass.core.trade_list import TRADES
from underglass.core.units import MM_PER_INCH, Unit


@cache
def shipped(kind: str) -> tuple[str, ...]:
    """Names of the shipped profiles of a kind (``machine`` or ``control``)."""
    return tuple(sorted(p.stem for p in (data_folder() / "profiles" / kind).glob("*.toml")))


def find(kind: str, name: str, folder: Path, entry: Table, key: str) -> Path:
    """The file of a profile. Raises ``BadEntry`` at the job's entry where there is none."""
    if name in shipped(kind):
        return data_folder() / "profiles" / kind / f"{name}.toml"
    path = folder / name
    try:
        if path.is_file():
            return path
    except (OSError, ValueError):
        pass  # no name that a file can have
    near = difflib.get_close_matches(name, shipped(kind), 1)
    hint = f"; did you mean {near[0]}?" if near else f"; shipped are {', '.join(shipped(kind))}"
    raise entry.bad(key, f"there is no {kind} profile '{name}' and no such file{hint}")


def _start(path: Path, what: str) -> tuple[Table, str]:
    """A profile's top and its kind. ``what``: machine or control.

    Of a kind other than a mill, a table that is left out is the shipped profile's; with ``base`` single entries are too.
    """
    top = read_toml(path)
    if top.whole("format") != 1:
        raise top.bad("format", "this must be 1, the format this version reads")
    base = top.text("base")
    shelf = data_folder() / "profiles" / what
    if base is not None and base not in shipped(what):
        raise top.bad("base", f"there is no shipped {what} profile '{base}'; there are {', '.join(shipped(what))}")
    if base is not None and "kind" not in top:
        kind = read_toml(shelf / f"{base}.toml").choice("kind", list(TRADES))
    else:
        kind = top.choice("kind", list(TRADES))
    usual = TRADES[kind].usual_control if what == "control" else TRADES[kind].usual_machine
    if (kind != "mill" or base is not None) and path != shelf / f"{usual}.toml":
        other = read_toml(shelf / f"{base or usual}.toml")
        for name in ("format", "kind", "title"):
            other.raw(name)
        top.fill(other, deep=base is not None)
    return top, kind


def _part(top: Table, name: str) -> Table:
    part = top.table(name)
    if part is None:
        raise top.bad(name, "this table is missing")
    return part


def read_machine(path: Path) -> Machine:
    """A machine profile; a shipped one is read once. Raises ``UnusableFile`` or ``BadEntry``."""
    return _shipped_machine(path) if path.parent == data_folder() / "profiles" / "machine" else _machine(path)


@cache
def _shipped_machine(path: Path) -> Machine:
    return _machine(path)


def _machine(path: Path) -> Machine:
    top, kind = _start(path, "machine")
    title = top.need_text("title") if "title" in top or kind == "mill" else path.stem
    if kind != "mill":
        return machines.READERS[kind](top, path.stem, title)
    travel = _part(top, "travel")
    ranges = []
    for axis in "xyz":
        pair = travel.numbers(axis, 2)
        if pair is None or pair[0] >= pair[1]:
            raise travel.bad(axis, "this must be the two ends of the axis, the smaller first")
        ranges.append(pair)
    travel.done()
    home = _part(top, "home")
    at: Triple = (home.need_number("x"), home.need_number("y"), home.need_number("z"))
    home.done()
    second = top.table("second_home")
    at_second: Triple = at
    if second is not None:
        at_second = (second.need_number("x"), second.need_number("y"), second.need_number("z"))
        second.done()
    table = _part(top, "table")
    table_z = table.need_number("z")
    table.done()
    rates = _part(top, "rates")
    rapid = rates.need_number("rapid", above=0.0)
    feed = rates.need_number("feed_max", above=0.0)
    accel = rates.need_number("acceleration", above=0.0)
    rates.done()
    spindle = _part(top, "spindle")
    speed = spindle.need_number("max", above=0.0)
    nose = spindle.need_number("nose_diameter", above=0.0)
    power = spindle.number("power_kw", None, above=0.0)
    spindle.done()
    change = _part(top, "tool_change")
    seconds = change.number("seconds", 0.0, least=0.0)
    lift = change.number("lift_z")
    change.done()
    top.done()
    return Machine(
        name=path.stem, title=title,
        travel_min=(ranges[0][0], ranges[1][0], ranges[2][0]), travel_max=(ranges[0][1], ranges[1][1], ranges[2][1]),
        home=at, table_z=table_z, rapid=(rapid, rapid, rapid), feed_max=feed, spindle_max=speed, nose_diameter=nose, acceleration=(accel, accel, accel), tool_change_s=seconds, tool_change_lift_z=lift, second_home=at_second, spindle_kw=power, kind=kind,
    )  # fmt: skip


_DWELL_LETTERS = ["P", "X", "F", "U"]

_POWER_ON = (
    "G96",
    "G94",
    "G18",
    "G19",
    "G61",
    "G64",
    "G90.1",
    "G91.1",
    "G93",
    "G95",
    "G97",
    "G17",
    "G20",
    "G21",
    "G40",
    "G49",
    "G54",
    "G55",
    "G56",
    "G57",
    "G58",
    "G59",
    "G69",
    "G80",
    "G90",
    "G91",
    "G94",
    "G98",
    "G99",
)


_WORD = re.compile(r"([GM])(\d{1,3}(?:\.\d)?)")


def _same_as(top: Table, kind: str) -> dict[tuple[str, float], tuple[tuple[str, float], ...]]:
    """The words of this control that stand for others: ``[same_as]  G70 = "G20"``, ``M13 = "M3 M8"``."""
    part = top.table("same_as")
    out: dict[tuple[str, float], tuple[tuple[str, float], ...]] = {}
    for name in part.names() if part is not None else []:
        assert part is not None
        own = _WORD.fullmatch(name.upper())
        if own is None:
            raise part.bad(name, f"'{name}' is no G- or M-word")
        meant = [(text, _WORD.fullmatch(text.upper())) for text in (part.text(name) or "").split()]
        wrong = next((text for text, found in meant if found is None or not _known(found, TRADES[kind].words)), None)
        if wrong is not None or not meant:
            raise part.bad(name, f"'{wrong or ''}' is no word that this control can be given")
        out[(own[1], float(own[2]))] = tuple((found[1], float(found[2])) for _text, found in meant if found is not None)
    return out


def _cycles(top: Table, kind: str) -> tuple[dict[int, BoundCycle], PeckHabits, bool, str]:
    """``[cycles]``: the built-in cycle that a code runs, with the letters of its inputs where they are other ones."""
    part = top.table("cycles")
    if part is None:
        return dict(COMMON_CYCLES) if kind == "mill" else {}, PeckHabits(), False, "no-motion"
    habits = PeckHabits(part.number("lift_mm", 0.25, least=0.0), part.number("clear_mm", 0.25, least=0.0))
    tap_starts = part.flag("tap_starts_spindle", False)
    after = part.choice("after_g80", ["no-motion", "as-before"], "no-motion")
    out: dict[int, BoundCycle] = {}
    for name in part.names():
        own = _WORD.fullmatch(name.upper())
        key = g_key(float(own[2])) if own is not None and own[1] == "G" else None
        if key is None:
            raise part.bad(name, f"'{name}' is no G-word")
        if key in TRADES[kind].words.g:
            raise part.bad(name, f"{g_name(key)} has a meaning that no cycle can take")
        inputs = part.table(name) if isinstance(part.peek(name), dict) else None
        where, entry = (inputs, "does") if inputs is not None else (part, name)
        made = CYCLES[where.choice(entry, [n for n, one in CYCLES.items() if one.kind == kind])]
        known = {n: made.known[n] for n in made.inputs} if kind != "mill" else INPUTS
        letters = {n: one.letter for n, one in known.items()}
        counts = _counts(inputs, known) if inputs is not None else {}
        front = inputs.table("ahead") if inputs is not None and kind != "mill" else None
        ahead = _letters(front, made, known, kind) if front is not None else {}
        if inputs is not None:
            letters |= _letters(inputs, made, known, kind)
        out[key] = BoundCycle(cycle=made, letters=letters, counts=counts, ahead=ahead)
    part.done()
    return out, habits, tap_starts, after


def _letters(part: Table, made: Cycle, known: Mapping[str, Input], kind: str) -> dict[str, str]:
    """The letters that a table gives inputs of a cycle."""
    out: dict[str, str] = {}
    mill = kind == "mill"
    for one in part.names():
        letter = (part.text(one) or "").upper()
        if one not in known:
            whose = "a cycle" if mill else made.name
            raise part.bad(one, f"'{one}' is no input of {whose}; they are {', '.join(known)}")
        if len(letter) != 1 or letter not in ("DEFHIJKLPQRSTUVWZ" if mill else "ABCDEFHIJKLPQRSUVWXYZ"):
            raise part.bad(one, f"this must be one letter, and none of G M N O {'X Y' if mill else 'T'}")
        out[one] = letter
    return out


_COUNTS = {
    "diameter",
    "radius",
    "absolute",
    "incremental",
    "plain",
    "hundredths",
    "increment",
    "signed",
    "unsigned",
    "total",
    "pass",
}


def _counts(inputs: Table, known: Mapping[str, Input]) -> dict[str, frozenset[str]]:
    """``as = { total = "diameter, incremental" }``: inputs that count otherwise than usual."""
    part = inputs.table("as")
    out: dict[str, frozenset[str]] = {}
    for name in part.names() if part is not None else []:
        assert part is not None
        if name not in known:
            raise part.bad(name, f"'{name}' is no input here; they are {', '.join(known)}")
        words = frozenset(word.strip() for word in (part.text(name) or "").split(","))
        wrong = sorted(words - _COUNTS)
        if wrong:
            raise part.bad(
                name, f"'{wrong[0]}' says nothing about how an input counts; one of {', '.join(sorted(_COUNTS))}"
            )
        out[name] = words
    return out


def _no_effect(top: Table, kind: str) -> tuple[dict[int, str], dict[int, str]]:
    """``[machine_words]``: M-words, and G-words by code times ten, that move nothing here, with what they do."""
    part = top.table("machine_words")
    words = TRADES[kind].words
    out: dict[int, str] = {}
    out_g: dict[int, str] = {}
    for name in part.names() if part is not None else []:
        assert part is not None
        key = g_key(float(name[1:])) if re.fullmatch(r"[Gg]\d{1,3}(\.\d)?", name) else None
        if key is not None:
            if key in words.g:
                raise part.bad(
                    name, f"{g_name(key)} has a meaning already; under [same_as] it can stand for other words"
                )
            out_g[key] = part.need_text(name)
            continue
        own = re.fullmatch(r"M(\d{1,4})", name.upper())
        if own is None:
            raise part.bad(name, f"'{name}' is no G- or M-word")
        if int(own[1]) in words.m or int(own[1]) in (98, 99):
            raise part.bad(name, f"M{int(own[1])} has a meaning already; under [same_as] it can stand for other words")
        out[int(own[1])] = part.need_text(name)
    return out, out_g


def _end_words(top: Table) -> tuple[tuple[int, ...], tuple[str, ...]]:
    """``[text]``: how a program is to end, and the comments that the control reads."""
    part = top.table("text")
    if part is None:
        return (2, 30), ("()", ";")
    ends, forms = (
        part.raw("end") if "end" in part else ["M2", "M30"],
        part.raw("comments") if "comments" in part else ["()", ";"],
    )
    if not isinstance(ends, list) or not ends or any(word not in ("M2", "M30") for word in ends):
        raise part.bad("end", 'this must be a list of "M2" and "M30", or one of them')
    if not isinstance(forms, list) or any(form not in ("()", ";") for form in forms):
        raise part.bad("comments", 'this must be a list of "()" and ";", or one of them')
    part.done()
    return tuple(int(word[1:]) for word in ends), tuple(forms)


def _file(top: Table) -> FileHabits:
    """``[file]``: how the control wants a program's file."""
    part = top.table("file")
    plain = FileHabits()
    if part is None:
        return plain
    extension = part.text("extension", plain.extension) or ""
    if extension and not re.fullmatch(r"\.[A-Za-z0-9]{1,8}", extension):
        raise part.bad("extension", "this must be a point and up to eight letters or figures, or nothing")
    ends = part.choice("line_ends", ["crlf", "lf", "cr"], plain.line_ends)
    numbers = part.choice("numbers", ["keep", "all", "none"], plain.numbers)
    letters = part.choice("letters", ["any", "upper"], plain.letters)
    out = FileHabits(
        extension=extension,
        line_ends="lf" if ends == "lf" else "cr" if ends == "cr" else "crlf",
        percent=part.flag("percent", plain.percent),
        numbers="all" if numbers == "all" else "none" if numbers == "none" else "keep",
        letters="upper" if letters == "upper" else "any",
        longest_line=part.whole("longest_line", plain.longest_line) or 0,
        longest_name=part.whole("longest_name", plain.longest_name) or 0,
        characters=part.text("characters", plain.characters) or "",
    )
    part.done()
    return out


def _known(word: re.Match[str], words: Vocabulary) -> bool:
    if word[1] == "G":
        key = g_key(float(word[2]))
        return key is not None and key in words.g
    return float(word[2]) in words.m


def read_control(path: Path) -> ControlProfile:
    """A control profile; a shipped one is read once. Raises ``UnusableFile`` or ``BadEntry``."""
    if path.parent == data_folder() / "profiles" / "control":
        return _shipped_control(path, tuple(CYCLES))
    return _control(path)


@cache
def _shipped_control(path: Path, _cycles: tuple[str, ...]) -> ControlProfile:
    """``_cycles``: all that are known; with another one among them a profile may say more."""
    return _control(path)


def _control(path: Path) -> ControlProfile:
    top, kind = _start(path, "control")
    title = top.need_text("title") if "title" in top or kind == "mill" else path.stem
    registers = _part(top, "registers")
    d = registers.choice("d", ["radius", "diameter"])
    registers.done()
    arcs = _part(top, "arcs")
    tolerance = arcs.need_number("tolerance_mm", above=0.0)
    tolerance_inch = arcs.need_number("tolerance_inch", above=0.0) * MM_PER_INCH
    longest = arcs.choice("longest", ["full", "quadrant"], "full")
    by_r = arcs.choice("r_beside_centre", ["centre", "radius"], "centre") == "radius"
    arcs.done()
    order = _part(top, "order")
    stop = order.choice("stop_words", ["block-end", "block-start"])
    t_alone = order.choice("t_alone", ["preselect", "change"], "preselect")
    rapids = order.choice("rapids", ["straight", "axes"], "straight")
    most_m = order.whole("m_words", 3, least=1) or 3
    order.done()
    cycles, pecks, tap_starts, after_g80 = _cycles(top, kind)
    no_effect, no_effect_g = _no_effect(top, kind)
    end_words, comments = _end_words(top)
    same_as = _same_as(top, kind)
    numbers = _part(top, "numbers")
    plain = numbers.choice("without_point", ["plain", "increment"]) == "plain"
    step_mm = numbers.number("increment_mm", 0.001, above=0.0)
    step_inch = numbers.number("increment_inch", 0.0001, above=0.0)
    increment: dict[Unit, float] | None = None if plain else {"mm": step_mm, "inch": step_inch}
    x_radius = numbers.choice("x", ["diameter", "radius"], "diameter") == "radius"
    hundredths = letters(numbers, "hundredths")
    step_plain = numbers.choice("peck_without_point", ["as-lengths", "increment"], "as-lengths") == "as-lengths"
    numbers.done()
    calls = top.table("calls")
    repeats = calls.choice("repeats", ["L", "K", "P"], "L") if calls is not None else "L"
    local_call: int | None = None
    returns: tuple[int, ...] = (99,)
    if calls is not None:
        local = calls.text("local", "") or ""
        if local and (not re.fullmatch(r"M\d{1,4}", local) or int(local[1:]) in M_GROUPS):
            raise calls.bad("local", 'this must be a free M-word in quotes, as in "M97", or nothing')
        local_call = int(local[1:]) if local else None
        returns = tuple(int(w[1:]) for w in m_words(calls, "return", ["M99"]))
        calls.done()
    thread = top.table("thread")
    thread_letter = thread.choice("pitch", ["K", "F"], "K") if thread is not None else "K"
    infeed = thread.choice("infeed", ["area", "depth"], "area") if thread is not None else "area"
    if thread is not None:
        thread.done()
    comp = _part(top, "compensation")
    corner = comp.choice("outside_corner", ["rolled", "extended"])
    lookahead = comp.whole("lookahead", 2, least=1) or 2
    entry = comp.flag("entry_at_least_radius", True)
    d_default = comp.choice("without_d", ["tool", "alarm"])
    after_g40 = comp.choice("after_g40", ["axis", "plane", "at-once"], "axis")
    side_change = comp.choice("side_change", ["alarm", "go-on"], "alarm")
    comp.done()
    bounds = _part(top, "limits")
    limits = Limits(
        jumps=bounds.whole("jumps", 100_000, least=1) or 1,
        nesting=bounds.whole("nesting", 10, least=1) or 1,
        work=bounds.whole("work", 1_000_000, least=1) or 1,
        pecks=bounds.whole("pecks", 10_000, least=1) or 1,
        moves=(bounds.whole("thousand_moves", 12_000, least=1) or 1) * 1000,
    )
    bounds.done()
    dwell = _part(top, "dwell")
    dwells = {dwell.choice("letter", _DWELL_LETTERS): dwell.choice("unit", ["s", "ms"])}
    also = dwell.table("also")
    for letter in also.names() if also is not None else []:
        assert also is not None
        if letter not in _DWELL_LETTERS:
            raise also.bad(letter, f"the letter of a dwell is one of {', '.join(_DWELL_LETTERS)}")
        dwells[letter] = also.choice(letter, ["s", "ms"])
    dwell.done()
    length = top.table("length")
    length_by, h_default = "length-registers", "alarm"
    if length is not None:
        length_by = length.choice("by", LENGTH_WAYS, "length-registers")
        h_default = length.choice("without_h", ["tool", "alarm"], "alarm")
        length.done()
    power = _part(top, "power_on")
    words = power.raw("words")
    if not isinstance(words, list) or not all(isinstance(w, str) for w in words):
        raise power.bad("words", "this must be a list of G-words in quotes")
    for word in words:
        if word not in _POWER_ON:
            raise power.bad("words", f"'{word}' is not a word this control can start with")
    power.done()
    incremental: dict[str, str] = {}
    tool_word = "T-M6"
    if kind == "lathe":
        incremental, tool_word = lathe_words(top)
    flat = flat_words(top, kind)
    same_as = {**flat.same_as, **same_as}
    file = _file(top)
    top.done()
    return ControlProfile(
        name=path.stem,
        title=title,
        d_register="radius" if d == "radius" else "diameter",
        arc_tolerance={"mm": tolerance, "inch": tolerance_inch},
        stop_words="block-end" if stop == "block-end" else "block-start",
        power_on=tuple(words),
        limits=limits,
        increment=increment,
        same_as=same_as,
        longest_arc="quadrant" if longest == "quadrant" else "full",
        corner="extended" if corner == "extended" else "rolled",
        lookahead=lookahead,
        entry_at_least_radius=entry,
        d_default="tool" if d_default == "tool" else "alarm",
        dwells=dwells,
        after_g40="plane" if after_g40 == "plane" else "at-once" if after_g40 == "at-once" else "axis",
        side_change="go-on" if side_change == "go-on" else "alarm",
        arc_by_r=by_r,
        tap_starts=tap_starts,
        after_g80="as-before" if after_g80 == "as-before" else "no-motion",
        no_effect_g=no_effect_g,
        local_call=local_call,
        most_m=most_m,
        length_by=length_by,
        h_default="tool" if h_default == "tool" else "alarm",
        peck_increment=None if step_plain else {"mm": step_mm, "inch": step_inch},
        cycles=cycles,
        pecks=pecks,
        no_effect=no_effect,
        end_words=end_words,
        comments=comments,
        rapids="axes" if rapids == "axes" else "straight",
        t_alone="change" if t_alone == "change" else "preselect",
        repeats="K" if repeats == "K" else "P" if repeats == "P" else "L",
        thread_letter="F" if thread_letter == "F" else "K",
        file=file,
        kind=kind,
        words=TRADES[kind].words,
        x_radius=x_radius,
        hundredths=hundredths,
        incremental=incremental,
        tool_word=tool_word,
        thread_infeed="depth" if infeed == "depth" else "area",
        returns=returns,
        cutter_below=flat.cutter_below,
        turn_letter=flat.turn_letter,
    )
