"""Files from elsewhere."""

import re
import shutil
from pathlib import Path

import numpy as np
import pytest
import soundfile
from sqlalchemy.exc import OperationalError

from cattailer.core.errors import Refusal
from cattailer.core.takes.importing import PAIRS, SINGLE
from cattailer.media import journal, wavfile
from cattailer.services.desk.desk import Desk
from cattailer.services.keeping import verifying
from cattailer.services.running import runs
from cattailer.services.session import demo
from cattailer.services.stages.capture import importing, uploads
from tests.helpers.sessions import plan_of, rows_of, takes_of, the_map
from tests.helpers.waiting import wait_for

pytestmark = pytest.mark.without_engine

pytestmark = pytest.mark.without_engine


@pytest.fixture(autouse=True)
def media(desk: Desk) -> None:
    desk.media.mkdir()


def tone(path: Path, rate_hz: int = 48000, channels: int = 2, seconds: float = 1.0, **options: str) -> Path:
    at = np.arange(round(rate_hz * seconds)) / rate_hz
    sound = 0.5 * np.sin(2 * np.pi * 440.0 * at)[:, None] * np.linspace(1.0, 0.5, channels)
    soundfile.write(path, sound, rate_hz, **options)
    return path


@pytest.mark.parametrize(("name", "rate_hz", "channels"), [
    ("backing.wav", 48000, 2), ("backing.flac", 44100, 2), ("backing.aiff", 96000, 1), ("backing.ogg", 44100, 1),
    ("backing.mp3", 44100, 2),
])
def test_it_lies_at_its_bar_at_the_sessions_rate(
    desk: Desk, tmp_path: Path, name: str, rate_hz: int, channels: int
) -> None:
    session = demo.load(desk)
    said = importing.import_file(desk, session, tone(tmp_path / name, rate_hz, channels), name, "3")
    assert f"{channels} channel" in said
    row = rows_of(desk, session)[-1]
    assert (row.name, len(row.inputs)) == ("backing", channels)
    (take,) = takes_of(desk, session, -1)
    (piece,) = plan_of(desk, session).pieces
    assert piece.start == the_map(desk, session).sample_of(3)
    info = wavfile.inspect(Path(piece.path))
    assert (info.format.rate_hz, info.format.channels, info.format.bits) == (48000, channels, 24)
    assert abs(info.frames - 48000) <= (2400 if name.endswith("mp3") else 1)
    assert take.peak_dbfs == pytest.approx(-6.0, abs=0.3)
    sound = wavfile.read(info)[0]
    spectrum = np.abs(np.fft.rfft(sound[:48000] * np.hanning(len(sound[:48000]))))
    assert spectrum.argmax() * 48000 / len(sound[:48000]) == pytest.approx(440.0, abs=1.5)
    assert verifying.verify_one(desk)
    assert runs.enter_finished(desk) == []


def test_where_its_own_time_stamp_says(desk: Desk, tmp_path: Path) -> None:
    session = demo.load(desk)
    importing.import_file(desk, session, tone(tmp_path / "a.wav"), "a.wav", "5")
    (piece,) = plan_of(desk, session).pieces
    importing.import_file(desk, session, Path(piece.path), "again.wav", None)
    assert [p.start for p in plan_of(desk, session).pieces] == [piece.start] * 2
    with pytest.raises(Refusal, match="no time stamp"):
        importing.import_file(desk, session, tone(tmp_path / "b.flac"), "b.flac", None)


def test_what_is_no_sound_is_refused_and_nothing_is_changed(desk: Desk, tmp_path: Path) -> None:
    session = demo.load(desk)
    (tmp_path / "empty.wav").write_bytes(b"")
    (tmp_path / "text.wav").write_text("a letter\n" * 200)
    whole = tone(tmp_path / "whole.wav").read_bytes()
    (tmp_path / "broken.wav").write_bytes(whole[: len(whole) // 2])
    (tmp_path / "broken.flac").write_bytes(tone(tmp_path / "whole.flac").read_bytes()[:500])
    tone(tmp_path / "many.wav", channels=65, seconds=0.1)
    before = len(rows_of(desk, session))
    for name in ("empty.wav", "text.wav", "broken.wav", "many.wav", "nothing.wav", "broken.flac"):
        with pytest.raises(Refusal):
            importing.import_file(desk, session, tmp_path / name, name, "1")
        assert len(rows_of(desk, session)) == before
    assert not list(desk.media.rglob("*.wav"))
    assert journal.find_all(desk.media) == []


@pytest.mark.parametrize(("split", "tracks"), [(SINGLE, 5), (PAIRS, 3)])
def test_many_channels_become_tracks_to_the_sample(desk: Desk, tmp_path: Path, split: str, tracks: int) -> None:
    session = demo.load(desk)
    rows = len(rows_of(desk, session))
    path = tone(tmp_path / "choir.wav", channels=5, subtype="PCM_24")
    importing.import_file(desk, session, path, "choir.wav", "0:01.5", split)
    assert [len(row.inputs) for row in rows_of(desk, session)[rows:]] == ([1] * 5 if split == SINGLE else [2, 2, 1])
    pieces = plan_of(desk, session).pieces
    assert len(pieces) == tracks
    assert {piece.start for piece in pieces} == {72_000}
    got = np.concatenate([wavfile.read(wavfile.inspect(Path(piece.path))) for piece in pieces])
    assert np.array_equal(got, wavfile.read(wavfile.inspect(path)))


def test_a_time_stamp_is_found_in_any_sample_format(tmp_path: Path) -> None:
    stamp = b"bext" + (602).to_bytes(4, "little") + bytes(338) + (480_000).to_bytes(8, "little") + bytes(256)
    for subtype in ("PCM_U8", "PCM_32", "DOUBLE", "PCM_24"):
        path = tone(tmp_path / f"{subtype}.wav", subtype=subtype)
        assert wavfile.time_stamp(path) is None
        path.write_bytes(path.read_bytes() + stamp)
        assert wavfile.time_stamp(path) == 480_000
    assert wavfile.time_stamp(tone(tmp_path / "a.flac")) is None


def test_what_is_cancelled_on_its_way_leaves_nothing(desk: Desk, tmp_path: Path) -> None:
    session = demo.load(desk)
    before = len(rows_of(desk, session))

    def stop(done: int, total: int) -> None:
        if done > total // 2:
            raise uploads.Cancelled

    with pytest.raises(uploads.Cancelled):
        importing.import_file(desk, session, tone(tmp_path / "a.wav", 44100, seconds=30), "a.wav", "1", tell=stop)
    assert len(rows_of(desk, session)) == before
    assert not list(desk.media.rglob("*.wav"))
    assert journal.find_all(desk.media) == []


def test_what_no_page_sends_is_not_waited_for(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    session = demo.load(desk)
    number = uploads.offer(desk, session, "a.wav", 100).number
    assert uploads.listed(desk, session)[0].state == uploads.WAITING
    monkeypatch.setattr(uploads, "PATIENCE_S", -1.0)
    assert uploads.listed(desk, session)[0].message == uploads.NOT_SENT
    uploads.begin(desk, session, number, 100)
    assert uploads.listed(desk, session)[0].state == uploads.ARRIVING, "the page was only away"


@pytest.mark.parametrize("at_start", [True, False])
def test_an_import_that_a_crash_broke_off_leaves_nothing(
    desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, at_start: bool
) -> None:
    """Neither half a file nor its tracks; but what is not its own stays."""
    session = demo.load(desk)
    importing.import_file(desk, session, tone(tmp_path / "first.wav", 44100), "first.wav", "1")
    before = [row.name for row in rows_of(desk, session)]

    class Crash(BaseException):
        pass

    def crash(done: int, total: int) -> None:
        if done > total // 2:
            for folder in desk.media.rglob("run-002"):
                shutil.copytree(folder, tmp_path / "kept" / folder.name)
            raise Crash

    monkeypatch.setattr(importing.tracks, "remove_made_for", lambda *_: None)
    with pytest.raises(Crash):
        importing.import_file(desk, session, tone(tmp_path / "a.wav", 44100, seconds=30), "a.wav", "1", tell=crash)
    folder = next(desk.media.rglob("run-001")).parent / "run-002"
    shutil.copytree(tmp_path / "kept" / "run-002", folder)  # as it was at the crash
    assert [row.name for row in rows_of(desk, session)] == [*before, "a"]
    assert list(folder.glob("*.wav"))
    assert wait_for(lambda: not journal.is_live(next(folder.glob("*.jsonl"))))
    runs.recover(desk, desk.media) if at_start else runs.enter_finished(desk)
    assert not folder.exists()
    assert [row.name for row in rows_of(desk, session)] == before
    starts = {start for start, _ in plan_of(desk, session).routes if start.startswith("track:")}
    assert starts <= {f"track:{row.id}" for row in rows_of(desk, session)}, "nor a way that leads nowhere"
    assert len(takes_of(desk, session, -1)) == 1


def test_the_database_goes_while_files_are_imported(
    desk: Desk, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Before: the file stays, and can be imported again. After its sound was written: it is entered later."""
    session = demo.load(desk)

    def away(*_: object) -> None:
        raise OperationalError("", {}, Exception())

    upload = uploads.Upload(1, "a.wav", 1, tone(tmp_path / "a.wav"))
    with monkeypatch.context() as broken:
        broken.setattr(importing, "_add_tracks", away)
        importing._import_one(desk, session, upload, "1")
    assert (upload.state, upload.path.exists()) == (uploads.HERE, True)
    assert "Try importing again" in upload.message
    with monkeypatch.context() as broken:
        broken.setattr(runs, "enter_finished", away)
        importing._import_one(desk, session, upload, "1")
    assert upload.state == uploads.DONE
    assert "once it does" in upload.message
    assert [story.header.note for story in runs.enter_finished(desk)] == ["imported"]


@pytest.mark.parametrize("rate", [48_000, 44_100])
def test_what_is_louder_than_full_scale_keeps_its_level_and_it_is_said(desk: Desk, tmp_path: Path, rate: int) -> None:
    session = demo.load(desk)
    loud = 2.0 * np.sin(2 * np.pi * 1000 * np.arange(rate) / rate)
    soundfile.write(tmp_path / "loud.wav", loud, rate, "FLOAT")
    said = importing.import_file(desk, session, tmp_path / "loud.wav", "loud.wav", "1")
    assert "6.0 dB over full scale and kept as float" in said
    (piece,) = plan_of(desk, session).pieces
    got = wavfile.read(wavfile.inspect(Path(piece.path)))[0]
    assert np.abs(got[1000:-1000]).max() == pytest.approx(2.0, abs=0.01)


def test_what_is_no_number_is_refused_and_nothing_is_left(desk: Desk, tmp_path: Path) -> None:
    session = demo.load(desk)
    before = len(rows_of(desk, session))
    sound = np.zeros(48_000)
    sound[[5, 40_000]] = np.nan, np.inf
    soundfile.write(tmp_path / "broken.wav", sound, 48_000, "FLOAT")
    with pytest.raises(Refusal, match="no numbers"):
        importing.import_file(desk, session, tmp_path / "broken.wav", "broken.wav", "1")
    assert len(rows_of(desk, session)) == before
    assert journal.find_all(desk.media) == []


def test_what_breaks_off_is_asked_about_and_kept_on_wish(desk: Desk, tmp_path: Path) -> None:
    """Seen when it arrives where its header promises more, only when it was read where it promises nothing."""
    session = demo.load(desk)
    before, path = len(rows_of(desk, session)), tone(tmp_path / "whole.flac", seconds=10)
    data = bytearray(path.read_bytes())
    half, streamed = data[: len(data) // 2], bytearray(data[: len(data) // 2])
    streamed[21:26] = streamed[21] & 0xF0, 0, 0, 0, 0
    for name, sound, at_once in (("half.flac", half, True), ("streamed.flac", streamed, False)):
        upload = uploads.offer(desk, session, name, len(sound))
        uploads.begin(desk, session, upload.number, len(sound)).write(bytes(sound))
        upload.finish()
        assert (upload.state == uploads.ASKS) == at_once
        if not at_once:
            importing._import_one(desk, session, upload, "1")
        assert upload.state == uploads.ASKS
        assert re.search(r"promises 10\.0 s, but \d\.\d s" if at_once else "1 frame of it cannot be read", upload.message)
        assert (len(rows_of(desk, session)), upload.path.exists()) == (before, True)
        uploads.accept(desk, session, upload.number, True)
        importing._import_one(desk, session, upload, "1")
        assert (upload.state, upload.path.exists()) == (uploads.DONE, False)
        before += 1
        piece = plan_of(desk, session).pieces[-1]
        got = wavfile.read(wavfile.inspect(Path(piece.path)))
        assert 48_000 * 3 < got.shape[1] < 48_000 * 7
        assert np.abs(got - soundfile.read(path)[0].T[:, : got.shape[1]]).max() < 2**-15
