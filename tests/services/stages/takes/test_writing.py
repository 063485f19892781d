"""What is in use, written out: as it sounds, from bar 1 or as it lies."""

from pathlib import Path

import numpy as np
import pytest

from cattailer.core.errors import NotNow, Refusal
from cattailer.media import wavfile
from cattailer.processes import comp
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo
from cattailer.services.stages.takes import cutting, writing
from tests.helpers.sessions import make_takes, plan_of, rows_of
from tests.helpers.waiting import wait_for


def test_what_is_in_use_is_written_a_file_a_track(desk: Desk) -> None:
    session = make_takes(desk)
    track = rows_of(desk, session)[0].id
    cutting.erase(desk, session, track, 0, 5000)
    cutting.set_gain(desk, session, track, 5000, -6.0)
    writing.begin(desk, session, as_it_lies=False)
    wait_for(lambda: not writing.state(desk, session).going)
    live = writing.state(desk, session)
    assert not live.wrong
    files = sorted(Path(live.folder).glob("*.wav"))
    assert len(files) == 2
    info = wavfile.inspect(next(f for f in files if "Dulcimer-left" in f.name))
    assert info.start == 0
    sound = wavfile.read(info)[0]
    assert not sound[:5000].any()
    pieces = [p for p in plan_of(desk, session).pieces if p.track == track]
    raw = wavfile.read(wavfile.inspect(Path(pieces[0].path)))[0]
    assert np.abs(sound[6000:9000] - raw[6000:9000] * 10 ** (-6 / 20)).max() < 2.0 ** -23


def test_as_it_lies_each_begins_where_its_first_piece_does_and_nothing_is_written_over(
    desk: Desk, tmp_path: Path
) -> None:
    session = make_takes(desk)
    track = rows_of(desk, session)[0].id
    cutting.erase(desk, session, track, 0, 5000)
    plan = plan_of(desk, session)
    done = comp.write_plan(plan, tmp_path / "out", as_it_lies=True)
    assert {f.track: f.start for f in done.files} == {"Dulcimer left": 5000, "Frame drum": 0}
    assert done.files[0].plain()["kind"] == "comp"
    assert wavfile.inspect(done.files[0].path).start == 5000
    with pytest.raises(Refusal, match="is there already"):
        comp.write_plan(plan, tmp_path / "out")
    with pytest.raises(Refusal, match="There is no track"):
        comp.write_plan(plan, tmp_path / "other", tracks="Cello 9")
    Path(plan.pieces[0].path).unlink()
    with pytest.raises(Refusal, match="is silent in what was written"):
        comp.write_plan(plan, tmp_path / "gone")


def test_without_anything_in_use_nothing_is_written(desk: Desk) -> None:
    session = demo.load(desk)
    with pytest.raises(NotNow, match="Nothing is in use"):
        writing.begin(desk, session, as_it_lies=False)
