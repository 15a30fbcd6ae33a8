"""The text being edited: lines that change, with undo without limit and the line ends each line came with.

Glossary: a *place* is a line and a column, both from 0, as in the list of lines; a *change* replaces some whole lines
by others; a *step* is what one undo takes back, one or more changes. A text that ends with a line end has an empty
last line here, as an editor shows it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import NamedTuple

_ENDS = re.compile(r"\r\n|\n|\r")


class Place(NamedTuple):
    """Between two characters: line and column from 0."""

    line: int
    column: int


class Change(NamedTuple):
    """``removed`` lines from ``first`` (from 0) gave way to ``inserted``."""

    first: int
    removed: tuple[str, ...]
    inserted: tuple[str, ...]

    @property
    def turned_round(self) -> Change:
        """The change that takes this one back."""
        return Change(self.first, self.inserted, self.removed)

    @property
    def growth(self) -> int:
        """Lines more after it than before."""
        return len(self.inserted) - len(self.removed)


@dataclass(slots=True, kw_only=True)
class _Step:
    kind: str
    before: tuple[Place, Place]
    after: Place
    changes: list[Change] = field(default_factory=list)


def line_after(line: int, change: Change) -> int:
    """Where a line (from 0) is after a change; a line that went is taken to the change's last one."""
    if line < change.first:
        return line
    if line >= change.first + len(change.removed):
        return line + change.growth
    return min(line, change.first + max(len(change.inserted) - 1, 0))


class Buffer:
    """Lines with a history. ``lines`` is read by everyone and changed only here."""

    def __init__(self, text: str = "", newline: str = "\n") -> None:
        self.newline = newline
        self.lines: list[str] = [""]
        self._ends: list[str] | None = None
        self.revision = 0
        self._depth = 0
        self._open: _Step | None = None
        self._touched = False
        self._done: list[_Step] = []
        self._undone: list[_Step] = []
        self._saved: int | None = 0
        self._joined: tuple[int, str] = (-1, "")
        self.changed: list[Callable[[Change], None]] = []
        """Called for every change, once it is made."""
        self.finished: list[Callable[[], None]] = []
        """Called after a change or a group of them."""
        self.load(text)

    # -- what there is -------------------------------------------------------------------------------------------

    def load(self, text: str) -> None:
        """Another text: history is let go."""
        if "\r" not in text:
            self.lines = text.split("\n")
            self._ends = None
        else:
            ends = _ENDS.findall(text)
            self.lines = _ENDS.split(text)
            alike = len(set(ends)) < 2
            self._ends = None if alike and ends[:1] == [self.newline] else [*ends, ""]
        self.revision += 1
        self._done.clear()
        self._undone.clear()
        self._open = None
        self._saved = 0

    @property
    def text(self) -> str:
        """All of it, line ends as ``\\n``; put together once for each revision."""
        if self._joined[0] != self.revision:
            self._joined = (self.revision, "\n".join(self.lines))
        return self._joined[1]

    @property
    def mixed_ends(self) -> bool:
        """Whether lines have line ends of their own."""
        return self._ends is not None

    def as_filed(self) -> str:
        """All of it with the line ends that a file has: each line its own where they were mixed."""
        if self._ends is None:
            return self.text if self.newline == "\n" else self.newline.join(self.lines)
        last = len(self.lines) - 1
        return "".join(
            line if k == last else line + (end or self.newline)
            for k, (line, end) in enumerate(zip(self.lines, self._ends))
        )

    def clamp(self, place: Place) -> Place:
        """The nearest place that there is."""
        line = min(max(place.line, 0), len(self.lines) - 1)
        return Place(line, min(max(place.column, 0), len(self.lines[line])))

    @property
    def end(self) -> Place:
        """Behind the last character."""
        return Place(len(self.lines) - 1, len(self.lines[-1]))

    def between(self, start: Place, end: Place) -> str:
        """The text from one place to a later one."""
        if start.line == end.line:
            return self.lines[start.line][start.column : end.column]
        first, last = self.lines[start.line][start.column :], self.lines[end.line][: end.column]
        return "\n".join([first, *self.lines[start.line + 1 : end.line], last])

    @property
    def modified(self) -> bool:
        """Whether it differs from what was marked as saved, by its history."""
        return self._saved != len(self._done)

    def mark_saved(self) -> None:
        """What stands now is what the file holds."""
        self._saved = len(self._done)
        if self._done:
            self._done[-1].kind = ""

    def mark_unsaved(self) -> None:
        """What stands now is in no file."""
        self._saved = None

    # -- changing ------------------------------------------------------------------------------------------------

    def replace(self, start: Place, end: Place, text: str, kind: str = "") -> Place:
        """Put ``text`` in the stead of what stands between two places; the place behind it.

        Changes one after another of the same ``kind`` ("type", "rub"), each where the last one ended, are one step.
        """
        first, last = self.lines[start.line], self.lines[end.line]
        new = (first[: start.column] + text + last[end.column :]).split("\n") if text else [
            first[: start.column] + last[end.column :]
        ]  # fmt: skip
        behind = (
            Place(start.line, start.column + len(text))
            if len(new) == 1
            else Place(start.line + len(new) - 1, len(new[-1]) - (len(last) - end.column))
        )
        self._make(start.line, end.line - start.line + 1, new, kind, (start, end), behind)
        return behind

    def change_lines(self, first: int, count: int, new: Sequence[str], at: Place | None = None) -> bool:
        """Replace ``count`` lines from ``first`` by others; only what differs is touched. False: nothing differs."""
        old = self.lines[first : first + count]
        new = list(new)
        if old == new:
            return False
        head = 0
        while head < min(len(old), len(new)) and old[head] == new[head]:
            head += 1
        tail = 0
        while tail < min(len(old), len(new)) - head and old[-1 - tail] == new[-1 - tail]:
            tail += 1
        place = at if at is not None else Place(first + head, 0)
        self._make(first + head, len(old) - head - tail, new[head : len(new) - tail], "", (place, place), place)
        return True

    def _make(
        self, first: int, count: int, new: Sequence[str], kind: str, before: tuple[Place, Place], after: Place
    ) -> None:
        change = Change(first, tuple(self.lines[first : first + count]), tuple(new))
        if change.removed == change.inserted:
            return
        self._undone.clear()
        if self._saved is not None and self._saved > len(self._done):
            self._saved = None
        last = self._done[-1] if self._done else None
        if self._depth:
            if self._open is None:
                self._open = _Step(kind="", before=before, after=after)
                self._done.append(self._open)
            step = self._open
        elif last is not None and kind and last.kind == kind and before[1 if kind == "rub" else 0] == last.after:
            step = last
            # A saved text stays a step of its own: what is typed after it can be taken back to it.
            if self._saved == len(self._done):
                step = _Step(kind=kind, before=before, after=after)
                self._done.append(step)
        else:
            step = _Step(kind=kind, before=before, after=after)
            self._done.append(step)
        step.changes.append(change)
        step.after = after
        self._apply(change)
        self._finish()

    def _apply(self, change: Change) -> None:
        end = change.first + len(change.removed)
        self.lines[change.first : end] = change.inserted
        if not self.lines:
            self.lines.append("")
        if self._ends is not None:
            kept = self._ends[change.first : min(end, change.first + len(change.inserted))]
            self._ends[change.first : end] = kept + [self.newline] * (len(change.inserted) - len(kept))
            del self._ends[len(self.lines) :]
            self._ends += [""] * (len(self.lines) - len(self._ends))
        self.revision += 1
        for call in self.changed:
            call(change)

    def _finish(self) -> None:
        self._touched = True
        if not self._depth:
            self._touched = False
            for call in self.finished:
                call()

    @contextmanager
    def group(self) -> Iterator[None]:
        """Everything changed inside is one step."""
        self._depth += 1
        try:
            yield
        finally:
            self._depth -= 1
            if not self._depth:
                self._open = None
                if self._touched:
                    self._finish()

    def break_step(self) -> None:
        """What is typed next is a step of its own."""
        if self._done:
            self._done[-1].kind = ""

    # -- back and forth ------------------------------------------------------------------------------------------

    @property
    def can_undo(self) -> bool:
        return bool(self._done)

    @property
    def can_redo(self) -> bool:
        return bool(self._undone)

    def undo(self) -> tuple[Place, Place] | None:
        """Take the last step back; what was selected before it, or None."""
        if not self._done or self._depth:
            return None
        step = self._done.pop()
        for change in reversed(step.changes):
            self._apply(change.turned_round)
        self._undone.append(step)
        step.kind = ""
        self._finish()
        return self.clamp(step.before[0]), self.clamp(step.before[1])

    def redo(self) -> Place | None:
        """Make the step again that was taken back; the place behind it, or None."""
        if not self._undone or self._depth:
            return None
        step = self._undone.pop()
        for change in step.changes:
            self._apply(change)
        self._done.append(step)
        self._finish()
        return self.clamp(step.after)
