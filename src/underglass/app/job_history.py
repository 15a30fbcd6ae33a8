"""Every change of the setup as a step that can be undone: the job and its file's text, before and after."""

from __future__ import annotations

from dataclasses import dataclass

from underglass.core.proof.job import Job


@dataclass(frozen=True, slots=True)
class Standing:
    """A job and the text of its file; the text is empty for a bare program that has no job file."""

    job: Job
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One change; ``what`` in words, ``key`` joins the strokes that type one figure."""

    what: str
    key: str
    before: Standing
    after: Standing


class JobHistory:
    """The steps made since a job was opened, and where among them the job stands."""

    def __init__(self) -> None:
        self.steps: list[Step] = []
        self.at = 0
        self._saved_at = 0
        self._open_key = ""

    def begin(self) -> None:
        """Another job is open."""
        self.steps, self.at, self._saved_at, self._open_key = [], 0, 0, ""

    @property
    def modified(self) -> bool:
        """Whether the job differs from what its file holds."""
        return self.at != self._saved_at

    def made(self, what: str, key: str, before: Standing, after: Standing) -> None:
        """A change was made; strokes of one key become one step until ``close`` is called."""
        del self.steps[self.at :]
        if self._saved_at > self.at:
            self._saved_at = -1
        last = self.steps[-1] if self.steps else None
        if last is not None and key and key == self._open_key and last.key == key and self._saved_at != self.at:
            self.steps[-1] = Step(what=last.what, key=key, before=last.before, after=after)
        else:
            self.steps.append(Step(what=what, key=key, before=before, after=after))
            self.at += 1
        self._open_key = key

    def reopen(self, key: str, last: Step) -> None:
        """What comes next under this key belongs to the last step: it is one for the person."""
        if self.at == len(self.steps) and self.steps and self.steps[-1] is last:
            self.steps[-1] = Step(what=last.what, key=key, before=last.before, after=last.after)
            self._open_key = key

    def close(self) -> None:
        """What is typed next is a step of its own."""
        self._open_key = ""

    def undo(self) -> Step | None:
        """The step that is taken back, None where there is none."""
        self.close()
        if not self.at:
            return None
        self.at -= 1
        return self.steps[self.at]

    def redo(self) -> Step | None:
        """The step that is made again, None where there is none."""
        self.close()
        if self.at == len(self.steps):
            return None
        self.at += 1
        return self.steps[self.at - 1]

    def mark_saved(self) -> None:
        """The file holds the job as it stands."""
        self.close()
        self._saved_at = self.at
