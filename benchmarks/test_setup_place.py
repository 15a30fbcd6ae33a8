"""How fast Setup is: a stroke in a field with sixty tools on the bench, and how far a register may be out. `make bench`."""

from __future__ import annotations

import time
from pathlib import Path

from PySide6.QtCore import QSettings
from PySide6.QtWidgets import QApplication

from underglass.app.main_window import MainWindow
from underglass.app.start import make_application
from underglass.core.files.demo import copy_demo
from underglass.core.files.load import load
from underglass.core.proof.belief import rows
from underglass.core.proof.margins import survival
from underglass.core.proof.prove import prove


def test_a_stroke_in_a_field(benchmark, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    make_application()
    window = MainWindow(QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    window.resize(1280, 800)
    window.show()
    window.open(copy_demo("vent-bracket", tmp_path / "demo"))
    window.setting_up.go_to("tools")
    edit = window.document.job_edit()
    for number in range(6, 66):
        edit.add("tool", {"number": number, "kind": "drill", "DC": 5.0, "APMX": 30.0, "length": 90.0})
    window.document.change_job(edit.text, "sixty tools")

    def strokes() -> list[float]:
        out = []
        for page, key in (("tools", "DC"), ("stock", "size_x")):
            window.setup.choose(page)
            field = window.setup.pages[page].fields[key]
            for k in range(20):
                QApplication.processEvents()
                begun = time.perf_counter()
                field.enter(str(10 + k))
                QApplication.processEvents()
                out.append((time.perf_counter() - begun) * 1000.0)
        return sorted(out)

    spent = benchmark.pedantic(strokes, rounds=1)
    print(f"\na stroke to its picture, 65 tools: median {spent[len(spent) // 2]:.0f} ms, worst {spent[-1]:.0f} ms")
    window.document.set_modified(False)
    window.prover.cancel()
    window.close()


def test_how_far_a_register_may_be_out(benchmark, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    job, source, _program = load(copy_demo("vent-bracket", tmp_path))
    row = next(r for r in rows(job, prove(job, source)) if r.key == "H4")
    found = benchmark.pedantic(lambda: survival(job, source, row), rounds=3, warmup_rounds=1)
    print(f"\nH4 of the demo: {found.low.value:.3f} to {found.high.value:.3f} by {found.proofs} proofs")
