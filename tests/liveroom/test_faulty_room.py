"""What can go wrong in the stand-in sounds as it would: low cut, limit, overload, hum, a missing DI, a knob."""

from dataclasses import replace

import numpy as np
import pytest

from cattailer.core.advice.faults import hum_dbfs
from cattailer.core.advice.pairs import compare
from cattailer.core.errors import Refusal
from cattailer.core.sound.rowsound import RowListener, RowSound
from cattailer.liveroom.clock import VirtualClock
from cattailer.liveroom.driver import LiveRoom
from cattailer.liveroom.room import Room
from cattailer.media import profile_toml
from cattailer.services.session import demo
from tests.helpers.rooms import PREAMPS, PROFILE, listen, rms_db, room

CUT = tuple(80.0 if n in (2, 3) else 0.0 for n in range(16))


def sounds(made: Room, seconds: float, start: int = 0) -> list[RowSound]:
    listener = RowListener(PROFILE.inputs, 48000)
    listener.add(listen(made, round(seconds * 48) * 1000 // 1024 * 1024, start=start))
    return listener.sounds()


def test_a_filter_remembers_whatever_the_block_and_however_often_it_is_rendered() -> None:
    a, b = room(), room()
    for made in (a, b):
        made.set_preamps(replace(PREAMPS, low_cut_hz=CUT), 0)
    whole = listen(a, 98_304, 1024)
    parts = []
    for n, at in enumerate(range(0, 98_304, 384)):
        if n % 50 == 7:  # somebody knocks, and it is taken back: what lies ahead is rendered again
            b.knock("harmonium", at)
            b._taps.clear()
        parts.append(b.read(at, at + 384).copy())
    assert np.array_equal(whole, np.concatenate(parts, axis=1))


def test_the_low_cut_takes_the_bass_and_leaves_the_rest() -> None:
    plain, cut = room(), room()
    cut.set_preamps(replace(PREAMPS, low_cut_hz=CUT), 0)
    a, b = sounds(plain, 6), sounds(cut, 6)
    assert b[3].band_dbfs(30, 55) < a[3].band_dbfs(30, 55) - 6
    assert b[3].band_dbfs(400, 4000) == pytest.approx(a[3].band_dbfs(400, 4000), abs=0.3)


def test_the_soft_limit_bends_and_never_clips() -> None:
    hot = replace(PREAMPS, gain_db=tuple(g + 24 for g in PREAMPS.gain_db))
    made, limited = room(), room()
    made.set_preamps(hot, 0)
    limited.set_preamps(replace(hot, soft_limit=(True,) * 16), 0)
    a, b = sounds(made, 4), sounds(limited, 4)
    assert a[3].clips > 0
    assert b[3].clips == 0
    assert -1.0 < b[3].peak_dbfs < 0.0


def test_a_louder_player_overloads_before_the_converter_whatever_the_gain() -> None:
    made = room(everyone="rest", cello="perform")
    made.set_preamps(replace(PREAMPS, gain_db=(0.0,) * 16), 0)
    made.loud("cello", 28.0, 0)
    found = sounds(made, 6)[3]
    assert found.peak_dbfs == pytest.approx(8.0 - 18.0, abs=0.1), "8 dBu is the most that this socket takes"
    assert found.flat_tops > 50
    assert found.clips == 0
    padded = room(everyone="rest", cello="perform")
    padded.set_preamps(replace(PREAMPS, gain_db=(0.0,) * 16, pad_db=(20.0,) * 16), 0)
    padded.loud("cello", 28.0, 0)
    assert sounds(padded, 6)[3].flat_tops == 0


def test_hum_a_missing_di_and_breath() -> None:
    made = room(everyone="rest")
    made.hum(4, -60.0, 0)
    found = sounds(made, 6)[3]
    assert hum_dbfs(found, 50) is not None
    assert hum_dbfs(found, 60) is None
    made.hum(4, None, 294_912)
    assert hum_dbfs(sounds(made, 6, 294_912)[3], 50) is None
    with_di, without = room(), room()
    without.rig("cello pickup", 0, source_ohm=8_000.0, source_henry=3.0)
    a, b = sounds(with_di, 4)[3], sounds(without, 4)[3]
    assert b.band_dbfs(100, 300) < a.band_dbfs(100, 300) - 11
    assert b.band_dbfs(2000, 6000) - b.band_dbfs(100, 300) < a.band_dbfs(2000, 6000) - a.band_dbfs(100, 300) - 9
    close = room(everyone="rest", narrator="perform")
    close.rig("narrator", 0, screen=False)
    assert sounds(close, 10)[7].bursts >= 2
    assert sounds(room(everyone="rest", narrator="perform"), 10)[7].bursts == 0


def test_rooms_are_never_quite_silent() -> None:
    quiet = listen(room(everyone="rest"), 48 * 1024)
    levels = [rms_db(quiet[n]) for n in range(12)]
    assert all(-105 < levels[n] < -80 for n in (0, 1, 2, 4, 6, 7, 8, 9))
    assert levels[11] < -115


def test_a_microphone_and_its_pickup_hear_one_string() -> None:
    heard = listen(room(everyone="rest", cello="perform"), 6 * 48 * 1024)
    found = compare(heard[2, 96_000:], heard[3, 96_000:], 48000)
    assert found.offset_samples == pytest.approx(-84.0, abs=1.0)
    assert found.offset_cm == pytest.approx(-60.0, abs=1.0)
    assert not found.inverted


def test_the_panel_is_checked_and_a_knob_is_only_turned_by_hand() -> None:
    small = profile_toml.shipped()["marshgate-2"]
    driver = LiveRoom(small, 48000, 128, VirtualClock(), demo.tempo())
    for name, arguments in (
        ("dance", {}), ("loud", {"player": "nobody", "db": 3}), ("loud", {"player": "cello", "db": 99}),
        ("rig", {"name": "kazoo", "what": "screen", "on": True}), ("hum", {"socket": 99}), ("turn", {"socket": 1, "gain_db": 999}),
    ):
        with pytest.raises(Refusal):
            driver.command(name, arguments)
    with pytest.raises(Refusal, match="no knob"):
        LiveRoom(PROFILE, 48000, 128, VirtualClock(), demo.tempo()).command("turn", {"socket": 1, "gain_db": 3})
    made = Room(small, 48000, demo.tempo())
    made.start()
    given = replace(PREAMPS, gain_db=(20.0, 20.0), phantom=(True, True), pad_db=(0.0, 0.0), polarity=(), low_cut_hz=(), instrument=(), soft_limit=())
    made.set_preamps(given, 0)
    before = rms_db(listen(made, 96 * 1024)[0])
    made.set_preamps(replace(given, gain_db=(40.0, 40.0)), 96 * 1024)
    assert rms_db(listen(made, 96 * 1024, start=96 * 1024)[0]) == pytest.approx(before, abs=3.0), "a noted gain turns nothing"
    made.turn(1, 32.0, 192 * 1024)
    assert made.knobs[1] == 32.0
    assert rms_db(listen(made, 96 * 1024, start=192 * 1024)[0]) > before + 8
