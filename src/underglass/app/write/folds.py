"""Which lines are folded away, and which row of the view each of the others stands in."""

from __future__ import annotations

from bisect import bisect_right

from underglass.core.language.buffer import Change


class Folds:
    """Hidden stretches of lines, each as (first hidden, last hidden), from 0, apart from one another and in order.

    The line before a stretch stays and stands for it.
    """

    def __init__(self) -> None:
        self.hidden: list[tuple[int, int]] = []
        self._firsts: list[int] = []
        self._before: list[int] = []
        """Lines hidden before each stretch."""

    def _worked_out(self) -> None:
        self._firsts = [first for first, _last in self.hidden]
        self._before, count = [], 0
        for first, last in self.hidden:
            self._before.append(count)
            count += last - first + 1

    @property
    def count(self) -> int:
        """How many lines are hidden."""
        return self._before[-1] + self.hidden[-1][1] - self.hidden[-1][0] + 1 if self.hidden else 0

    def clear(self) -> None:
        self.hidden = []
        self._worked_out()

    def fold(self, first: int, last: int) -> None:
        """Hide these lines; what was folded inside them goes into the one stretch."""
        if last < first:
            return
        apart = [(a, b) for a, b in self.hidden if b < first or a > last]
        joined = [(a, b) for a, b in self.hidden if not (b < first or a > last)]
        self.hidden = sorted([*apart, (min([first, *(a for a, _b in joined)]), max([last, *(b for _a, b in joined)]))])
        self._worked_out()

    def at(self, line: int) -> tuple[int, int] | None:
        """The stretch that a line is hidden in."""
        k = bisect_right(self._firsts, line) - 1
        return self.hidden[k] if k >= 0 and line <= self.hidden[k][1] else None

    def under(self, line: int) -> tuple[int, int] | None:
        """The stretch that a line stands for."""
        found = self.at(line + 1)
        return found if found is not None and found[0] == line + 1 else None

    def unfold(self, line: int) -> bool:
        """Show the stretch that a line stands for or is hidden in. False: there is none."""
        found = self.at(line) or self.under(line)
        if found is None:
            return False
        self.hidden.remove(found)
        self._worked_out()
        return True

    def row(self, line: int) -> int:
        """The row a line stands in; of a hidden one, the row of the line that stands for it."""
        k = bisect_right(self._firsts, line) - 1
        if k < 0:
            return line
        first, last = self.hidden[k]
        return line - self._before[k] - (last - first + 1) if line > last else first - self._before[k] - 1

    def line(self, row: int) -> int:
        """The line that stands in a row."""
        low, high = 0, len(self.hidden)
        while low < high:
            middle = (low + high) // 2
            if self._firsts[middle] - self._before[middle] <= row:
                low = middle + 1
            else:
                high = middle
        return row if low == 0 else row + self._before[low - 1] + self.hidden[low - 1][1] - self.hidden[low - 1][0] + 1

    def follow(self, change: Change) -> None:
        """Move along with an edit; a stretch that it touches is shown."""
        if not self.hidden:
            return
        end = change.first + len(change.removed)
        out = []
        for first, last in self.hidden:
            if last < change.first:
                out.append((first, last))
            elif first > end or (first == end and change.removed):
                out.append((first + change.growth, last + change.growth))
        # The line that stands for a stretch may be typed in; the stretch opens only where lines of it are touched.
        self.hidden = [(a, b) for a, b in out if a > 0]
        self._worked_out()
