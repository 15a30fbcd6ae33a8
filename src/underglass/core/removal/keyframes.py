"""What a stock was before: every version of every part of it, kept by when it came to be. The same for every engine.

Glossary
    part     what an engine keeps apart: a tile of cells, a band of a section, a whole sheet; by number
    version  a part as it stood from some ``when`` on: a keyframe's number, a step, a count of bites; a whole number that rises
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Iterator
from typing import Generic, TypeVar

T = TypeVar("T")


class Versions(Generic[T]):
    """Versions by part, oldest first."""

    def __init__(self) -> None:
        self._when: dict[int, list[int]] = {}
        self._what: dict[int, list[T]] = {}
        self.count = 0

    def keep(self, part: int, when: int, what: T) -> None:
        """This is how the part stands from ``when`` on; told twice, the later word holds."""
        times, values = self._when.setdefault(part, []), self._what.setdefault(part, [])
        k = bisect_left(times, when)
        if k < len(times) and times[k] == when:
            values[k] = what
            return
        times.insert(k, when)
        values.insert(k, what)
        self.count += 1

    def at(self, part: int, when: int) -> T | None:
        """The part as it stood then; None where nothing had been kept of it."""
        times = self._when.get(part)
        k = bisect_right(times, when) - 1 if times is not None else -1
        return self._what[part][k] if k >= 0 else None

    def newest(self, part: int, when: int) -> int | None:
        """Since when the part stands as it stood then."""
        times = self._when.get(part)
        k = bisect_right(times, when) - 1 if times is not None else -1
        return times[k] if times is not None and k >= 0 else None

    def differing(self, one: int, other: int) -> Iterator[int]:
        """The parts that are not the same version at two times."""
        low, high = min(one, other), max(one, other)
        for part, times in self._when.items():
            if times[-1] > low and bisect_right(times, high) > bisect_right(times, low):
                yield part

    def last(self, part: int) -> T:
        """The part as it stands now. Raises ``KeyError`` where nothing is kept of it."""
        return self._what[part][-1]

    @property
    def times(self) -> Iterable[int]:
        """Every ``when`` of every part."""
        return (when for times in self._when.values() for when in times)

    def up_to(self, when: int) -> Versions[T]:
        """Those that had come to be by then: what a later run of nearly the same takes over."""
        out: Versions[T] = Versions()
        for part, times in self._when.items():
            k = bisect_right(times, when)
            if k:
                out._when[part], out._what[part] = times[:k], self._what[part][:k]
                out.count += k
        return out

    def thin(self) -> None:
        """Times are joined two by two, and of each pair the later version stays: 1 and 2 become 1, 3 and 4 become 2."""
        self.count = 0
        for part, times in self._when.items():
            newest = {(when + 1) // 2: k for k, when in enumerate(times)}
            self._what[part] = [self._what[part][k] for k in newest.values()]
            self._when[part] = list(newest)
            self.count += len(newest)
