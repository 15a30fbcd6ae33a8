"""Corrections at program stops: what is cut before them stays, what comes after follows."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest

from tests.conftest import PLAIN_JOB, START
from underglass.core.errors import BadEntry
from underglass.core.files.job_edit import JobEdit, add_at_stop, drop_at_stop
from underglass.core.proof.measure import Surface
from underglass.core.proof.proof import Proof
from underglass.core.proof.prove import prove
from underglass.core.proof.stops import stops
from underglass.core.reckon.correcting import length_change, radius_change

Prove = Callable[..., Proof]
TEXT = (
    START
    + "X50. Y-8.\nZ2.\nG1 Z-4. F300\nY68.\nG0 Z50.\nM0\nX10. Y-8.\nZ1.\nG1 Z-2.\nY68.\nG0 Z50.\nM1\n"
    + "X80. Y-8.\nG1 Z-3.\nY68.\nG0 Z50.\nM5\nM30\n"
)


def depths(proof: Proof) -> list[float]:
    """Heights of the three slots."""
    places = np.array([[50.0, 30.0], [10.0, 30.0], [80.0, 30.0]])
    return [round(z, 3) for z in Surface(proof).heights(places).tolist()]


def corrected(add: str, stop: int = 1) -> str:
    return f"{PLAIN_JOB}\n[[at_stop]]\nstop = {stop}\nadd = {{ {add} }}\n"


def test_stops_are_counted_in_the_order_of_the_run(prove_text: Prove) -> None:
    found = stops(prove_text(TEXT))
    assert [(s.number, s.line, s.optional, s.tool) for s in found] == [(1, 10, False, 1), (2, 16, True, 1)]


def test_a_length_corrected_at_a_stop_changes_only_what_comes_after(prove_text: Prove) -> None:
    assert depths(prove_text(TEXT)) == [-4.0, -2.0, -3.0]
    assert depths(prove_text(TEXT, corrected("H1 = -0.1"))) == [-4.0, -2.1, -3.1]
    assert depths(prove_text(TEXT, corrected("H1 = -0.1", stop=2))) == [-4.0, -2.0, -3.1]


def test_an_axis_shifted_by_hand_moves_what_comes_after(prove_text: Prove) -> None:
    proof = prove_text(TEXT, corrected("G54 = { x = 2.0, z = -0.5 }"))
    surface = Surface(proof)
    z = surface.heights(np.array([[6.5, 30.0], [15.5, 30.0], [50.0, 30.0]]))
    assert z.tolist() == pytest.approx([0.0, -2.5, -4.0], abs=1e-5)


def test_a_radius_corrected_holds_from_the_next_g41(prove_text: Prove) -> None:
    contour = "G41 D1 X20. Y10. F400\nY50.\nX80.\nY10.\nX20.\nG40 X-20. Y-20.\n"
    text = START + "Z-3.\n" + contour + "M0\n" + contour + "G0 Z50.\nM5\nM30\n"
    plain, out = prove_text(text), prove_text(text, corrected("D1 = -0.2"))
    assert [s.radius for s in plain.run.stretches] == [5.0, 5.0]
    halved = plain.job.control.d_register == "diameter"
    assert [s.radius for s in out.run.stretches] == [5.0, pytest.approx(4.9 if halved else 4.8)]


def test_an_edit_after_the_stop_takes_up_the_old_run(prove_text: Prove) -> None:
    """What the control keeps between edits knows how many stops were met: the answer is that of a whole run."""
    job = corrected("H1 = -0.1", stop=2)
    long = TEXT.replace("M0\n", "M0\n" + "".join(f"X{k % 40}. Y-30.\n" for k in range(600)))
    before = prove_text(long, job)
    edited = long.replace("G1 Z-3.\n", "G1 Z-3.5\n")
    whole = prove_text(edited, job)
    again = prove(before.job, whole.source, before=before)
    assert depths(again) == depths(whole) == [-4.0, -2.0, -3.6]


def test_the_job_file_says_it_and_refuses_nonsense(prove_text: Prove) -> None:
    proof = prove_text(TEXT)
    edit = JobEdit(PLAIN_JOB)
    add_at_stop(edit, proof.job, 1, "H1", -0.05, note="why")
    add_at_stop(edit, proof.job, 1, "H1", -0.05)
    add_at_stop(edit, proof.job, 1, "G54", 0.5, axis="z")
    told = prove_text(TEXT, edit.text).job.at_stops
    assert len(told) == 1 and told[0].length == {1: pytest.approx(-0.1)} and told[0].work == {"G54": (0.0, 0.0, 0.5)}
    assert told[0].note == "why"
    drop_at_stop(edit, 1)
    assert prove_text(TEXT, edit.text).job.at_stops == ()
    for wrong in ("Q1 = 1.0", "H1 = 'a'", "G54 = 3.0"):
        with pytest.raises(BadEntry):
            prove_text(TEXT, corrected(wrong))


def test_an_optional_stop_passed_by_is_counted_but_not_corrected(prove_text: Prove) -> None:
    job = corrected("H1 = -0.1", stop=2).replace("[proof]", "[switches]\noptional_stop = false\n\n[proof]")
    proof = prove_text(TEXT, job)
    assert [s.number for s in stops(proof)] == [1] and depths(proof) == [-4.0, -2.0, -3.0]


def test_the_sums_of_a_setter() -> None:
    """Common practice, no source: half of what a width is out, all of what a height is out."""
    assert radius_change("outside", 40.1, 40.0).value == pytest.approx(-0.05)
    assert radius_change("inside", 39.9, 40.0).value == pytest.approx(-0.05)
    assert radius_change("wall", 0.3, 0.0).value == pytest.approx(-0.3)
    assert length_change(-3.9, -4.0).value == pytest.approx(-0.1)
    assert "(40.000 wanted \u2212 40.100 measured) / 2 = -0.050" in radius_change("outside", 40.1, 40.0).said
