"""The real command line: some of it in a process of its own, the rest in this one."""

from __future__ import annotations

import io
import json
import os
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import jsonschema
import pytest

from tests.conftest import PLAIN_JOB, START, write_job
from underglass.cli.main import main
from underglass.core.data import data_folder

DEMO = data_folder() / "demo"
SLOT = START + "X50. Y-8.\nZ2.\nG1 Z-4. F300\nY68.\nG0 Z50.\nM5\nM30\n"


def call(*arguments: object, cwd: Path | None = None) -> subprocess.CompletedProcess[str]:
    """The command as its process runs it, without the seconds that a process needs to start."""
    out, err = io.StringIO(), io.StringIO()
    before = Path.cwd()
    os.chdir(cwd or before)
    try:
        with redirect_stdout(out), redirect_stderr(err), pytest.MonkeyPatch.context() as patch:
            patch.setattr(sys, "argv", ["underglass", *map(str, arguments)])
            try:
                main()
                code = 0
            except SystemExit as done:
                code = done.code if isinstance(done.code, int) else 0 if done.code is None else 1
    finally:
        os.chdir(before)
    return subprocess.CompletedProcess([], code, out.getvalue(), err.getvalue())


def call_apart(*arguments: object) -> subprocess.CompletedProcess[str]:
    """The command in a process of its own."""
    environment = {**os.environ, "PYTHONWARNINGS": "error::SyntaxWarning"}
    return subprocess.run(
        [sys.executable, "-m", "underglass", *map(str, arguments)],
        capture_output=True, text=True, env=environment, timeout=300, check=False,
    )  # fmt: skip


def schema() -> dict[str, object]:
    return json.loads((data_folder() / "schema" / "report.schema.json").read_text())  # type: ignore[no-any-return]


def test_the_clean_demo_is_clean() -> None:
    done = call_apart("check", DEMO / "vent-bracket.job.toml")
    assert done.returncode == 0, done.stderr
    assert done.stdout.splitlines()[-1].startswith("clean: no findings; 91 moves")
    assert done.stderr == ""


def test_the_demo_with_a_slip_crashes_at_its_line() -> None:
    done = call("check", DEMO / "vent-bracket-slip.job.toml", "--format", "json")
    assert done.returncode == 1
    report = json.loads(done.stdout)
    jsonschema.validate(report, schema())
    assert report["outcome"] == "crash"
    found = [f for f in report["findings"] if f["code"] != "first-approach"]
    assert [(f["code"], f["line"], f["severity"], f["tool"]) for f in found] == [("tool-into-fixture", 108, "crash", 5)]
    lines = (DEMO / "vent-bracket-slip.nc").read_text().splitlines()
    assert lines[107] == "N940 X-8. F450"
    assert found[0]["evidence"]["depth_mm"] == pytest.approx(2.0)
    assert "left clamp" in found[0]["message"]
    assert {"to": "left clamp", "part": "cutter", "distance_mm": 2.0, "line": 31, "tool": 2} in report["closest"]


def test_a_folder_is_every_job_in_it() -> None:
    # In a process of its own, which other processes help.
    done = call_apart("check", DEMO, "--format", "json")
    reports = json.loads(done.stdout)
    assert {r["job"].removesuffix(".job.toml"): r["outcome"] for r in reports} == {
        "louvre-panel-slip": "crash", "louvre-panel": "clean", "ridge-gusset-slip": "fault", "ridge-gusset": "clean",
        "vent-bracket-slip": "crash", "vent-bracket": "clean", "winder-bush-slip": "crash", "winder-bush": "clean", "winder-cover": "caution",
    }  # fmt: skip
    jsonschema.validate(reports, schema())
    assert done.returncode == 1


def test_report_figures(tmp_path: Path) -> None:
    job = write_job(tmp_path, SLOT)
    report = json.loads(call("check", job, "--format", "json").stdout)
    assert report["job"] == "plain.job.toml"
    assert report["stock"] == {"start_mm3": 120000.0, "end_mm3": 117600.0, "cell_mm": 0.25}
    assert report["path"]["moves"] == 7
    assert report["path"]["feed_mm"] == pytest.approx(6 + 76)
    assert report["path"]["min"] == {"x": -20.0, "y": -20.0, "z": -4.0}
    assert report["tools"][0]["removed_mm3"] == pytest.approx(2400.0)
    assert report["tools"][0]["feed_time_s"] == pytest.approx(82 / 5.0, rel=0.01)


@pytest.mark.parametrize(("level", "code"), [("crash", 0), ("fault", 1), ("caution", 1)])
def test_fail_on(tmp_path: Path, level: str, code: int) -> None:
    job = write_job(tmp_path, SLOT.replace("F300", ""))
    assert call("check", job, "--fail-on", level).returncode == code


def test_cautions_fail_only_where_asked(tmp_path: Path) -> None:
    job = write_job(tmp_path, SLOT.replace("M30\n", ""))
    assert call("check", job).returncode == 0
    assert call("check", job, "--fail-on", "caution").returncode == 1


def test_the_report_goes_to_a_file(tmp_path: Path) -> None:
    job = write_job(tmp_path, SLOT)
    out = tmp_path / "report.json"
    done = call("check", job, "--format", "json", "--out", out)
    assert done.stdout == "" and json.loads(out.read_text())["outcome"] == "clean"
    refused = call("check", job, "--out", tmp_path / "no" / "folder.txt")
    assert refused.returncode == 2 and "folder.txt" in refused.stderr


def test_measure(tmp_path: Path) -> None:
    job = write_job(tmp_path, SLOT)
    done = call("measure", job, "--point", 50, 30, "--point", 20, 30, "--point", 500, 0)
    assert done.stdout == "50 30 -4\n20 30 0\n500 0 nan\n"
    before = call("measure", job, "--point", 50, 30, "--at", 6)
    assert before.stdout == "50 30 0\n"


def test_measure_in_the_jobs_inches(tmp_path: Path) -> None:
    text = PLAIN_JOB.replace("format = 1", 'format = 1\nunits = "inch"')
    for old, new in (("x = -300.0, y = -150.0, z = -200.0", "x = -12.0, y = -6.0, z = -8.0"), ("[100.0, 60.0, 20.0]", "[4.0, 2.0, 1.0]"),
                     ("place = [0.0, 0.0, -20.0]", "place = [0.0, 0.0, -1.0]"), ("cell = 0.25", "cell = 0.01"),
                     ("DC = 10.0", "DC = 0.5"), ("APMX = 22.0", "APMX = 1.0"), ("length = 75.0", "length = 3.0"), ("stickout = 40.0", "stickout = 1.5"),
                     ("[20.0, 20.0, 15.0]", "[0.5, 0.5, 0.5]"), ("[-25.0, 20.0, -5.0]", "[-3.0, 1.0, -0.5]"),
                     ("holder = { diameter = 40.0, length = 30.0 }\n", ""), ("length = 110.0", "length = 4.0"), ("stickout = 70.0", "stickout = 2.0"),
                     ("DC = 8.0", "DC = 0.25"), ("APMX = 60.0", "APMX = 2.0")):  # fmt: skip
        assert old in text
        text = text.replace(old, new, 1)
    program = "G20 G17 G40 G49 G80 G90 G94\nT1 M6\nG0 G54 X2. Y-.5 S3000 M3\nG43 H1 Z.1\nG1 Z-.125 F20.\nY2.5\nG0 Z2.\nM5\nM30\n"
    job = write_job(tmp_path, program, text)
    assert (
        call("measure", job, "--point", 2, 1, "--point", 2.2, 1, "--point", 2.3, 1).stdout
        == "2 1 -0.125\n2.2 1 -0.125\n2.3 1 0\n"
    )
    assert call("check", job).returncode == 0


def test_path(tmp_path: Path) -> None:
    job = write_job(tmp_path, START + "G1 X0 Y0 Z5. F100\nG2 X10. Y0 I5. J0\nM30\n")
    rows = call("path", job, "--format", "csv").stdout.splitlines()
    assert rows[0] == "line,tool,kind,x0,y0,z0,x1,y1,z1,cx,cy,cz,feed,time_s,comp,mx,my,mz"
    cells = [dict(zip(rows[0].split(","), row.split(","))) for row in rows[1:]]
    assert [c["kind"] for c in cells] == ["rapid", "rapid", "feed", "arc-cw"]
    assert [c["line"] for c in cells] == ["3", "4", "5", "6"]
    arc = cells[-1]
    assert (arc["x0"], arc["x1"], arc["cx"], arc["cy"], arc["cz"], arc["feed"]) == ("0", "10", "5", "0", "", "100")
    assert (arc["mx"], arc["my"], arc["mz"]) == ("-290", "-150", "-120")
    assert cells[0]["feed"] == "" and cells[0]["cx"] == "" and cells[0]["comp"] == "off"


def test_a_bare_program_is_proved_with_guesses(tmp_path: Path) -> None:
    (tmp_path / "bare.nc").write_text(SLOT)
    done = call("check", tmp_path / "bare.nc")
    assert done.returncode == 0
    assert "guessed: tool 1: end mill 10" in done.stdout


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("check", "nowhere.job.toml"), "no such file"),
        (("check", "."), "no job"),
        (("measure", "nowhere.job.toml", "--point", "1", "2"), "no such file"),
        (("demo", "no-such-part"), "vent-bracket"),
        (("nowhere.nc",), "no such file"),
        (("check", "bad.job.toml"), "line 2"),
    ],
)
def test_what_cannot_be_used_is_one_sentence_and_two(tmp_path: Path, arguments: tuple[str, ...], says: str) -> None:
    if "bad" in arguments[-1]:
        (tmp_path / "bad.job.toml").write_text(PLAIN_JOB.replace("title", "titel"))
    done = call(*arguments, cwd=tmp_path)
    assert done.returncode == 2
    assert says in done.stderr and done.stderr.count("\n") == 1
    assert "Traceback" not in done.stderr and done.stdout == ""


@pytest.mark.parametrize("raw", [b"", b"\x00\x01\x02" * 50, b"\xff" * 40, b"G1" * 5000])
def test_any_program_file_is_proved(tmp_path: Path, raw: bytes) -> None:
    job = write_job(tmp_path, raw)
    done = call("check", job, "--format", "json")
    report = json.loads(done.stdout)
    jsonschema.validate(report, schema())
    assert report["findings"] and done.returncode in (0, 1)
    assert done.stderr == ""


def test_the_core_knows_no_window() -> None:
    code = (
        "import sys, pkgutil, importlib, underglass.core\n"
        "for m in pkgutil.walk_packages(underglass.core.__path__, 'underglass.core.'): importlib.import_module(m.name)\n"
        "assert not [m for m in sys.modules if m.startswith(('PySide6', 'moderngl', 'underglass.app'))]\n"
    )
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0


def test_summary_and_restart_in_words() -> None:
    job = str(data_folder() / "demo" / "vent-bracket.job.toml")
    done = call("summary", job)
    assert done.returncode == 0 and "T1 face mill 50" in done.stdout and "work offsets G54" in done.stdout
    data = json.loads(call("summary", job, "--format", "json").stdout)
    assert data["format"] == 1 and [t["number"] for t in data["tools"]] == [1, 2, 3, 4, 5]
    again = call("restart", job, "--line", "60")
    assert again.returncode == 0 and "tool 3 in the spindle" in again.stdout and "T3 M6" in again.stdout
    beyond = call("restart", job, "--line", "9999")
    assert beyond.returncode == 2 and "114 lines" in beyond.stderr and not beyond.stdout


def test_measuring_in_words(tmp_path: Path) -> None:
    job = write_job(tmp_path, START + "X50. Y-8.\nG1 Z-4. F300\nY68.\nG0 Z50.\nM5\nM30\n")
    width = call("measure", job, "--across", "50", "30", "-2", "0")
    assert float(width.stdout) == pytest.approx(10.0, abs=0.13)
    assert float(call("measure", job, "--step", "50", "30", "20", "30").stdout) == 4.0
    rows = call("measure", job, "--section", "30", "30", "70", "30").stdout.splitlines()
    assert rows[0] == "0 0" and len(rows) == 161
    assert call("measure", job, "--diameter", "50", "30", "-2").returncode == 2
    assert call("measure", job).returncode == 2


@pytest.mark.parametrize("suffix", ["stl", "ply", "3mf"])
def test_the_part_goes_to_a_file(tmp_path: Path, suffix: str) -> None:
    job = write_job(tmp_path, START + "X50. Y-8.\nG1 Z-4. F300\nY68.\nG0 Z50.\nM5\nM30\n")
    done = call("part", job, "-o", tmp_path / f"part.{suffix}", "--at", "5")
    assert done.returncode == 0 and (tmp_path / f"part.{suffix}").stat().st_size > 500
    wrong = call("part", job, "-o", tmp_path / "part.obj")
    assert wrong.returncode == 2 and ".stl" in wrong.stderr


def test_two_jobs_compared(tmp_path: Path) -> None:
    text = START + "X50. Y-8.\nG1 Z-4. F300\nY68.\nG0 Z50.\nM5\nM30\n"
    (tmp_path / "a").mkdir()
    (tmp_path / "b").mkdir()
    a, b = write_job(tmp_path / "a", text), write_job(tmp_path / "b", text.replace("Z-4.", "Z-5."))
    same = call("compare", a, a)
    assert same.returncode == 0 and same.stdout.startswith("the same part")
    other = call("compare", a, b, "--format", "json")
    report = json.loads(other.stdout)
    assert other.returncode == 1 and report["same_part"] is False
    assert report["more_in_a"]["depth_mm"] == 1.0 and report["first_difference"] == {"line_a": 6, "line_b": 6}


@pytest.mark.parametrize("form", ["json", "svg", "dxf"])
def test_paths_in_other_forms(tmp_path: Path, form: str) -> None:
    job = write_job(tmp_path, START + "X10. Y10.\nG1 Z1. F200\nG2 X20. I5. J0\nM30\n")
    done = call("path", job, "--format", form, "--out", tmp_path / f"path.{form}")
    assert done.returncode == 0 and not done.stdout
    assert len((tmp_path / f"path.{form}").read_text()) > 500


def test_sarif_on_stdout_alone(tmp_path: Path) -> None:
    done = call("check", write_job(tmp_path, START + "M30\n"), "--format", "sarif")
    assert done.returncode == 0 and json.loads(done.stdout)["version"] == "2.1.0"


def test_a_guessed_stock_is_not_blamed_on_the_program(tmp_path: Path) -> None:
    """A face cut at Z0 meets nothing of a block guessed to end there."""
    (tmp_path / "face.nc").write_text(
        START + "X-20. Y10.\nZ0\nG1 X100. F500\nG0 Z50.\nX50. Y-20.\nG1 Z-3.\nY40.\nG0 Z50.\nM5\nM30\n"
    )
    done = call("check", tmp_path / "face.nc")
    assert "cuts-air" not in done.stdout and done.stdout.splitlines()[-1].startswith("clean")


def test_a_turned_job_is_measured_by_z_and_told_in_diameters(tmp_path: Path) -> None:
    job = DEMO / "winder-bush.job.toml"
    done = call("measure", job, "--z", "-20", "--z", "-50", "--z", "9", "--at", "40")
    assert done.stdout.splitlines() == ["-20 27.994 13.009", "-50 45 0", "9 nan nan"]
    wrong = call("measure", job, "--point", "1", "2")
    assert wrong.returncode == 2 and wrong.stderr.count("\n") == 1 and "--z" in wrong.stderr
    other = call("measure", DEMO / "vent-bracket.job.toml", "--z", "-1")
    assert other.returncode == 2 and "--point" in other.stderr
    report = json.loads(call("check", job, "--format", "json").stdout)
    jsonschema.validate(report, schema())
    assert report["stock"]["cell_mm"] is None and [p["line"] for p in report["pieces"]] == [81]
    assert set(report["path"]["max"]) == {"x", "z"}
    same = call("compare", job, DEMO / "winder-bush-slip.job.toml")
    assert same.returncode == 0 and same.stdout.startswith("the same part")
    part = tmp_path / "bush.stl"
    assert call("part", job, "--at", "40", "-o", part).returncode == 0 and part.stat().st_size > 100_000


def test_outlines_of_a_sheet_are_drawn(tmp_path: Path) -> None:
    import ezdxf

    done = call("part", DEMO / "ridge-gusset.job.toml", "-o", tmp_path / "gussets.dxf")
    assert done.returncode == 0, done.stderr
    drawn = ezdxf.readfile(tmp_path / "gussets.dxf").modelspace().query("LWPOLYLINE")
    # Six gussets with three holes and a slot each, what fell out of these, and the sheet with six holes.
    assert sum(e.dxf.layer == "PIECES" for e in drawn) == 6 * (1 + 4) + 6 * 4
    assert sum(e.dxf.layer == "SHEET" for e in drawn) == 1 + 6
    done = call("part", DEMO / "vent-bracket.job.toml", "-o", tmp_path / "no.dxf")
    assert done.returncode == 2 and "only a sheet" in done.stderr and not (tmp_path / "no.dxf").exists()


def test_the_setup_sheet_is_written(tmp_path: Path) -> None:
    done = call(
        "sheet", DEMO / "vent-bracket.job.toml", "-o", tmp_path / "s.pdf", "--shop", "Fernhill Glasshouse Works"
    )
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "s.pdf").read_bytes().startswith(b"%PDF")
    assert call("sheet", DEMO / "vent-bracket.job.toml", "-o", tmp_path / "s.html").returncode == 0
    wrong = call("sheet", DEMO / "vent-bracket.job.toml", "-o", tmp_path / "s.doc")
    assert wrong.returncode == 2 and wrong.stderr.count("\n") == 1


def test_operations_are_listed_and_written(tmp_path: Path) -> None:
    rows = json.loads(call("fill", "--list", "--format", "json").stdout)
    assert {r["trade"] for r in rows} == {"milling", "turning", "sheet cutting", "punching"} and len(
        {r["name"] for r in rows}
    ) == len(rows)
    assert all(f["words"] and "start" in f for r in rows for f in r["fields"])
    done = call("fill", "pocket-round", "dia=30", "--job", DEMO / "vent-bracket.job.toml", "--out", tmp_path / "p.nc")
    text = (tmp_path / "p.nc").read_text().splitlines()
    assert done.returncode == 0 and text[0].startswith("(POCKET, ROUND: CX=60.") and "T2 M6" in text
    for entries, key in (
        (("dia=-3",), "dia"),
        (("colour=red",), "colour"),
        (("way",), "key=value"),
        (("angle=3", "way=plunge"), "angle"),
    ):
        wrong = call("fill", "pocket-round", *entries)
        assert wrong.returncode == 2 and key in wrong.stderr and wrong.stderr.count("\n") == 1
    other = call("fill", "nest", "--job", DEMO / "vent-bracket.job.toml")
    assert other.returncode == 2 and "sheet" in other.stderr


def test_a_folder_ends_in_a_table_and_writes_other_forms_as_well(tmp_path: Path) -> None:
    (tmp_path / "a").mkdir()
    (tmp_path / "b").mkdir()
    write_job(tmp_path / "a", SLOT)
    write_job(tmp_path / "b", SLOT.replace("F300", ""))
    done = call(
        "check",
        tmp_path,
        "--cores",
        1,
        "--also",
        f"html={tmp_path / 'x.html'}",
        "--also",
        f"sarif={tmp_path / 'x.sarif'}",
    )
    assert done.returncode == 1 and done.stdout.splitlines()[-1] == "2 jobs: 1 clean, 1 fault"
    assert "feed-missing" in (tmp_path / "x.html").read_text()
    assert json.loads((tmp_path / "x.sarif").read_text())["version"] == "2.1.0"
    brief = call("check", tmp_path, "--brief", "--cores", 1).stdout.splitlines()
    assert len(brief) == 4 and brief[0].startswith("job") and "a/plain.job.toml" in brief[1]
    (tmp_path / "c.job.toml").write_text("nonsense")
    bad = call("check", tmp_path, "--brief", "--cores", 1)
    assert bad.returncode == 2 and "1 cannot be used" in bad.stdout and "c.job.toml" in bad.stderr
    assert call("check", tmp_path / "a", "--also", "pdf=x").returncode == 2


def test_a_chart_and_a_comparison_on_paper(tmp_path: Path) -> None:
    job = write_job(tmp_path, SLOT)
    (tmp_path / "t.csv").write_text("number,kind,DC,APMX,LF,LPR,holder\n1,end-mill,10,22,75,40,40x30\n")
    done = call("chart", job, tmp_path / "t.csv")
    assert done.returncode == 0 and "the chart agrees" in done.stdout
    (tmp_path / "t.csv").write_text("number,kind,DC,APMX,LF\n1,end-mill,12,22,75\n")
    done = call("chart", job, tmp_path / "t.csv", "--format", "json")
    assert done.returncode == 1 and json.loads(done.stdout)["tools"][0]["trouble"] == "changed"
    page = call("compare", job, job, "--format", "html")
    assert page.returncode == 0 and "The same part" in page.stdout and page.stdout.startswith("<!doctype html>")


def test_the_ready_scripts_do_what_they_say(tmp_path: Path) -> None:
    """With a real repository and a real shell: a commit is let through or stopped, a build server finds its reports."""
    write_job(tmp_path, SLOT.replace("F300", ""))
    found = dict(os.environ, PATH=f"{Path(sys.executable).parent}:{os.environ['PATH']}", GIT_CONFIG_GLOBAL=os.devnull)
    found |= {f"GIT_{who}_{what}": "a@b.invalid" for who in ("AUTHOR", "COMMITTER") for what in ("NAME", "EMAIL")}

    def run(*words: object) -> subprocess.CompletedProcess[str]:
        return subprocess.run([str(w) for w in words], cwd=tmp_path, env=found, capture_output=True, text=True)

    run("git", "init", "-q")
    hook = tmp_path / ".git" / "hooks" / "pre-commit"
    hook.parent.mkdir(exist_ok=True)
    hook.write_text(call("script", "before-commit").stdout)
    hook.chmod(0o755)
    run("git", "add", "plain.nc")
    stopped = run("git", "commit", "-qm", "x")
    assert stopped.returncode != 0 and "feed" in stopped.stdout + stopped.stderr
    (tmp_path / "check").write_text(call("script", "build-server").stdout)
    built = run("sh", "check", ".", "out")
    assert built.returncode == 1 and "plain.job.toml" in built.stdout
    assert {p.name for p in (tmp_path / "out").iterdir()} == {"jobs.txt", "jobs.html", "jobs.sarif", "jobs.json"}
