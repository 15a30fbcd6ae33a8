"""Whatever is written: a turning proof never raises, its report is whole, and what an edit makes of it is what a whole run makes."""

from __future__ import annotations

import json
import tempfile
from pathlib import Path

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.core.trades.turning.lathe import START, prove_turning

from underglass.core.files.report import path_as_csv, proof_as_dict, proof_as_text, summary_as_dict, summary_as_text
from underglass.core.proof.reader import read_out
from underglass.core.proof.restart import restart

_FIGURES = st.one_of(
    st.sampled_from(
        ["0", "1", "-1.6", "20.", "36.", "44", "-30.", "0.2", "9999.", "-0", "1e", ".", "#1", "[1+2]", "10", "3"]
    ),
    st.floats(-60.0, 60.0).map(lambda v: f"{v:.3f}"),
)
_LETTERS = st.sampled_from(
    ["X", "Z", "U", "W", "I", "K", "R", "F", "S", "P", "Q", "D", "L", ",C", ",R", "T", "A", "E", "H", "Y", "C"]
)
_CODES = st.sampled_from(
    ["G0", "G1", "G2", "G3", "G4", "G18", "G20", "G21", "G28", "G32", "G40", "G41", "G42", "G50", "G53", "G54", "G55", "G70", "G71", "G72", "G74", "G76",
     "G77", "G78", "G90", "G96", "G97", "G98", "G99", "M0", "M3", "M4", "M5", "M8", "M30", "M98", "M99", "T0101", "T0202", "T0300", "T0505", "T0606", "T12",
     "N10", "N20", "G71 P10 Q20 D1.", "G70 P10 Q20", "M98 P50", "O50"]
)  # fmt: skip
_WORDS = st.one_of(_CODES, st.tuples(_LETTERS, _FIGURES).map("".join))
_BLOCKS = st.lists(_WORDS, min_size=1, max_size=5).map(" ".join)
_PROGRAMS = st.lists(_BLOCKS, min_size=1, max_size=14)


@settings(max_examples=60, suppress_health_check=list(HealthCheck))
@given(_PROGRAMS, st.data())
def test_any_program_is_proved_and_told(blocks: list[str], data: st.DataObject) -> None:
    text = START + "\n".join(blocks) + "\n"
    with tempfile.TemporaryDirectory() as folder:
        proof = prove_turning(Path(folder), text)
        for said in (proof_as_text(proof), summary_as_text(proof), path_as_csv(proof)):
            assert said
        json.dumps([proof_as_dict(proof), summary_as_dict(proof)], allow_nan=False)
        for line, words in enumerate(proof.source.lines, 1):
            assert read_out(proof, words, line).sentences
        line = data.draw(st.integers(1, len(proof.source.lines)))
        restart(proof, line)
        changed = list(blocks)
        changed[data.draw(st.integers(0, len(blocks) - 1))] = data.draw(_BLOCKS)
        text = START + "\n".join(changed) + "\n"
        again, whole = prove_turning(Path(folder), text, before=proof), prove_turning(Path(folder), text)
        assert path_as_csv(again) == path_as_csv(whole)
        assert [(f.code, f.line, f.message) for f in again.findings] == [
            (f.code, f.line, f.message) for f in whole.findings
        ]
