"""Edits, undone and made again; line ends kept line by line."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from underglass.core.language.buffer import Buffer, Change, Place, line_after

texts = st.text(alphabet="GX1 \n", max_size=40)


@st.composite
def edits(draw: st.DrawFn) -> tuple[int, int, str, str]:
    return draw(st.integers(0, 60)), draw(st.integers(0, 10)), draw(texts), draw(st.sampled_from(["", "type", "rub"]))


def _place(text: str, at: int) -> Place:
    before = text[:at].split("\n")
    return Place(len(before) - 1, len(before[-1]))


@given(texts, st.lists(edits(), max_size=12))
def test_edits_do_what_slicing_does_and_undo_takes_all_of_them_back(
    text: str, steps: list[tuple[int, int, str, str]]
) -> None:
    buffer = Buffer(text)
    changes: list[Change] = []
    buffer.changed.append(changes.append)
    states = [text]
    for start, length, new, kind in steps:
        now = buffer.text
        a, b = min(start, len(now)), min(start + length, len(now))
        behind = buffer.replace(_place(now, a), _place(now, b), new, kind)
        assert buffer.text == now[:a] + new + now[b:]
        assert behind == _place(buffer.text, a + len(new))
        states.append(buffer.text)
    final = buffer.text
    while buffer.undo() is not None:
        assert buffer.text in states
    assert buffer.text == text and not buffer.modified
    while buffer.redo() is not None:
        pass
    assert buffer.text == final
    # The changes told, made on a list of one's own, give the same lines.
    lines = text.split("\n")
    for change in changes:
        assert tuple(lines[change.first : change.first + len(change.removed)]) == change.removed
        lines[change.first : change.first + len(change.removed)] = change.inserted
    assert lines == buffer.lines


@given(st.lists(st.tuples(st.text(alphabet="GX1", max_size=4), st.sampled_from(["\n", "\r\n", "\r"])), max_size=8))
def test_mixed_line_ends_stay_with_their_lines(rows: list[tuple[str, str]]) -> None:
    text = "".join(a + b for a, b in rows) + "M30"
    buffer = Buffer(text, "\n")
    # "\r" before an empty line and "\n" is one line end: the text says so, not the list it was made of.
    assert buffer.as_filed() == text
    buffer.replace(Place(0, 0), Place(0, 0), "N1 ")
    assert buffer.as_filed() == "N1 " + text
    buffer.replace(Place(0, 0), Place(0, 0), "(NEW)\n")
    assert buffer.as_filed().endswith("M30") and len(buffer.lines) == len(Buffer(text).lines) + 1
    buffer.undo()
    buffer.undo()
    assert buffer.text == Buffer(text).text


def test_typing_is_one_step_until_something_else_is_done() -> None:
    buffer = Buffer("M30")
    at = Place(0, 0)
    for letter in "G0 X1":
        at = buffer.replace(at, at, letter, "type")
    buffer.break_step()
    at = buffer.replace(at, at, "\n", "type")
    buffer.undo()
    assert buffer.text == "G0 X1M30"
    assert buffer.undo() == (Place(0, 0), Place(0, 0))
    assert buffer.text == "M30" and not buffer.can_undo and buffer.can_redo


def test_a_group_is_one_step_and_one_message() -> None:
    buffer = Buffer("A\nB\nC")
    told: list[int] = []
    buffer.finished.append(lambda: told.append(buffer.revision))
    with buffer.group():
        assert buffer.change_lines(0, 1, ["A1"])
        assert buffer.change_lines(2, 1, ["C1", "C2"])
        assert not buffer.change_lines(0, 1, ["A1"])
    assert buffer.text == "A1\nB\nC1\nC2" and len(told) == 1
    buffer.undo()
    assert buffer.text == "A\nB\nC"


def test_modified_follows_undo_back_to_what_was_saved() -> None:
    buffer = Buffer("A")
    at = buffer.replace(Place(0, 1), Place(0, 1), "B", "type")
    buffer.mark_saved()
    assert not buffer.modified
    buffer.replace(at, at, "C", "type")
    assert buffer.modified
    buffer.undo()
    assert buffer.text == "AB" and not buffer.modified
    buffer.undo()
    assert buffer.text == "A" and buffer.modified
    # With another text typed here the saved one can never come back.
    buffer.replace(Place(0, 1), Place(0, 1), "X")
    assert buffer.modified


def test_where_a_line_is_after_a_change() -> None:
    change = Change(2, ("a", "b"), ("x", "y", "z"))
    assert [line_after(k, change) for k in (0, 1, 2, 3, 4)] == [0, 1, 2, 3, 5]
    assert line_after(3, Change(2, ("a", "b"), ())) == 2
