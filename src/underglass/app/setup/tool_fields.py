"""The figures of one tool as fields: what it is, how it is held, what sits in its pocket in its place."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, get_args

from PySide6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from underglass.app.document import Document
from underglass.app.parts.basic import label
from underglass.app.setup.binding import Path_, SetupPage
from underglass.app.setup.stock_page import confirm
from underglass.app.style.palette import Palette
from underglass.app.style.theme import number_font
from underglass.core.bench.tool import FLUTES, KIND_WORDS, HolderStep, Tool, ToolKind
from underglass.core.entries.tool import read_holder
from underglass.core.files.job_edit import JobEdit, as_figure
from underglass.core.files.setup_edit import tool_place
from underglass.core.reckon.figure import BadFigure
from underglass.core.units import Unit


class ToolFields(SetupPage):
    """A page with the fields of the tool ``number_chosen``."""

    def __init__(self, document: Document, palette: Palette) -> None:
        super().__init__(document, palette)
        self.number_chosen = 0

    def fields_of_tool(self) -> None:
        """Put the fields on the page."""
        grid = self.grid()
        self.columns = 3
        slot = 0

        def put(widget: QWidget, span: int = 1) -> None:
            nonlocal slot
            self.put(grid, widget, slot, span)
            slot += span

        kind, self.kind = self.choice(
            "Kind",
            lambda: [(KIND_WORDS[k], k) for k in get_args(ToolKind)],
            lambda: tool.kind if (tool := self.tool()) else "",
            self._put_kind,
        )
        put(kind)
        put(self._figure("DC", "Cutting diameter", lambda t: t.DC))
        put(self._figure("length", "Gauge length", lambda t: t.length))
        put(self._figure("stickout", "Stickout", lambda t: t.stickout))
        put(self._figure("APMX", "Cutting length", lambda t: t.APMX))
        put(self._figure("shank", "Shank diameter", lambda t: t.shank))
        put(self._holder())
        put(self._figure("NOF", "Flutes", lambda t: t.NOF or None, "whole"))
        put(self._figure("RE", "Corner radius", lambda t: t.RE))
        put(self._figure("SIG", "Point angle", lambda t: math.degrees(t.SIG), "angle"))
        put(self._figure("KAPR", "Cutting edge angle", lambda t: math.degrees(t.KAPR), "angle"))
        put(self._figure("TP", "Thread pitch", lambda t: t.TP or None))
        for word, key, choices, shown in (
            ("Tool material", "substrate", ("carbide", "hss"), lambda t: t.substrate),
            ("Hand", "hand", ("right", "left"), lambda t: t.hand),
        ):
            holder, _combo = self.choice(
                word,
                lambda choices=choices: [(c, c) for c in choices],  # type: ignore[misc]
                lambda shown=shown: shown(tool) if (tool := self.tool()) else "",  # type: ignore[misc]
                lambda edit, value, key=key: self._put(edit, key, value),  # type: ignore[misc]
            )
            put(holder)
        loaded, self.loaded = self.choice("Actually loaded", self._loadable, self._loaded_now, self._put_loaded)
        put(loaded)
        put(
            self.flag(
                "Centre-cutting",
                lambda: bool(tool.centre_cutting) if (tool := self.tool()) else False,
                lambda edit, on: self._put(edit, "centre_cutting", on),
            )
        )

    def tool(self) -> Tool | None:
        """The tool that is shown."""
        job = self.document.table_job
        return job.bench.tools.get(self.number_chosen) if job is not None else None

    # -- its figures ---------------------------------------------------------------------------------------------------

    def _path(self, key: str) -> Path_ | None:
        tools = self.document.job_data.get("tool") or []
        place = next((k for k, t in enumerate(tools) if t.get("number") == self.number_chosen), None)
        return None if place is None else ("tool", place, key)

    def _put(self, edit: JobEdit, key: str, value: Any) -> None:
        place = tool_place(edit, self.number_chosen)
        if place is not None:
            edit.put(value, "tool", place, key)
            confirm(edit, f"T{self.number_chosen}")

    def _put_kind(self, edit: JobEdit, kind: str) -> None:
        """Another kind: what only the old one had goes."""
        place = tool_place(edit, self.number_chosen)
        if place is not None:
            for key in ("SIG", "KAPR", "centre_cutting"):
                edit.drop("tool", place, key)
            edit.put(kind, "tool", place, "kind")
            if kind in FLUTES and edit.get("tool", place, "NOF") is None:
                edit.drop("tool", place, "NOF")
            confirm(edit, f"T{self.number_chosen}")

    def _figure(self, key: str, word: str, shown: Callable[[Tool], float | None], kind: Any = "length") -> QWidget:
        def change(edit: JobEdit, value: float) -> None:
            job = self.document.table_job
            assert job is not None
            figure: Any = (
                as_figure(value, job.units) if kind == "length" else int(value) if kind == "whole" else round(value, 6)
            )
            tool = self.tool()
            if key == "length" and tool is not None and self._path("stickout") is not None:
                place = tool_place(edit, self.number_chosen)
                # Pulled out of its holder, not another holder: what stands out changes by as much.
                if place is not None and edit.get("tool", place, "stickout") is not None:
                    out = tool.stickout + value - tool.length
                    if out > 0.0:
                        edit.put(as_figure(out, job.units), "tool", place, "stickout")
            self._put(edit, key, figure)

        return self.number(
            key,
            word,
            kind=kind,
            shown=lambda: shown(tool) if (tool := self.tool()) else None,
            change=change,
            what=f"{word.lower()} of a tool",
        )

    def _holder(self) -> QWidget:
        holder = QWidget()
        editor = QLineEdit()
        editor.setFont(number_font(13))
        editor.setProperty("numbers", True)
        editor.setAccessibleName("Holder, diameter x length of each step from the tool upwards")
        editor.setPlaceholderText("none")
        editor.setToolTip("Diameter x length of each step, from the tool upwards, as 40 x 50, 63 x 20")
        said = label(pixels=12)
        said.setWordWrap(True)
        said.hide()
        box = QVBoxLayout(holder)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(1)
        name = label("Holder, \u00d8 x length", quiet=True, pixels=12)
        name.setBuddy(editor)
        for part in (name, editor, said):
            box.addWidget(part)
        self.holder_edit, self.holder_said = editor, said

        def refresh() -> None:
            tool = self.tool()
            if editor.hasFocus() and editor.isModified():
                return
            steps = tool.holder if tool is not None else ()
            unit = self.document.units
            editor.setText(", ".join(f"{short(s.diameter, unit)} x {short(s.length, unit)}" for s in steps))

        def typed(text: str) -> None:
            said.setStyleSheet(f"color: {self.palette_.fault};")
            try:
                steps = read_holder(text, self.document.units)
            except BadFigure as problem:
                why = str(problem)
            else:
                why = self.change(lambda edit: self._put_holder(edit, steps), "holder of a tool", "holder")
            said.setText(why[:1].upper() + why[1:])
            said.setVisible(bool(why))

        editor.textEdited.connect(typed)
        editor.editingFinished.connect(lambda: (editor.setModified(False), self.document.history.close()))
        self._refreshers.append(refresh)
        return holder

    def _put_holder(self, edit: JobEdit, steps: tuple[HolderStep, ...]) -> None:
        job = self.document.table_job
        place = tool_place(edit, self.number_chosen)
        if job is None or place is None:
            return
        made = [{"diameter": as_figure(s.diameter, job.units), "length": as_figure(s.length, job.units)} for s in steps]
        if made:
            edit.put(made[0] if len(made) == 1 else made, "tool", place, "holder")
        else:
            edit.drop("tool", place, "holder")

    # -- what is really loaded -----------------------------------------------------------------------------------------

    def _loadable(self) -> list[tuple[str, str]]:
        job = self.document.table_job
        if job is None:
            return []
        return [
            (f"T{n}, as called" if n == self.number_chosen else f"T{n} {t.name}", str(n))
            for n, t in job.bench.tools.items()
        ]

    def _loaded_now(self) -> str:
        job = self.document.table_job
        return str(job.bench.loaded.get(self.number_chosen, self.number_chosen)) if job is not None else ""

    def _put_loaded(self, edit: JobEdit, number: str) -> None:
        if int(number) == self.number_chosen:
            edit.drop("loaded", f"T{self.number_chosen}")
        else:
            edit.put(int(number), "loaded", f"T{self.number_chosen}")


def short(value: float, unit: Unit) -> str:
    """A length without noughts at its end."""
    return f"{as_figure(value, unit):.4f}".rstrip("0").rstrip(".")
