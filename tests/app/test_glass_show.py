"""What the glass can be asked to show: sections, colours, hidden paths, measures, pictures saved."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from PIL import Image
from PySide6.QtCore import QPoint, QPointF, Qt
from pytestqt.qtbot import QtBot

from tests.app.test_glass import SLOT, seen, wait_still
from tests.conftest import PLAIN_JOB, START
from underglass.app.glass.colouring import COLOURINGS, STEPS, Colouring
from underglass.app.glass.picking import View, path_at
from underglass.app.glass.saving import Animation
from underglass.app.glass.scene import HIDDEN
from underglass.app.glass.showing import Section
from underglass.app.main_window import MainWindow
from underglass.core.proof.proof import Proof

pytestmark = pytest.mark.drawn

TWO_TOOLS = (
    START
    + "(SLOT)\nX50. Y-8.\nZ2.\nG1 Z-4. F300\nY68.\nG0 Z50.\n(SHELF)\nX10. Y-8.\nZ1.\nG1 Z-2.\nY68.\nG0 Z50.\nM5\n"
    + "T2 M6\n(HOLE)\nG0 G54 X80. Y30. S2000 M3\nG43 H2 Z5.\nG1 Z-6. F100\nG0 Z50.\nM5\nM30\n"
)


def click(window: MainWindow, qtbot: QtBot, place: tuple[float, float, float]) -> None:
    """The left button at a place of the part."""
    at = window.glass.project(np.array([place]))[0]
    qtbot.mouseClick(window.glass, Qt.MouseButton.LeftButton, pos=QPoint(round(at[0]), round(at[1])))


def test_a_section_takes_one_side_away_for_the_eye_and_the_mouse() -> None:
    section = Section(1, 30.0, away_above=False)
    start, way = np.array([50.0, -100.0, 0.0]), np.array([0.0, 1.0, 0.0])
    assert section.reach(start, way) == (130.0, math.inf)  # what stands before Y 30 is gone
    assert replace(section, away_above=True).reach(start, way) == (0.0, 130.0)
    beside = np.array([50.0, 10.0, 0.0])
    begins, ends = section.reach(beside, np.array([1.0, 0.0, 0.0]))
    assert begins > ends  # all of this ray lies in what is gone


def test_a_section_shows_the_sawn_face_and_can_be_dragged(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(SLOT)
    glass = window.glass
    glass.show_with(lines=False, tool=False, fixtures=False)
    glass.view("front")
    window.document.set_moment(window.tape.total)
    glass.sawing.choose(1)
    assert glass.showing.section == Section(1, 30.0, away_above=False)  # the operator's side is gone
    wait_still(window, qtbot)
    # The slot of 10 x 4 along Y at X 50 is seen end on: through it, the glass's ground; beside it, the stock.
    through, wood = seen(window, (50.0, 30.0, -2.0)), seen(window, (70.0, 30.0, -2.0))
    assert through.lightness() > wood.lightness() and wood.red() > wood.blue()
    hit = glass.stage.surface(np.array([70.0, -200.0, -2.0]), np.array([0.0, 1.0, 0.0]))
    assert hit is not None and hit[0].distance == pytest.approx(230.0, abs=0.3)
    glass.view("right")
    glass.sawing.choose(1)
    grip = glass.sawing.grip()
    assert grip is not None
    pixel = glass.camera.pixel_mm(glass.width(), glass.height())
    at, to = grip.toPoint(), (grip + QPointF(-10.0 / pixel, 0.0)).toPoint()
    middle = glass.showing.section.at
    qtbot.mousePress(glass, Qt.MouseButton.LeftButton, pos=at)
    qtbot.mouseMove(glass, to)
    qtbot.mouseRelease(glass, Qt.MouseButton.LeftButton, pos=to)
    assert glass.showing.section.at == pytest.approx(middle - 10.0, abs=1.5)


def test_the_show_panel_says_and_changes_what_is_shown(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(TWO_TOOLS)
    bar, glass = window.glass_bar, window.glass
    bar.show_more.click()
    panel = bar.panel
    assert panel.isVisible() and panel.colouring.currentText() == "Tool"
    panel.flags["rapids"].click()
    lines, motions = glass.stage.lines, window.document.proof.motions
    of_move = np.repeat(np.arange(len(motions)), np.diff(lines.first))
    assert (lines.rows[motions.rapid()[of_move], 8] == HIDDEN).all()
    assert (lines.rows[~motions.rapid()[of_move], 8] != HIDDEN).all()
    panel.flags["rapids"].click()
    assert not (glass.stage.lines.rows[:, 8] == HIDDEN).any()
    glass.show_with(hidden_tools=frozenset({2}))
    assert set(motions.tool_of()[of_move[glass.stage.lines.rows[:, 8] == HIDDEN]].tolist()) == {2}
    panel.axes[3].click()
    assert glass.showing.section.axis == 2 and panel.at.isVisible()
    panel.at.enter("-1.5")
    assert glass.showing.section.at == -1.5
    panel.at.enter("nonsense")
    assert panel.at.bad and glass.showing.section.at == -1.5
    panel.axes[0].click()
    assert glass.showing.section is None
    panel.colouring.setCurrentIndex(3)
    panel.colouring.activated.emit(3)
    assert glass.showing.colouring == "depth"


def test_every_colouring_gives_each_cut_cell_a_colour_and_no_other(prove_text: Callable[..., Proof]) -> None:
    proof = prove_text(TWO_TOOLS)
    from underglass.core.proof.operations import operations

    found = operations(proof)
    field = proof.stocks[0].final
    whole = (0, field.h.shape[0], 0, field.h.shape[1])
    for kind, _word in COLOURINGS[:5]:
        codes = Colouring(proof, kind, found).codes(0, field, whole, None)
        assert ((codes > 0) == (field.owner >= 0)).all(), kind
        assert codes.max() < 64
    depth = Colouring(proof, "depth", found)
    assert (depth.low, depth.high) == (pytest.approx(-6.0, abs=0.15), -2.0)
    codes = depth.codes(0, field, whole, None)
    j, i = field.grid.cell_at(10.0, 30.0)
    assert codes[j, i] == STEPS  # the shelf is the highest that was cut
    chosen = Colouring(proof, "tool", found).codes(0, field, whole, proof.moves_of_line(9))
    assert (chosen >= 128).any()


def test_off_the_run_held_is_told_to_the_cell(prove_text: Callable[..., Proof]) -> None:
    one, two = prove_text(SLOT), prove_text(SLOT.replace("Z-4.", "Z-5."))
    colouring = Colouring(two, "held", (), [h.final.h for h in one.stocks])
    field = two.stocks[0].final
    codes = colouring.codes(0, field, (0, *field.h.shape[:1], 0, field.h.shape[1]), None)
    middle = 1 + STEPS // 2
    slot, beside = field.grid.cell_at(50.0, 30.0), field.grid.cell_at(80.0, 10.0)
    assert codes[beside] == middle and codes[slot] < middle  # a millimetre lower than the run held


def test_measures_in_the_picture_are_those_of_the_program(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(TWO_TOOLS)
    glass = window.glass
    window.document.set_moment(window.tape.total)
    glass.show_with(tool=False, lines=False)
    glass.view("top")
    glass.set_parallel(True)
    window.glass_bar.measure.click()
    assert glass.measuring.mode == "distance" and "first" in glass.measuring.asks
    window.glass_bar.modes["across"].click()
    click(window, qtbot, (50.0, 30.0, -4.0))
    assert glass.measuring.result.words.startswith("10.0")  # a 10 mm cutter's slot, to half a cell of 0.25
    assert "slot" in glass.measuring.result.words
    window.glass_bar.modes["round"].click()
    click(window, qtbot, (80.0, 30.0, -5.0))
    words = glass.measuring.result.words
    assert "hole" in words and float(words.split()[1]) == pytest.approx(8.0, abs=0.1)  # the drill's
    window.glass_bar.modes["point"].click()
    click(window, qtbot, (10.0, 30.0, -2.0))
    assert "Z -2.000" in glass.measuring.result.words
    window.glass_bar.modes["distance"].click()
    click(window, qtbot, (10.0, 30.0, -2.0))
    assert "second" in glass.measuring.asks
    click(window, qtbot, (50.0, 30.0, -4.0))
    assert "dZ -2.000" in glass.measuring.result.words
    window.document.set_moment(0.0)
    assert glass.measuring.result is None  # it was of a stock that is no longer shown
    qtbot.keyClick(glass, Qt.Key.Key_Escape)
    assert glass.measuring.mode == "" and not window.glass_bar.strip.isVisible()


def test_the_hover_says_all_about_a_move_and_a_surface(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(SLOT)
    glass = window.glass
    glass.view("top")
    glass.show_with(rapids=False)
    window.document.set_moment(window.tape.total)
    at = glass.project(np.array([[50.0, 30.0, -4.0]]))[0]
    said = glass.about(QPointF(at[0], at[1]))
    assert said.startswith("Feed, line 8") and "to   X 50.000  Y 68.000  Z -4.000" in said
    assert "76.000 mm" in said and "F 300 mm/min" in said and "T1  H1  G54  S 3000" in said and "15.2" in said
    glass.set_shown(lines=False)
    said = glass.about(QPointF(at[0], at[1]))
    assert "cut by line 8 with tool 1" in said and "4.000 mm below the stock as clamped" in said
    assert glass.line_at(QPointF(at[0], at[1])) == 8


def test_a_path_that_is_hidden_or_cut_away_is_not_picked(plain: Callable[..., MainWindow]) -> None:
    window = plain(SLOT)
    glass = window.glass
    glass.view("top")
    view = View(glass.camera, glass.width(), glass.height())
    at = glass.project(np.array([[50.0, 10.0, -4.0]]))[0]
    move = path_at(glass.stage, view, at[0], at[1])
    assert move is not None
    glass.show_with(hidden_tools=frozenset({1}))
    assert path_at(glass.stage, view, at[0], at[1]) is None
    glass.show_with(hidden_tools=frozenset(), section=Section(1, 30.0, away_above=False))
    assert path_at(glass.stage, view, at[0], at[1]) is None


def test_picture_stock_and_animation_are_saved(
    plain: Callable[..., MainWindow], qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setitem(Animation.__init__.__kwdefaults__, "frames", 24)  # type: ignore[arg-type]
    window = plain(SLOT)
    window.resize(900, 600)  # the fewer pixels are drawn in software
    window.document.set_moment(window.tape.total)
    wait_still(window, qtbot)
    size = (window.glass.width(), window.glass.height())
    window.looking.save("png", tmp_path / "a.png")
    picture = Image.fromarray(np.asarray(Image.open(tmp_path / "a.png")))
    assert picture.size == size and len(picture.convert("RGB").getcolors(1 << 24)) > 50
    window.looking.save("stl", tmp_path / "a.stl")
    mesh = trimesh.load(tmp_path / "a.stl")
    cut = float(window.document.proof.stocks[0].removed.sum())
    assert mesh.is_watertight and mesh.volume == pytest.approx(100 * 60 * 20 - cut, rel=2e-3)
    window.looking.save("gif", tmp_path / "a.gif")
    with qtbot.waitSignal(window.looking.animation.done, timeout=60_000) as ended:
        pass
    with Image.open(tmp_path / "a.gif") as film:
        assert film.n_frames > 20 and "pictures" in ended.args[0]
    window.looking.save("gif", tmp_path / "b.gif")
    animation = window.looking.animation
    with qtbot.waitSignal(animation.done, timeout=60_000):
        animation.cancel()
    assert not (tmp_path / "b.gif").exists()
    window.looking.save("png", tmp_path / "no" / "such.png")
    assert "could not be written" in window.trouble


def test_the_glass_alone_takes_the_room(plain: Callable[..., MainWindow]) -> None:
    window = plain(SLOT)
    window.looking.glass_alone()
    assert not window.program.isVisible() and not window.right.isVisible()
    window.looking.glass_alone()
    assert window.program.isVisible() and window.right.isVisible()


def test_jobs_without_target_or_held_run_say_so(plain: Callable[..., MainWindow]) -> None:
    window = plain(SLOT, PLAIN_JOB)
    for kind, words in (("target", "No target"), ("held", "No run is held")):
        window.glass.show_with(colouring=kind)
        assert words in window.glass.stage.colouring.legend(window.colours, "mm").title


@pytest.mark.parametrize(("axis", "at", "above"), [(0, 52.0, True), (1, 22.0, False), (2, -1.5, True)])
def test_what_a_sawn_stock_shows_is_what_its_mesh_sawn_by_trimesh_shows(
    prove_text: Callable[..., Proof], axis: int, at: float, above: bool
) -> None:
    """The stock's closed skin, cut and capped by trimesh, is met by the same rays at the same places."""
    from underglass.app.glass.showing import Showing
    from underglass.app.glass.stage import Stage
    from underglass.core.proof.measure import part_mesh

    proof = prove_text(TWO_TOOLS, PLAIN_JOB.replace("cell = 0.25", "cell = 0.5"))
    stage = Stage()
    stage.set_proof(proof)
    stage.go(proof.timing.total)
    section = Section(axis, at, above)
    stage.show(Showing(section=section))
    plane = np.array(section.plane())
    vertices, faces = part_mesh(proof)
    mesh = trimesh.Trimesh(vertices, faces)
    origin = np.zeros(3)
    origin[axis] = at
    # What is kept lies on the side that the plane's normal does not point to.
    sawn = trimesh.intersections.slice_mesh_plane(mesh, -plane[:3], origin, cap=False)
    rng = np.random.default_rng(3)
    ways = rng.normal(size=(40, 3))
    ways /= np.linalg.norm(ways, axis=1)[:, None]
    starts = np.array([50.0, 30.0, -5.0]) + rng.normal(size=(40, 3)) * (10.0, 8.0, 3.0) - ways * 300.0
    places, ray, _tri = sawn.ray.intersects_location(starts, ways, multiple_hits=True)
    # The cap: where the ray comes out of what is gone into solid stock.
    through = -(starts @ plane[:3] + plane[3]) / (ways @ plane[:3])
    capped = (ways @ plane[:3] < 0.0) & mesh.contains(starts + ways * (through + 1e-4)[:, None])
    agreed = met = 0
    for k, (start, way) in enumerate(zip(starts, ways)):
        hit = stage.surface(start, way)
        along = (places[ray == k] - start) @ way
        if capped[k]:
            along = np.append(along, through[k])
        if hit is None:
            agreed += not len(along)
            continue
        met += 1
        agreed += bool(len(along)) and abs(float(along.min()) - hit[0].distance) < 0.6
    assert met > 16 and agreed >= 38  # a ray along a wall may meet the next cell
