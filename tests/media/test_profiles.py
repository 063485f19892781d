"""Interface profiles: what is right is read, what is wrong is told with its line and key."""

from pathlib import Path

import pytest

from cattailer.media import profile_toml

GOOD = (profile_toml.SHIPPED / "marshgate-2.toml").read_text()


def line_of(text: str, start: str) -> int:
    return next(n for n, line in enumerate(text.splitlines(), 1) if line.startswith(start))


@pytest.mark.parametrize(("old", "new", "key", "words"), [
    ("outputs = 4", "outputs = 1", "outputs", "greater than or equal to 2"),
    ("outputs = 4", 'outputs = "four"', "outputs", "valid integer"),
    ("safety = 24", "safety = -1", "safety", "greater than or equal to 0"),
    ("safety = 24", "safetyy = 24", "safetyy", "is not known here"),
    ("rates_hz = [44100, 48000]", "rates_hz = []", "rates_hz", "at least 1"),
    ("rates_hz = [44100, 48000]", "rates_hz = [12]", "rates_hz", "greater than or equal to 8000"),
    ("gain_step_db = 3.0", "gain_step_db = nan", "gain_step_db", "less than or equal to 20"),
    ("instrument = true", "instrument = 7", "instrument", "valid boolean"),
])
def test_errors_name_the_line_and_the_key(old: str, new: str, key: str, words: str) -> None:
    text = GOOD.replace(old, new)
    with pytest.raises(profile_toml.ProfileError) as why:
        profile_toml.parse(text, "x")
    told = str(why.value)
    if new == "safetyy = 24":
        assert "safety" in told
    else:
        assert f"line {line_of(text, key)}: {key}" in told, told
        assert words in told


@pytest.mark.parametrize(("text", "words"), [
    ("name = 3 4", "line 1"), ("", "name is missing"),
    ("name = " + "[" * 30_000, "too deep"), ("name = " + "9" * 30_000, "not TOML"), ("#" * 70_000, "at most 64 kB"),
    (GOOD.replace("safety = 24\n", ""), "safety is missing"),
    (GOOD.replace("numbers = [2, 2]", "numbers = [3, 3]"), "numbered from 1 on"),
    (GOOD.replace("numbers = [2, 2]", "numbers = [1, 2]"), "each once"),
    (GOOD.replace("numbers = [2, 2]", "numbers = [2, 1]"), "first and the last"),
    (GOOD.replace("numbers = [2, 2]", "numbers = [2, 900]"), "less than or equal to 128"),
    (GOOD.replace("bits = [16, 24]", "bits = [20]"), "16, 24 and 32"),
    (GOOD.replace('phantom = "both"', 'phantom = "both"\npreamp = false'), "without a preamp cannot have"),
])
def test_what_does_not_fit_together_is_told(text: str, words: str) -> None:
    with pytest.raises(profile_toml.ProfileError, match=words):
        profile_toml.parse(text, "x")


def test_dropped_in_files_are_found_and_wrong_ones_told(tmp_path: Path) -> None:
    (tmp_path / "mine.toml").write_text(GOOD.replace("Marshgate 2", "Mine"))
    (tmp_path / "broken.toml").write_text("name = 3")
    (tmp_path / "marshgate-16.toml").write_text(GOOD)
    (tmp_path / "latin.toml").write_bytes(b"name = \"\xe9\"")
    found, wrong = profile_toml.in_folder(tmp_path)
    assert set(found) == {"marshgate-16", "marshgate-2", "mine"}
    assert found["marshgate-16"].inputs == 16
    assert set(wrong) == {"broken.toml", "marshgate-16.toml", "latin.toml"}
    assert profile_toml.in_folder(None)[1] == {}
