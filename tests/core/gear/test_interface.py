"""What an interface offers."""

import pytest

from cattailer.core.errors import Refusal
from cattailer.core.gear import latency
from cattailer.media import profile_toml

MARSHGATE = profile_toml.shipped()["marshgate-16"]


def test_round_trip_is_both_ways() -> None:
    lat = MARSHGATE.latency(128)
    assert (lat.input_samples, lat.output_samples) == (128 + 16 + 23, 128 + 16 + 21)
    assert lat.round_trip_ms(48000) == pytest.approx(1000 * 332 / 48000)
    assert latency.air_delay_samples(3.43, 48000) == 480


def test_interface_limits_say_what_there_is() -> None:
    assert MARSHGATE.check_gain(33.4) == 33.0
    for check, value, words in (
        (MARSHGATE.check_gain, 70.0, "outside"), (MARSHGATE.check_rate, 22050, "44,100"),
        (MARSHGATE.check_period, 100, "32"), (MARSHGATE.check_bits, 20, "24"),
    ):
        with pytest.raises(Refusal, match=words):
            check(value)  # type: ignore[operator]
