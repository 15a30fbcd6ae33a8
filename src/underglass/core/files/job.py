"""The job file, format 1. The whole of it is checked before anything runs; every complaint names file, key and line.

What every trade's jobs have is read here; the rest by the trade that the machine belongs to.
"""

from __future__ import annotations

from functools import partial
from pathlib import Path

from underglass.core.bench.bench import Bench
from underglass.core.control.state import Registers, Switches
from underglass.core.entries.checked import Table, read_toml, read_toml_bytes
from underglass.core.entries.ground import Ground
from underglass.core.errors import UnusableFile
from underglass.core.files import profiles
from underglass.core.finding import CODES
from underglass.core.language.source import read_bytes
from underglass.core.proof.job import Accepted, Job, Trade
from underglass.core.proof.prove import prove
from underglass.core.reading import PROGRAM_BYTES, read_regular
from underglass.core.trade_list import TRADES
from underglass.core.units import Unit


class _Reader:
    """Reads what every job has."""

    def __init__(self, top: Table, path: Path, depth: int = 0) -> None:
        self.top = top
        self.depth = depth
        self.path = path
        self.folder = path.parent

    def read(self) -> Job:
        top = self.top
        if top.whole("format") != 1:
            raise top.bad("format", "the file must say `format = 1`, the format this version reads")
        units: Unit = "inch" if top.choice("units", ["mm", "inch"], "mm") == "inch" else "mm"
        guessed = self._guessed()
        accepted = tuple(self._accepted(entry) for entry in top.tables("accepted"))
        title = top.text("title", self.path.name.removesuffix(".toml").removesuffix(".job")) or ""
        machine_name = top.text("machine", "mill-3axis") or ""
        machine = profiles.read_machine(profiles.find("machine", machine_name, self.folder, top, "machine"))
        trade = TRADES[machine.kind]
        control_name = top.text("control", trade.usual_control) or ""
        control = profiles.read_control(profiles.find("control", control_name, self.folder, top, "control"))
        if control.kind != machine.kind:
            raise top.bad(
                "control",
                f"{control_name} is a control for {TRADES[control.kind].machines}, and {machine_name} is one of {trade.machines}: take two of one kind",
            )
        program = top.need_text("program")
        switches = self._switches(trade)
        job = Job(
            title=title,
            units=units,
            file=str(self.path),
            folder=str(self.folder),
            program=program,
            bench=Bench(machine=machine, stocks=()),
            control=control,
            registers=Registers(),
            trade=trade,
            switches=switches,
            unconfirmed=guessed,
            accepted=accepted,
        )
        ground = Ground(top=top, folder=self.folder, units=units, result_of=partial(_result_of, trade, self.depth))
        return trade.read(ground, job)

    def _accepted(self, entry: Table) -> Accepted:
        """A finding that a person means so; without a reason it is none."""
        code = entry.choice("code", list(CODES))
        block, reason = entry.need_text("block"), entry.need_text("reason")
        if not reason.strip():
            raise entry.bad("reason", "say why this is meant")
        entry.done()
        return Accepted(code, block, reason)

    def _guessed(self) -> frozenset[str]:
        """What the file itself says is only guessed yet."""
        raw = self.top.raw("guessed")
        if raw is None:
            return frozenset()
        if not isinstance(raw, list) or not all(isinstance(name, str) for name in raw):
            raise self.top.bad("guessed", 'this must be a list of names in quotes, as in ["stock", "T3"]')
        return frozenset(raw)

    def _switches(self, trade: Trade) -> Switches:
        part = self.top.table("switches")
        if part is None:
            return Switches()
        skip = part.raw("block_skip") if isinstance(part.peek("block_skip"), list) else part.flag("block_skip", False)
        if isinstance(skip, list) and not all(isinstance(level, int) and 1 <= level <= 9 for level in skip):
            raise part.bad("block_skip", "this must be true, false, or a list of levels from 1 to 9")
        switches = Switches(
            block_skip=bool(skip),
            optional_stop=part.flag("optional_stop", True),
            skip_levels=frozenset(skip) if isinstance(skip, list) else frozenset(),
            feed_override=part.number("feed_override", 100.0, least=1.0, most=300.0) / 100.0,
            rapid_override=part.number("rapid_override", 100.0, least=1.0, most=100.0) / 100.0,
            dry_trace=part.flag("dry_trace", False) if "dry_trace" in trade.switches else False,
        )
        part.done()
        return switches


_MOST_AFTER_ONE_ANOTHER = 6
"""Jobs that each take over what the one before left."""

_results: dict[tuple[str, float, float], tuple[tuple[object, ...], str]] = {}


def _result_of(trade: Trade, depth: int, path: Path) -> tuple[tuple[object, ...], str] | None:
    """What another job of a trade leaves. Proved again only when it or its program has changed."""
    if depth >= _MOST_AFTER_ONE_ANOTHER:
        raise UnusableFile(str(path), "jobs take over from one another in a ring, or in a chain that is too long")
    job = _Reader(read_toml(path), path, depth + 1).read()
    if job.trade is not trade:
        return None
    program = path.parent / job.program
    source = read_bytes(read_regular(program, PROGRAM_BYTES), program.name)
    key = (str(path), path.stat().st_mtime, program.stat().st_mtime)
    if key not in _results:
        if len(_results) > 8:
            _results.clear()
        _results[key] = (prove(job, source).histories, job.bench.material)
    return _results[key]


def read_job(path: Path) -> Job:
    """A job file as a job. Raises ``UnusableFile`` or ``BadEntry``: one plain sentence with file, key and line."""
    return _Reader(read_toml(path), path).read()


def read_job_text(text: str, path: Path) -> Job:
    """The text of a job file, of which ``path`` says where it lies or is to lie. Raises as ``read_job`` does."""
    return _Reader(read_toml_bytes(text.encode("utf-8", "replace"), str(path)), path).read()
