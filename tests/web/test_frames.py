"""Frames on their way to a page: what changed, of what is in sight, and never faster than they are taken."""

import json
from typing import Any

import pytest

from cattailer.core.access.rights import PLAYER_FRAME, Rights
from cattailer.core.access.roles import Device, Role
from cattailer.web.live import frames
from cattailer.web.live.frames import MOST_UNTAKEN, Pace, Shown

ROWS = 16


def frame(at: float = 1.0, peak: float = -20.0, channel: dict[str, Any] | None = None, **more: Any) -> Shown:
    def row(n: int) -> dict[str, Any]:
        level = peak - n
        return {"peak": level, "hold": -10.0 - n, "rms": level - 9, "max": -10.0 - n, "crest": 9.0, "clips": 0, "clipped_at": 0.0, "zone": "in"}

    rows = [row(n) for n in range(ROWS)]
    inputs = {name: [r[name] for r in rows] for name in rows[0]}
    return Shown({
        "topic": "frame", "t": at, "session": 1, "title": "The Lamplighter's Ferry", "revision": 4, "rate": 48000, "state": "stopped",
        "where": "bar 1", "inputs": inputs, "channel": channel, "pairs": {"main": row(40), "2,3": row(3)}, **more,
    })


def told(pace: Pace, shown: Shown) -> dict[str, Any] | None:
    pace.newest(shown)
    text = pace.next()
    return None if text is None else json.loads(text)


def test_only_what_changed_is_told() -> None:
    pace = Pace()
    assert told(pace, frame())["title"] == "The Lamplighter's Ferry"
    assert told(pace, frame(1.03)) == {"topic": "frame", "n": 2, "t": 1.03}
    pace.see(["0", "2,3", "main"])
    assert told(pace, frame(1.06))["meters"] == {
        "0": [-200, -290, 9, -100, -100, 0, 0.0, "in"], "2,3": [-230, -320, 9, -130, -130, 0, 0.0, "in"],
        "main": [-600, -600, 0, -500, -500, 0, 0.0, "in"],
    }
    pace.take(3)
    assert "meters" not in told(pace, frame(1.09))
    moved = told(pace, frame(1.12, peak=-21.0, revision=5))
    assert moved["revision"] == 5
    assert moved["meters"]["0"] == [-210, -300, 9]
    pace.take(5)
    pace.see([])
    assert "meters" not in told(pace, frame(1.15, peak=-3.0)), "nothing is in sight"
    pace.see(["0"])
    assert len(told(pace, frame(1.18, peak=-3.0))["meters"]["0"]) == 8, "what comes back into sight is told whole"


def test_a_meter_reads_behind_its_tracks_channel_when_meters_do() -> None:
    behind = {"ids": [7], **{n: [v] for n, v in zip(("peak", "hold", "rms", "max"), (-3.0,) * 4, strict=True)}, "crest": [0.0], "clips": [1],
              "clipped_at": [8.0], "zone": ["clipped"]}
    assert frame(channel=behind).reading("0/7") == ((-30, -30, 0), (-30, -30, 1, 8.0, "clipped"))
    assert frame(channel=behind).reading("0/8")[0][0] == frame().reading("0/7")[0][0] == -200
    for unknown in ("", "99", "mix:9", "-1", "x/y", "²"):
        assert frame().reading(unknown)[1][4] == "none"


def test_no_frame_waits_behind_another(monkeypatch: pytest.MonkeyPatch) -> None:
    pace = Pace()
    for n in range(MOST_UNTAKEN):
        assert told(pace, frame(float(n)))
    for n in range(50):
        assert told(pace, frame(100.0 + n)) is None
    assert pace.next() is None
    pace.take(1)
    assert json.loads(pace.next() or "")["t"] == 149.0, "the newest, and no other"
    assert pace.next() is None
    pace.take(10_000)  # more than there were
    for n in range(MOST_UNTAKEN):
        assert told(pace, frame(200.0 + n))
    assert told(pace, frame(300.0)) is None
    monkeypatch.setattr(frames, "PATIENCE_S", -1.0)
    assert pace.next(), "whoever takes none is told now and then all the same"


def test_sound_is_left_out_for_a_page_that_takes_frames_late(monkeypatch: pytest.MonkeyPatch) -> None:
    now = 100.0
    monkeypatch.setattr(frames.time, "monotonic", lambda: now)
    pace = Pace()
    told(pace, frame())
    now += 9.0
    assert not pace.late, "it takes none at all, and may be no page"
    pace.take(1)
    assert not pace.late
    told(pace, frame())
    now += 0.4
    assert not pace.late
    now += 0.2
    assert pace.late
    pace.take(2)
    assert not pace.late


def test_less_motion_is_eight_frames_a_second_and_news_at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    now = 100.0
    monkeypatch.setattr(frames.time, "monotonic", lambda: now)
    pace, told_at = Pace(), []
    pace.calm = True
    for n in range(60):
        now = 100.0 + n / 30
        pace.take(n)
        if told(pace, frame(now)):
            told_at.append(n)
    assert told_at == [*range(0, 60, 4)]
    assert told(pace, frame(now, state="capturing"))["state"] == "capturing"


def test_a_player_is_told_no_levels() -> None:
    pace = Pace(Rights(Device(9, "phone", Role.PLAYER)))
    pace.see(["0"])
    assert set(told(pace, frame()) or {}) <= PLAYER_FRAME | {"n"}


def test_ten_moving_meters_take_less_than_100_kbit_a_second() -> None:
    """Thirty frames a second, of ten rows and the main mix."""
    pace, size = Pace(), 0
    pace.see([*map(str, range(10)), "main"])
    for n in range(300):
        pace.take(n)
        pace.newest(frame(1_764_547_123.123 + n / 30, -15.0 - n % 7 / 10, sample=12_345_678 + 1600 * n))
        size += len(pace.next() or "")
    assert size * 8 / 10 < 100_000
