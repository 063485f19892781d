"""Words that several pages say."""

from cattailer.services.desk import disk


def test_words_for_disk_time() -> None:
    assert [disk.time_left_text(m) for m in (3.7, 75, 6000)] == ["3 min", "1 h 15 min", "100 h"]
