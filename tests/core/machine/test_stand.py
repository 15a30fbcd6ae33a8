"""The stand-in machine without a window: interlocks, hand moves, runs, holds, wrong tools, and what is cut by it all."""

from __future__ import annotations

import math
import os
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import PLAIN_JOB, SAFE, write_job
from underglass.core.control.joining import cut_in_two, one_behind_another
from underglass.core.data import data_folder
from underglass.core.errors import UnusableFile
from underglass.core.files.load import load
from underglass.core.files.rehearsal import as_text, checksum, read_rehearsal, write_rehearsal
from underglass.core.machine import actions as act
from underglass.core.machine.gaps import felt, gaps
from underglass.core.machine.instruments import EDGE_FINDER, PEN, TOUCH_PROBE
from underglass.core.machine.interlocks import why_not
from underglass.core.machine.load_now import load_now
from underglass.core.machine.ready import conditions, next_thing
from underglass.core.machine.rehearsal import TICK_S, Done, Rehearsal, do_again
from underglass.core.machine.setting import set_to
from underglass.core.machine.stand import Stand
from underglass.core.machine.step import after, begin
from underglass.core.proof.prove import proof_of_run, prove

PROGRAM = SAFE + (
    "T1 M6\nG0 G54 X-20. Y30. S3000 M3\nG43 H1 Z25.\nZ-2.\nG1 X50. F300.\nM0\nG1 X120. Z-2. F300.\nG0 Z25. M5\n"
    "T2 M6\nG0 X50. Y10. S2000 M3\nG43 H2 Z5.\nG1 Z-5. F200.\nG0 Z25. M5\nM30\n"
)
COARSE = PLAIN_JOB.replace("cell = 0.25", "cell = 1.0").replace(
    "place = [-25.0, 20.0, -5.0]", "place = [-25.0, -40.0, -5.0]"
)


def stand_of(folder: Path, program: str = PROGRAM, job: str = COARSE) -> Stand:
    read, source, _ = load(write_job(folder, program, job))
    return begin(read, source)


def do(stand: Stand, *what: act.Action | float) -> Stand:
    """One after another; none may be refused."""
    for one in what:
        stand, told = after(stand, one)
        assert not [t for t in told if t.kind == "refused"], told
    return stand


def until_still(stand: Stand) -> Stand:
    stand, _ = after(stand, 1e5)
    assert not stand.moving
    return stand


def tool(number: int) -> tuple[act.Action, ...]:
    return (act.Guard(True), act.Drawbar(True), act.PutTool(number), act.Drawbar(False), act.Guard(False))


MORNING = (act.Power(), act.Home(), 1e4, act.Guard(True), act.PutIn(), act.Clamp(True), act.Guard(False))


def at_first_tool(folder: Path, program: str = PROGRAM, job: str = COARSE) -> Stand:
    return until_still(do(stand_of(folder, program, job), *MORNING, act.CycleStart()))


def heights(stand: Stand) -> np.ndarray:
    return stand.course.proof.stocks[0].final.h


def test_every_interlock_is_met_once_and_says_which(tmp_path: Path) -> None:
    stand = stand_of(tmp_path)
    start = act.CycleStart()
    assert why_not(stand, start) == "The power is off."
    stand = do(stand, act.Power())
    assert "not been home" in why_not(stand, start)
    assert "slowly" in why_not(stand, act.Jog("x", 1, "rapid"))
    stand = do(stand, act.Home())
    assert why_not(stand, act.Guard(True)) == "The guard is locked while an axis moves."
    stand = do(until_still(stand), act.Guard(True))
    assert stand.homed and stand.place == stand.job.bench.machine.home
    assert why_not(stand, start) == "The guard is open."
    assert why_not(stand, act.Clamp(True)) == "There is no block in the vice."
    assert why_not(stand, act.PutTool(1)) == "The drawbar is drawn up: free it first."
    stand = do(stand, act.PutIn(), act.Drawbar(True), act.PutTool(1), act.Guard(False))
    assert why_not(stand, start) == "The drawbar is free: draw it up first."
    assert why_not(stand, act.Spindle("clockwise", 800.0)) == "The drawbar is free: draw it up first."
    stand = do(stand, act.Guard(True), act.Drawbar(False), act.Guard(False))
    assert why_not(stand, start) == "The vice is open."
    stand = do(stand, act.Guard(True), act.Clamp(True), act.Guard(False), act.Spindle("clockwise", 800.0))
    assert why_not(stand, act.Guard(True)) == "The guard is locked while the spindle turns."
    assert "while the spindle turns" in why_not(stand, act.Clamp(False))
    stand = do(stand, act.EmergencyStop())
    assert stand.homed and not stand.spindle_on
    assert "emergency stop" in why_not(stand, start)
    stand = do(stand, act.EmergencyStop(False), start)
    assert stand.mode == "program" and stand.waiting is not None and stand.waiting.kind == "tool-change"
    assert [c.name for c in conditions(stand) if not c.done] == []
    assert "no tool" in why_not(replace(stand, tool=0), start)


def test_a_rehearsed_program_cuts_what_its_proof_cuts_and_takes_as_long(tmp_path: Path) -> None:
    stand = until_still(do(at_first_tool(tmp_path), *tool(1), act.CycleStart()))
    assert stand.waiting is not None and stand.waiting.kind == "stop"
    stand = until_still(do(stand, act.CycleStart()))
    stand = until_still(do(stand, *tool(2), act.CycleStart()))
    assert stand.mode == "hand" and stand.parts == 1 and stand.alarm is None
    job, source, _ = load(tmp_path / "plain.job.toml")
    proof = prove(job, source)
    assert np.array_equal(heights(stand), proof.stocks[0].final.h)
    changes = 2 * job.bench.machine.tool_change_s
    assert stand.cutting_s == pytest.approx(proof.timing.total - changes, rel=0.01)


def test_a_program_held_jogged_away_and_brought_back_cuts_the_same(tmp_path: Path) -> None:
    stand = do(at_first_tool(tmp_path), *tool(1), act.CycleStart(), 9.0)
    assert stand.moving and stand.mode == "program"
    stand = until_still(do(stand, act.Hold()))
    held = stand.place
    stand = do(stand, act.Jog("z", 1, "fast"), 1.0, act.LetGo())
    stand = until_still(stand)
    assert stand.place[2] > held[2] + 20.0
    assert "bring it back first" in why_not(stand, act.CycleStart())
    stand = until_still(do(stand, act.BackToHeld()))
    assert stand.place == pytest.approx(held, abs=1e-6)
    stand = until_still(do(stand, act.CycleStart()))
    for number in (0, 2):
        stand = until_still(do(stand, *(tool(number) if number else ()), act.CycleStart()))
    job, source, _ = load(tmp_path / "plain.job.toml")
    assert np.array_equal(heights(stand), prove(job, source).stocks[0].final.h)


def test_a_hold_ramps_down_and_no_override_stops_it_short(tmp_path: Path) -> None:
    stand = do(at_first_tool(tmp_path), *tool(1), act.CycleStart(), 9.0)
    before = stand.place
    stand = do(stand, act.Hold(), 0.05)
    assert stand.moving and 0.0 < stand.pace < 1.0
    stand = do(stand, 0.2)
    assert not stand.moving and stand.place != before
    assert why_not(stand, act.SetFigure(group="length", key="H1", value=74.0)).endswith("only at a stop (M0, M1).")
    half = do(stand, act.Overrides(feed=0.5), act.CycleStart(), 1.0)
    whole = do(stand, act.CycleStart(), 1.0)
    gone = math.dist(half.place, stand.place) / math.dist(whole.place, stand.place)
    assert gone == pytest.approx(0.5, abs=0.01)
    none = do(stand, act.Overrides(feed=0.0), act.CycleStart(), 5.0)
    assert none.place == pytest.approx(stand.place, abs=1e-9) and none.moving


def test_a_wrong_tool_at_the_prompt_cuts_as_the_wrong_tool(tmp_path: Path) -> None:
    stand = until_still(do(at_first_tool(tmp_path), *tool(2), act.CycleStart()))
    # The drill is 35 mm longer than the mill whose length is in H1: where 2 mm were to come off, it goes through.
    assert stand.waiting is not None and stand.waiting.kind == "stop"
    job, source, _ = load(tmp_path / "plain.job.toml")
    swapped = replace(job, bench=replace(job.bench, loaded={1: 2}))
    assert heights(stand)[30, 20] == 0.0
    stand = until_still(do(stand, act.CycleStart()))
    stand = until_still(do(stand, *tool(2), act.CycleStart()))
    assert np.array_equal(heights(stand), prove(swapped, source).stocks[0].final.h)


def test_a_crash_stays_where_it_happened_and_the_way_back_is_shown(tmp_path: Path) -> None:
    stand = until_still(do(at_first_tool(tmp_path, job=PLAIN_JOB), *tool(1), act.CycleStart()))
    assert stand.alarm is not None and stand.alarm.kind == "contact" and stand.mode == "hand"
    assert "left clamp" in stand.alarm.said and stand.alarm.line == 5
    assert stand.alarm.back[0] == "Clear the alarm."
    # The clamp's top is 10 above the zero; the mill's tip stands there.
    assert stand.place[2] - 75.0 == pytest.approx(-200.0 + 10.0, abs=0.02)
    assert not stand.spindle_on
    assert why_not(stand, act.Jog("z", 1)).startswith("There is an alarm")
    stand = do(stand, act.Clear(), act.Jog("z", 1, "fast"), 3.0, act.LetGo())
    assert until_still(stand).alarm is None


def test_a_figure_corrected_at_a_stop_acts_from_there_on(tmp_path: Path) -> None:
    stand = until_still(do(at_first_tool(tmp_path), *tool(1), act.CycleStart()))
    assert stand.waiting is not None and stand.waiting.kind == "stop"
    stand = do(stand, act.SetFigure(group="length", key="H1", value=74.5))
    stand = until_still(do(stand, act.CycleStart()))
    field, cell = heights(stand), 1.0
    row = int(30.0 / cell)
    assert field[row, int(20.0 / cell)] == pytest.approx(18.0, abs=1e-6)
    # On from the stop it comes down by half a millimetre on the way to X 120.
    assert field[row, int(90.0 / cell)] == pytest.approx(18.0 - 0.5 * (90.5 - 50.0 + 5.0) / 70.0, abs=0.02)


def test_single_block_holds_after_each_block_and_first_z_for_a_look(tmp_path: Path) -> None:
    stand = do(at_first_tool(tmp_path), *tool(1), act.Switch("single-block", True), act.CycleStart())
    lines = []
    for _ in range(3):
        stand = until_still(stand)
        assert stand.waiting is not None and stand.waiting.kind == "block"
        lines.append(stand.waiting.line)
        stand = do(stand, act.CycleStart())
    assert lines == [3, 4, 5]
    again = do(at_first_tool(tmp_path), *tool(1), act.Switch("hold-first-z", True), act.CycleStart())
    again = until_still(again)
    assert again.waiting is not None and again.waiting.kind == "first-z"
    down = [g for g in gaps(again) if g.way == "z-"]
    assert not down  # It stands beside the block there.
    assert again.work_place[2] == pytest.approx(25.0)


def test_a_limit_says_how_to_get_off_it(tmp_path: Path) -> None:
    stand = until_still(do(stand_of(tmp_path), *MORNING, act.Jog("x", -1, "rapid")))
    assert stand.alarm is not None and stand.alarm.kind == "limit"
    assert "jog X+" in stand.alarm.said
    assert why_not(stand, act.Jog("x", -1)) and why_not(stand, act.Jog("y", -1))
    stand = do(stand, act.Jog("x", 1, "slow"), 1.0, act.LetGo())
    assert until_still(stand).alarm is None


def test_the_edge_finder_finds_the_face_and_the_sum_sets_the_zero(tmp_path: Path) -> None:
    stand = do(stand_of(tmp_path), *MORNING, *tool(EDGE_FINDER))
    stand = replace(stand, place=(-320.0, -120.0, -205.0 + 110.0))
    stand = replace(stand, held=replace(stand.held.copied(), at=stand.place, real=stand.place))
    (gap, *_rest) = [g for g in gaps(stand) if g.way == "x+"]
    # The block's left face is at X -300, the finder is 10 mm thick: 15 to go.
    assert gap.mm == pytest.approx(15.0, abs=1e-3) and gap.face == "left"
    stand = until_still(do(stand, act.Step("x", gap.mm)))
    touching = next(g for g in gaps(stand) if g.way == "x+")
    assert felt(stand, touching, "mm") == "The edge finder kicks over at the left of the work."
    setting = set_to(stand, "x", -5.0, "work", "G54", "mm")
    assert setting.told.value == pytest.approx(-300.0, abs=1e-3)
    stand = do(stand, replace(setting.told, key="G55"))
    assert stand.job.registers.work["G55"][0] == pytest.approx(-300.0, abs=1e-3)


def test_work_put_in_wrong_is_cut_where_it_lies(tmp_path: Path) -> None:
    stand = stand_of(tmp_path)
    put = act.PutIn(turned=90, off_stop=3.0, chip=0.5)
    stand = do(stand, act.Power(), act.Home(), 1e4, act.Guard(True), put)
    solid = stand.job.bench.stocks[0]
    right = stand.truth.bench.stocks[0]
    assert solid.frame.z == right.frame.z + 0.5
    corners = solid.frame.out(np.array([[0.0, 0.0, 0.0], [100.0, 60.0, 0.0]]))[:, :2]
    middle = corners.mean(axis=0)
    # 100 x 60 from X -300, Y -150: its middle, 3 mm farther along X.
    assert middle == pytest.approx([-300.0 + 50.0 + 3.0, -150.0 + 30.0])
    assert np.abs(corners[1] - corners[0]) == pytest.approx([60.0, 100.0])
    _stand, told = after(stand, act.Clamp(True))
    assert "something lies under it" in told[0].said


def test_a_start_in_the_middle_asks_and_shows_what_is_left_out(tmp_path: Path) -> None:
    stand = do(stand_of(tmp_path), *MORNING, *tool(1))
    same, told = after(stand, act.CycleStart(line=6))
    assert same.mode == "hand" and told[0].kind == "refused" and "leaves out" in told[0].said
    stand = do(stand, act.CycleStart(line=6, knowing=True))
    assert stand.mode == "program"


def test_what_mdi_leaves_in_force_stays_and_a_line_that_cannot_be_run_is_an_alarm(tmp_path: Path) -> None:
    stand = until_still(do(stand_of(tmp_path), *MORNING, *tool(1), act.Mdi("G91 G0 Z-10.")))
    assert stand.place[2] == pytest.approx(-10.0) and "G91" in stand.in_force.words
    stand = until_still(do(stand, act.Mdi("G90 G55 M3 S500")))
    assert stand.in_force.offset == "G55" and stand.spindle_on
    stand = until_still(do(stand, act.Mdi("G2 X10. R0.1 F100.")))
    assert stand.alarm is not None and stand.alarm.kind == "control"
    assert stand.mdi[-1] == "G2 X10. R0.1 F100."


def test_a_new_block_costs_one_action_and_a_cut_one_goes_back_as_it_was(tmp_path: Path) -> None:
    stand = until_still(do(at_first_tool(tmp_path), *tool(1), act.CycleStart()))
    cut = stand.course.proof.histories[0].removed.sum()
    assert cut > 0.0
    stand = do(stand, act.StopProgram(), act.Guard(True), act.Clamp(False), act.TakeOut())
    assert not stand.course.proof.histories
    _same, told = after(stand, act.PutIn(turned=90))
    assert "goes back as it was" in told[0].said
    back = do(stand, act.PutIn())
    assert back.course.proof.histories[0].removed.sum() == cut
    fresh = do(stand, act.PutIn(fresh=True))
    assert fresh.course.proof.histories[0].removed.sum() == 0.0


@pytest.mark.parametrize("name", ["winder-bush", "ridge-gusset", "louvre-panel"])
def test_each_trade_is_rehearsed_as_it_is_proved(name: str) -> None:
    job, source, _ = load(data_folder() / "demo" / f"{name}.job.toml")
    stand = do(begin(job, source), act.Power(), act.Home(), 1e4, act.Guard(True), act.PutIn())
    if stand.habits.holder:
        stand = do(stand, act.Clamp(True))
    stand = until_still(do(stand, act.Guard(False), act.Switch("optional-stop", False), act.CycleStart()))
    assert stand.mode == "hand" and stand.parts == 1, stand.alarm
    proof = prove(job, source)
    assert stand.course.proof.histories[0].final.volume() == pytest.approx(proof.histories[0].final.volume())
    assert stand.cutting_s == pytest.approx(proof.timing.total, rel=0.01)


def test_a_rehearsal_is_kept_and_done_again(tmp_path: Path) -> None:
    stand = stand_of(tmp_path)
    ticks, done = 0, []
    for what in (*MORNING, act.CycleStart(), *tool(1), act.CycleStart(), 8.0, act.Hold(), 1.0):
        if isinstance(what, float):
            wait = min(what, 300.0)
            for _ in range(round(wait / TICK_S)):
                stand, _ = after(stand, TICK_S)
                ticks += 1
        else:
            stand, _ = after(stand, what)
            done.append(Done(ticks, what))
    kept = Rehearsal(checksum=checksum(stand.source), ticks=ticks, done=tuple(done))
    write_rehearsal(kept, tmp_path / "morning.rehearsal.json")
    read = read_rehearsal(tmp_path / "morning.rehearsal.json")
    assert read == kept
    job, source, _ = load(tmp_path / "plain.job.toml")
    again = do_again(job, source, read)
    assert again.place == stand.place and again.clock_s == pytest.approx(stand.clock_s)
    assert np.array_equal(heights(again), heights(stand))
    for wrong, why in (
        ("{", "not written as JSON"),
        (as_text(kept).replace('"Home"', '"Dance"'), "nothing to do called 'Dance'"),
        (as_text(kept).replace('"open": true', '"open": 7'), "cannot be 7"),
        (as_text(kept).replace('"tick": 0', '"tick": 999999'), "comes before the one"),
    ):
        (tmp_path / "wrong.json").write_text(wrong)
        with pytest.raises(UnusableFile, match=why):
            read_rehearsal(tmp_path / "wrong.json")


def test_a_stretch_cut_in_two_is_the_same_stretch(tmp_path: Path) -> None:
    job, source, _ = load(write_job(tmp_path, SAFE + "T1 M6\nG0 X0 Y0\nG2 X10. Y10. I10. F200.\nM0\nG1 X50.\n"))
    motions = prove(job, source, cut=False).motions
    head, tail = cut_in_two(motions, 1, 0.5)
    assert len(head) + len(tail) == len(motions) + 1
    assert head.end[-1] == pytest.approx(tail.start[0])
    assert head.lengths().sum() + tail.lengths().sum() == pytest.approx(motions.lengths().sum())
    whole = one_behind_another(head, tail)
    assert [e.kind for e in whole.events] == [e.kind for e in motions.events]
    assert whole.events[-1].before == motions.events[-1].before + 1


HANDS = st.one_of(
    st.sampled_from(
        [
            act.Power(), act.Home(), act.Guard(True), act.Guard(False), act.PutIn(), act.TakeOut(), act.Clamp(True), act.Clamp(False),
            act.Drawbar(True), act.Drawbar(False), act.PutTool(1), act.PutTool(2), act.LetGo(), act.Hold(), act.BackToHeld(), act.Clear(),
            act.StopProgram(), act.CycleStart(), act.CycleStart(), act.EmergencyStop(), act.EmergencyStop(False),
            act.Spindle("clockwise", 900.0), act.Spindle("off"), act.Overrides(0.5, 0.25), act.Overrides(), act.Mdi("G91 G1 Z-30. F500."),
            act.Mdi("G90"), act.SetFigure(group="work", key="G54", value=-210.0, axis="z"), act.Switch("single-block", True), act.Switch("single-block", False),
        ]
    ),
    st.builds(act.Jog, st.sampled_from("xyz"), st.sampled_from([1, -1]), st.sampled_from(["slow", "fast", "rapid"])),
    st.builds(act.Step, st.sampled_from("xyz"), st.floats(-20.0, 20.0)),
    st.floats(0.01, 8.0),
)  # fmt: skip


@given(st.lists(HANDS, min_size=5, max_size=40))
@settings(max_examples=3000 if os.environ.get("UNDERGLASS_DEEP") else 60)
def test_no_hands_break_it(tmp_path_factory: pytest.TempPathFactory, hands: list[act.Action | float]) -> None:
    """Nothing moves with an alarm on but a jog off its limit, nothing runs with the guard open, and the cut is the proof's."""
    stand = stand_of(tmp_path_factory.getbasetemp())
    stand = do(stand, *MORNING)
    low, high = stand.job.bench.machine.travel_min, stand.job.bench.machine.travel_max
    for what in hands:
        before = stand
        stand, _ = after(stand, what)
        if before.alarm is not None and stand.place != before.place:
            assert before.alarm.kind == "limit" and stand.course.what in ("jog", "step")
        if before.guard_open and stand.moving:
            assert stand.course.what in ("jog", "step")
        if stand.stopped:
            assert not stand.moving and not stand.spindle_on
        assert all(a - 1e-6 <= p <= b + 1e-6 for a, p, b in zip(low, stand.place, high))
        assert next_thing(stand)
    course = stand.course
    alone = proof_of_run(
        stand.job, stand.source, course.proof.run, rows=(list(course.proof.tool_table.tools), course.proof.tool_row)
    )
    for one, two in zip(alone.stocks, course.proof.stocks):
        assert np.array_equal(one.final.h, two.final.h)


def test_a_pen_draws_what_the_program_would_cut(tmp_path: Path) -> None:
    program = SAFE + "T1 M6\nG0 G54 X20. Y30. S3000 M3\nG43 H1 Z10.\nG1 Z-2. F200.\nX80. F400.\nG0 Z25. M5\nM30\n"
    stand = at_first_tool(tmp_path, program, COARSE.replace("cell = 1.0", "cell = 0.25"))
    stand = do(
        stand, act.StopProgram(), act.SetFigure(group="length", key="H1", value=105.0), *tool(PEN), act.CycleStart()
    )
    stand = until_still(do(until_still(stand), act.CycleStart()))
    assert stand.alarm is None and stand.parts == 1
    field = heights(stand)
    # A line on the top from X 20 to X 80, not a slot.
    row = int(30.0 / 0.25)
    assert field[row, int(50.0 / 0.25)] == pytest.approx(20.0 - 0.05, abs=1e-4)
    assert field.min() == pytest.approx(20.0 - 0.05, abs=1e-4)
    assert field[row + 8, int(50.0 / 0.25)] == 20.0
    # Sent down past its spring it is pushed into the work.
    stand = until_still(
        do(stand, act.Mdi("G90 G0 G54 X50. Y20."), 20.0, act.Mdi("G43 H1 G0 Z10."), 20.0, act.Mdi("G1 Z-8. F500."))
    )
    assert stand.alarm is not None and stand.alarm.kind == "contact"


def test_overrides_are_felt_in_the_load(tmp_path: Path) -> None:
    job = COARSE.replace(
        'shape = "box"\nsize = [100.0', 'shape = "box"\nmaterial = "aluminium"\nsize = [100.0'
    ).replace("APMX = 22.0", "APMX = 22.0\nNOF = 3")
    stand = do(at_first_tool(tmp_path, job=job), *tool(1), act.CycleStart(), 12.0)
    loads = stand.course.proof.loads()
    usual = load_now(stand, loads)
    assert usual is not None and usual.chip == pytest.approx(300.0 / (3000.0 * 3)) and usual.power > 0.0
    half = load_now(replace(stand, feed=0.5), loads)
    fast = load_now(replace(stand, turning=1.2), loads)
    assert half is not None and fast is not None
    assert half.chip == pytest.approx(usual.chip / 2.0) and usual.power / 2.0 < half.power < usual.power
    assert fast.chip == pytest.approx(usual.chip / 1.2) and fast.power > usual.power
    assert load_now(replace(stand, moving=False), loads) is None


def test_a_probe_in_the_spindle_stops_where_it_touches(tmp_path: Path) -> None:
    stand = do(stand_of(tmp_path), *MORNING, *tool(TOUCH_PROBE), act.Mdi("G0 G53 X-250. Y-120."), 60.0)
    stand = do(stand, act.Mdi("G0 G53 Z-40."), 60.0, act.Mdi("G91 G38.2 Z-50. F200."), 60.0)
    # The probe is 150 long, the block's top at Z -200: the gauge line stands at Z -50.
    assert stand.alarm is None and stand.place[2] == pytest.approx(-50.0, abs=1e-3)
    (gap, *_rest) = [g for g in gaps(stand) if g.way == "z-"]
    assert felt(stand, gap, "mm").startswith("The probe's lamp lights")
    setting = set_to(stand, "z", 0.0, "work", "G54", "mm")
    assert setting.told.value == pytest.approx(-200.0, abs=1e-3)
