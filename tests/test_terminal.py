"""What the terminal prints, and how it ends."""

import json
from pathlib import Path

import pytest
import soundfile

from tests.helpers.terminal import run_cli, run_here


def test_record_gives_ten_files_that_open(tmp_path: Path) -> None:
    out = tmp_path / "out"
    arguments = ("record", "--demo", "--tracks", "all", "--seconds", "2", "--out", str(out), "--clock", "virtual", "--json")
    done = run_cli(*arguments, home=tmp_path)
    assert done.returncode == 0, done.stderr
    told = json.loads(done.stdout)
    assert (told["rate"], told["dropouts"], len(told["files"])) == (48000, 0, 10)
    for file in told["files"]:
        info = soundfile.info(file["path"])
        assert (info.frames, file["samples"], file["start"], file["channels"]) == (96000, 96000, 0, 1)
        assert Path(file["path"]).parent == out
        assert -30 < file["peak_dbfs"] < 0
    again = json.loads(run_cli(*arguments, home=tmp_path).stdout)
    assert not {f["path"] for f in again["files"]} & {f["path"] for f in told["files"]}
    first, second = (Path(t["files"][2]["path"]).read_bytes()[4096:] for t in (told, again))
    assert first == second, "the virtual clock gives the same sound every time"


@pytest.mark.parametrize(("arguments", "status", "words"), [
    (("record", "--demo", "--seconds", "1"), 2, "--out"),
    (("record", "--demo", "--seconds", "-1", "--out", "OUT"), 2, "more than 0"),
    (("record", "--demo", "--range", "8-5", "--out", "OUT"), 2, "or a later one"),
    (("hear", "--demo", "--out", "OUT", "--seconds", "1"), 2, "--mix NAME or --output N"),
    (("hear", "--demo", "--mix", "Main mix", "--out", "OUT", "--seconds", "-3"), 2, "more than 0"),
    (("record", "--demo", "--seconds", "1", "--out", "OUT", "--tracks", "Tuba"), 1, "no track"),
    (("record", "--demo", "--seconds", "1", "--out", "OUT", "--rate", "1234"), 1, "does not run at"),
    (("record", "--demo", "--seconds", "1", "--out", "/proc/x", "--clock", "virtual"), 1, "/proc/x"),
    (("dance",), 2, "No such command"),
])
def test_wrong_usage_is_one_line(tmp_path: Path, arguments: tuple[str, ...], status: int, words: str) -> None:
    done = run_here(*(str(tmp_path / "out") if a == "OUT" else a for a in arguments), home=tmp_path)
    assert done.returncode == status
    assert words in done.stderr
    assert "Traceback" not in done.stderr
    assert done.stdout == ""


def test_a_file_that_is_none_leaves_the_figures_of_the_others(tmp_path: Path) -> None:
    good, junk = tmp_path / "good.wav", tmp_path / "junk.wav"
    soundfile.write(good, [0.0, 0.5, -0.5], 48_000, "PCM_24")
    junk.write_text("a letter\n" * 200)
    done = run_here("meter", str(junk), str(good), "--json", home=tmp_path)
    told = json.loads(done.stdout)
    assert (done.returncode, [f["path"] for f in told["files"]]) == (1, [str(good)])
    assert "junk.wav" in told["errors"][0]
    assert "junk.wav" in done.stderr
    assert run_here("meter", str(good), home=tmp_path).returncode == 0


def test_the_terminal_writes_what_an_ear_gets(tmp_path: Path) -> None:
    out = tmp_path / "ear.wav"
    arguments = ["hear", "--demo", "--mix", "Cue narrator", "--seconds", "1.5", "--out", str(out), "--clock", "virtual", "--json"]
    done = run_here(*arguments, home=tmp_path)
    told = json.loads(done.stdout)
    assert (told["rate"], told["mix"], told["samples"]) == (48000, "Cue narrator", 72000)
    assert told["late_samples"]["Narrator"] == {"direct": 44, "through": 380}
    sound, rate = soundfile.read(out)
    assert (sound.shape, rate) == ((72000, 2), 48000)
    assert abs(sound).max() > 0.01
    again = run_here(*arguments, home=tmp_path)
    assert again.returncode == 1
    assert "is there already" in again.stderr
    arguments[3], arguments[7] = "Nobody", str(tmp_path / "nobody.wav")
    unknown = run_here(*arguments, home=tmp_path)
    assert "There is no mix 'Nobody'" in unknown.stderr
