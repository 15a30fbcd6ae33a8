"""The glass: what is drawn, from where, and that a moved camera keeps what it should."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor
from pytestqt.qtbot import QtBot

from tests.conftest import START
from underglass.app.glass.camera import VIEW_KEYS, VIEWS, Camera
from underglass.app.glass.renderer import _StockTexture
from underglass.app.glass.scene import FEED, PLUNGE, RAPID, box_body, path_lines, turned_body
from underglass.app.main_window import MainWindow
from underglass.app.style.palette import DAY, NIGHT, contrast

pytestmark = pytest.mark.drawn

SLOT = (
    START
    + "X50. Y-8.\nZ2.\nG1 Z-4. F300\nY68.\nG0 Z50.\nX10. Y10.\nZ1.\nG1 Z0\nG2 X10. Y10. I5. J0\nG0 Z50.\nM5\nM30\n"
)


def wait_still(window: MainWindow, qtbot: QtBot) -> None:
    qtbot.waitUntil(lambda: window.glass.still and not window.prover.busy, timeout=60_000)


def seen(window: MainWindow, place: tuple[float, float, float]) -> QColor:
    """The colour at a place of the part, in the picture."""
    at = window.glass.project(np.array([place]))[0]
    image = window.glass.grabFramebuffer()
    return image.pixelColor(int(at[0]), int(at[1]))


def test_cut_faces_take_their_tools_colour(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(SLOT)
    window.glass.set_shown(lines=False)
    window.glass.view("top")
    window.document.set_moment(window.tape.total)
    window.document.select_line(1, move_moment=False)
    wait_still(window, qtbot)
    assert window.glass.why_dark == ""
    cut, uncut = seen(window, (50.0, 30.0, -4.0)), seen(window, (80.0, 10.0, 0.0))
    # The first tool's colour is bluish, the stock's brownish; both lit the same way.
    assert cut.blue() > cut.red() and uncut.red() > uncut.blue()
    window.document.set_moment(0.0)
    wait_still(window, qtbot)
    again = seen(window, (50.0, 45.0, 0.0))
    assert again.red() > again.blue()


def test_a_picture_is_not_blank_in_either_theme(slip: MainWindow, qtbot: QtBot) -> None:
    wait_still(slip, qtbot)
    shades = set()
    image = slip.glass.grabFramebuffer()
    for x in range(0, image.width(), 20):
        for y in range(0, image.height(), 20):
            shades.add(image.pixel(x, y))
    assert len(shades) > 60


def test_dragging_turns_and_the_wheel_comes_nearer(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(SLOT)
    glass = window.glass
    before = glass.camera
    qtbot.mousePress(glass, Qt.MouseButton.LeftButton, pos=QPoint(200, 200))
    qtbot.mouseMove(glass, QPoint(260, 220))
    qtbot.mouseMove(glass, QPoint(300, 240))
    qtbot.mouseRelease(glass, Qt.MouseButton.LeftButton, pos=QPoint(300, 240))
    assert glass.camera.azimuth_deg != before.azimuth_deg
    line = window.document.line
    assert window.document.line == line  # a drag chooses nothing
    window.glass.fit()
    glass.setFocus()
    qtbot.keyClick(glass, Qt.Key.Key_S)
    assert not glass.show_solid
    qtbot.keyClick(glass, Qt.Key.Key_P)
    assert glass.show_solid or glass.show_lines  # never both off


@pytest.mark.parametrize("parallel", [False, True])
@pytest.mark.parametrize("name", list(VIEWS))
def test_rays_go_through_what_is_projected(name: str, parallel: bool) -> None:
    azimuth, elevation = VIEWS[name]
    camera = Camera(
        target=(10.0, -5.0, 3.0), azimuth_deg=azimuth, elevation_deg=elevation, span=150.0, parallel=parallel
    )
    matrix = camera.view_projection(640, 480)
    for place in ((0.0, 0.0, 0.0), (30.0, 20.0, -10.0)):
        clip = matrix @ np.array([*place, 1.0])
        x, y = (clip[0] / clip[3] + 1) / 2 * 640, (1 - clip[1] / clip[3]) / 2 * 480
        start, way = camera.ray(x, y, 640, 480)
        off = np.array(place) - start
        assert np.linalg.norm(off - (off @ way) * way) < 1e-6 * np.linalg.norm(off) + 1e-6
        assert -1 <= clip[2] / clip[3] <= 1


def test_turning_about_a_point_keeps_it_in_its_place() -> None:
    camera = Camera(target=(0.0, 0.0, 0.0), azimuth_deg=-58.0, elevation_deg=38.0, span=120.0)
    pivot = np.array([30.0, 10.0, 5.0])

    def where(c: Camera) -> np.ndarray:
        clip = c.view_projection(600, 600) @ np.array([*pivot, 1.0])
        return clip[:2] / clip[3]

    turned = camera.turned(25.0, -12.0, pivot)
    assert where(turned) == pytest.approx(where(camera), abs=1e-9)
    assert where(camera.zoomed(2.0, pivot)) == pytest.approx(where(camera), abs=1e-9)


def test_fitting_shows_every_corner() -> None:
    low, high = np.array([-10.0, -20.0, -30.0]), np.array([110.0, 60.0, 5.0])
    for azimuth, elevation in VIEWS.values():
        camera = Camera(azimuth_deg=azimuth, elevation_deg=elevation, parallel=True).fitted(low, high, 700, 500)
        for corner in np.array(np.meshgrid(*zip(low, high))).T.reshape(-1, 3):
            clip = camera.view_projection(700, 500) @ np.array([*corner, 1.0])
            assert np.abs(clip[:2] / clip[3]).max() <= 1.0


def test_path_lines_tell_motion_by_style(plain: Callable[..., MainWindow]) -> None:
    proof = plain(SLOT).document.proof
    assert proof is not None
    lines = path_lines(proof)
    first = lines.first
    assert len(first) == len(proof.motions) + 1
    style = {int(proof.motions.line[m]): int(lines.rows[first[m], 8]) for m in range(len(proof.motions))}
    assert (style[5], style[7], style[8]) == (RAPID, PLUNGE, FEED)
    arc = int((proof.moves_of_line(13) or (0, 0))[0])
    rows = lines.rows[first[arc] : first[arc + 1]]
    assert len(rows) > 20
    away = np.hypot(rows[:, 0] - 15.0, rows[:, 1] - 10.0)
    assert np.abs(away - 5.0).max() < 1e-3


def test_bodies_are_closed_and_face_outwards() -> None:
    import trimesh

    for body, volume in (
        (box_body((2.0, 3.0, 4.0)), 24.0),
        (turned_body([(5.0, 0.0), (5.0, 8.0)], 200), np.pi * 25 * 8),
    ):
        triangles = body.triangles[:, :3].reshape(-1, 3, 3).astype(float)
        mesh = trimesh.Trimesh(**trimesh.triangles.to_kwargs(triangles), process=True)
        assert abs(mesh.volume) == pytest.approx(volume, rel=1e-3)


@pytest.mark.parametrize("palette", [DAY, NIGHT], ids=lambda p: p.name)
def test_everything_that_is_read_has_enough_contrast(palette) -> None:  # type: ignore[no-untyped-def]
    """WCAG 2.1, success criterion 1.4.3: 4.5 to 1 for text."""
    for role in ("text", "quiet", "active", "belief", "crash", "fault", "caution", "note"):
        for ground in ("panel", "ground", "active_wash"):
            assert contrast(getattr(palette, role), getattr(palette, ground)) >= 4.5, (role, ground)
    assert contrast("#000000", "#FFFFFF") == pytest.approx(21.0)


def test_zoomed_in_the_loupe_takes_over_and_lets_go(plain: Callable[..., MainWindow], qtbot: QtBot) -> None:
    window = plain(SLOT)
    glass = window.glass
    window.document.set_moment(window.tape.total)
    glass.view("top")
    wait_still(window, qtbot)
    assert glass.stage.loupe is None
    glass.camera = replace(glass.camera, target=(45.0, 30.0, 0.0), span=4.0)
    with qtbot.waitSignal(glass.loupe_changed, timeout=30_000):
        glass.restless()
    wait_still(window, qtbot)
    assert glass.stage.loupe is not None
    stock, loupe = glass.stage.loupe
    cell = loupe.field.grid.cell
    assert stock == 0 and loupe.factor >= 10 and cell <= 0.025
    # The slot's wall at X45 is found to the loupe's cell, where the proof's own are of 0.25.
    wall = []
    for x in np.arange(44.8, 45.2, cell / 2):
        at = glass.project(np.array([[x, 30.0, 0.0]]))[0]
        hit = glass.stage.surface(*glass._ray(QPoint(round(at[0]), round(at[1])).toPointF()))
        assert hit is not None
        wall.append((hit[0].place[0], glass.stage.world.into(np.array([hit[0].place]))[0]))
    deep = [p[1][0] for p in wall if p[1][2] < -3.0]
    assert min(deep) == pytest.approx(45.0, abs=2.0 * cell + 0.012)
    middle = glass.project(np.array([[44.0, 30.0, 0.0]]))[0]
    assert "cells of" in glass.about(QPoint(round(middle[0]), round(middle[1])).toPointF()) or glass.show_lines
    window.document.set_moment(0.0)
    assert glass.stage.loupe is None
    wait_still(window, qtbot)
    glass.view("corner")
    wait_still(window, qtbot)
    assert glass.stage.loupe is None


def test_what_an_edit_leaves_as_it_was_is_not_sent_again_and_the_picture_is_the_same(
    plain: Callable[..., MainWindow], qtbot: QtBot
) -> None:
    window = plain(SLOT)
    window.document.set_moment(window.tape.total)
    wait_still(window, qtbot)
    sent: list[tuple[int, ...]] = []
    put = _StockTexture.put_heights

    def watched(self: _StockTexture, h: object, *where: int) -> None:
        sent.append(where)
        put(self, h, *where)  # type: ignore[arg-type]

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(_StockTexture, "put_heights", watched)
        with qtbot.waitSignal(window.document.proof_changed, timeout=60_000):
            window.document.set_text(window.document.text.replace("G1 Z0\n", "G1 Z-1.\n"))
        window.document.set_moment(window.tape.total)
        wait_still(window, qtbot)
    grid = window.glass.stage.cursors[0].field.grid
    # The slot is where it was: what is sent lies around the small circle.
    assert sent and all((j1 - j0) * (i1 - i0) < grid.nx * grid.ny / 4 for j0, j1, i0, i1 in sent)
    kept = window.glass.grabFramebuffer()
    window.glass.makeCurrent()
    window.glass._renderer.clear_stocks()  # type: ignore[union-attr]
    window.glass.doneCurrent()
    window.glass.stage._sent = False
    window.glass.restless()
    wait_still(window, qtbot)
    assert window.glass.grabFramebuffer() == kept


def test_the_views_have_keys_in_the_glass(slip: MainWindow, qtbot: QtBot) -> None:
    slip.go_to_place("prove")
    for key, name in VIEW_KEYS.items():
        qtbot.keyClicks(slip.glass, key)
        assert (slip.glass.camera.azimuth_deg, slip.glass.camera.elevation_deg) == VIEWS[name]
