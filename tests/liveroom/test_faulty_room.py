"""What can go wrong in the stand-in sounds as it would: low cut, limit, overload, hum, a missing DI, a knob."""

from dataclasses import replace

import pytest

from cattailer.core.sound.rowsound import RowListener, RowSound
from cattailer.liveroom.room import Room
from tests.helpers.rooms import PREAMPS, PROFILE, listen, room

CUT = tuple(80.0 if n in (2, 3) else 0.0 for n in range(16))


def sounds(made: Room, seconds: float, start: int = 0) -> list[RowSound]:
    listener = RowListener(PROFILE.inputs, 48000)
    listener.add(listen(made, round(seconds * 48) * 1000 // 1024 * 1024, start=start))
    return listener.sounds()


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
