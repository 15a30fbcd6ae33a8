"""Parts that are put together when they are first needed: a window is there sooner without them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

from PySide6.QtWidgets import QWidget

W = TypeVar("W", bound=QWidget)


class Later(Generic[W]):
    """``later()`` is the part, made now if it was not yet; ``made`` is it, or None as long as nobody has asked."""

    def __init__(self, make: Callable[[], W]) -> None:
        self._make = make
        self._then: list[Callable[[W], object]] = []
        self.made: W | None = None

    @classmethod
    def of(cls, part: W) -> Later[W]:
        """One that is there already."""
        made = cls(lambda: part)
        made()
        return made

    def __call__(self) -> W:
        if self.made is None:
            self.made = self._make()
            for then in self._then:
                then(self.made)
        return self.made

    def when_made(self, then: Callable[[W], object]) -> None:
        """Have this done with the part as soon as it is there."""
        if self.made is not None:
            then(self.made)
        else:
            self._then.append(then)

    def if_made(self, do: Callable[[W], object]) -> None:
        """Do this with the part if it is there; what is not there needs nothing done."""
        if self.made is not None:
            do(self.made)
