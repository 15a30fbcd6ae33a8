"""Practice jobs: a folder with ``practice.toml``, and beside it the job and the program it is about, or the name of a demo.

Nothing in it is run as code, and no file outside of its folder is read: a practice job may come from a stranger.
"""

from __future__ import annotations

import shutil
from dataclasses import dataclass, field
from pathlib import Path

from underglass.core.data import data_folder
from underglass.core.entries.checked import Table, read_toml
from underglass.core.errors import UnusableFile
from underglass.core.files.demo import copy_demo, demo_names
from underglass.core.files.load import load, read_text_of
from underglass.core.machine.checking import KEPT, Handed, Verdict, Wanted, check
from underglass.core.machine.stand import Stand
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.reading import PROGRAM_BYTES, read_regular
from underglass.core.saving import write_whole

KINDS = {
    "first-cut": "First cut",
    "find-the-fault": "Find the fault",
    "write-it": "Write it",
    "measure-and-correct": "Measure and correct",
}
FILE = "practice.toml"
_MOST_JOBS = 500


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """A piece of text in the program or the job put in another's place; ``says`` why somebody would do so."""

    into: str
    find: str
    put: str
    says: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Practice:
    """``base`` is a demo's name, or ``job`` a job file in ``folder``. ``changes`` make of the base what is given; ``answer`` is the program that
    solves it where that is not the base's own. ``wrong`` are repairs that only look right, for whoever checks the job itself."""

    name: str
    folder: Path
    title: str
    kind: str
    task: str
    hints: tuple[str, ...]
    learned: str
    where: str
    wanted: Wanted
    base: str = ""
    job: str = ""
    answer: str = ""
    changes: tuple[Change, ...] = ()
    right: tuple[Change, ...] = ()
    wrong: tuple[Change, ...] = ()
    steps: tuple[str, ...] = field(default_factory=tuple)


def practice_folders(extra: Path | None = None) -> list[Path]:
    """The shipped practice jobs and those of a folder of one's own, by name."""
    roots = [data_folder() / "practice", *([extra] if extra is not None else [])]
    found = [path.parent for root in roots if root.is_dir() for path in sorted(root.glob(f"*/{FILE}"))]
    return found[:_MOST_JOBS]


def read_practice(folder: Path) -> Practice:
    """Raises ``UnusableFile`` or ``BadEntry``: one sentence with file, key and line."""
    top = read_toml(folder / FILE)
    if top.whole("format") != 1:
        raise top.bad("format", "the file must say `format = 1`, the format this version reads")
    base, job = top.text("base", "") or "", top.text("job", "") or ""
    if bool(base) == bool(job):
        raise top.bad("base", "a practice job has either `base`, a demo, or `job`, a job file beside it")
    if base and base not in demo_names():
        raise top.bad("base", f"there is no such demo; there are {', '.join(demo_names())}")
    answer = top.text("answer", "") or ""
    for key, name in (("job", job), ("answer", answer)):
        if name and (Path(name).name != name or name.startswith(".")):
            raise top.bad(key, "this must be a file in the practice job's own folder")
    hints = tuple(_text(top, one, "hints") for one in _list(top, "hints"))
    if len(hints) != 3:
        raise top.bad("hints", "there are three hints, each saying more than the one before")
    out = Practice(
        name=folder.name, folder=folder, title=top.need_text("title"), kind=top.choice("kind", list(KINDS)), task=top.need_text("task"),
        hints=hints, learned=top.need_text("learned"), where=top.text("where", "") or "", wanted=_wanted(top.table("check")),
        base=base, job=job, answer=answer, changes=_changes(top, "change"), right=_changes(top, "right"), wrong=_changes(top, "wrong"),
    )  # fmt: skip
    top.done()
    return out


def _list(top: Table, key: str) -> list[object]:
    raw = top.raw(key)
    if raw is None:
        return []
    if not isinstance(raw, list):
        raise top.bad(key, "this must be a list")
    return raw


def _text(top: Table, value: object, key: str) -> str:
    if not isinstance(value, str) or not value.strip():
        raise top.bad(key, "each of them must be text in quotes")
    return value


def _wanted(part: Table | None) -> Wanted:
    if part is None:
        return Wanted()
    free = tuple(_text(part, one, "free") for one in _list(part, "free"))
    for name in free:
        if name not in KEPT:
            raise part.bad("free", f"what may be changed is one of {', '.join(KEPT)}")
    out = Wanted(
        clean=part.flag("clean", True),
        part=part.flag("part", True),
        kept=tuple(name for name in KEPT if name not in free),
        words=tuple(_text(part, one, "words") for one in _list(part, "words")),
        without=tuple(_text(part, one, "without") for one in _list(part, "without")),
        made=part.whole("made", 0) or 0,
        within=_box(part),
    )
    part.done()
    return out


def _box(part: Table) -> tuple[float, float, float, float] | None:
    raw = _list(part, "within")
    if not raw:
        return None
    if len(raw) != 4 or not all(isinstance(v, (int, float)) and not isinstance(v, bool) for v in raw):
        raise part.bad("within", "this must be four numbers: low X, low Y, high X, high Y")
    x0, y0, x1, y1 = (float(v) for v in raw)  # type: ignore[arg-type]
    return (x0, y0, x1, y1)


def _changes(top: Table, key: str) -> tuple[Change, ...]:
    out = []
    for entry in top.tables(key):
        into = entry.choice("in", ["program", "job"], "program")
        out.append(
            Change(
                into=into,
                find=entry.need_text("find"),
                put=entry.text("put", "") or "",
                says=entry.text("says", "") or "",
            )
        )
        entry.done()
    return tuple(out)


def changed(practice: Practice, changes: tuple[Change, ...], program: str, job: str) -> tuple[str, str]:
    """(program, job) with pieces replaced. Raises ``UnusableFile`` where a piece does not stand there just once."""
    texts = {"program": program, "job": job}
    for one in changes:
        count = texts[one.into].count(one.find)
        if count != 1:
            raise UnusableFile(
                str(practice.folder / FILE),
                f"{one.find!r} stands {count} times in the {one.into}, where it must stand once",
            )
        texts[one.into] = texts[one.into].replace(one.find, one.put)
    return texts["program"], texts["job"]


def take(practice: Practice, folder: Path, changes: tuple[Change, ...] | None = None) -> Path:
    """Lay a practice job out in a folder, as it is given; the path of its job. Raises ``UnusableFile`` or ``BadEntry``."""
    folder.mkdir(parents=True, exist_ok=True)
    if practice.base:
        source = copy_demo(practice.base, folder)
    else:
        source = folder / practice.job
        for file in sorted(practice.folder.iterdir()):
            if file.is_file() and not file.is_symlink() and file.name not in (FILE, practice.answer):
                shutil.copyfile(file, folder / file.name)
    job, program, path = load(source)
    if path.resolve().parent != folder.resolve():
        raise UnusableFile(str(source), "its program must lie beside it")
    text, job_text = changed(
        practice, practice.changes if changes is None else changes, program.text, read_text_of(source)
    )
    name = f"{practice.name}.job.toml"
    if practice.base:
        # A file of its own name, so that what is changed is not taken for the demo.
        job_text = job_text.replace(job.program, f"{practice.name}.nc")
        path = folder / f"{practice.name}.nc"
        for file in folder.glob("*"):
            if file.is_file() and file.suffix in (".nc", ".toml") and file.name != FILE:
                file.unlink()
    target = folder / name if practice.base else source
    write_whole(target, job_text.encode())
    write_whole(path, program.encoded(text))
    return target


def answer_of(practice: Practice, scratch: Path) -> Proof | None:
    """The proof of what solves it. Raises ``UnusableFile`` or ``BadEntry``."""
    path = take(practice, scratch, ())
    if practice.answer:
        job, _given, program = load(path)
        write_whole(program, read_regular(practice.folder / practice.answer, PROGRAM_BYTES))
        del job
    elif not practice.base and not practice.changes:
        return None
    job, source, _path = load(path)
    return prove(job, source)


def judge(
    practice: Practice, given: Path, proof: Proof, answer: Proof | None, stand: Stand | None = None
) -> tuple[Verdict, ...]:
    """What the checker says of a proof, and of what was made at the machine; ``given`` is the job as it was laid out."""
    job, _source, _path = load(given)
    return check(practice.wanted, Handed(proof=proof, given=job, answer=answer, stand=stand, unit=proof.job.units))
