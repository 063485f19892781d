"""What effects cost, and when one more is too slow."""

from cattailer.core.mix.costs import Costs, latency_of
from cattailer.core.mix.effects import Compressor, Effects, Equaliser
from cattailer.engine.effects import costs as measuring

COSTS = Costs(48_000, 32, {"eq": 5.0, "dyn": 6.0, "reverb": 40.0}, {"eq": 1.5, "dyn": 2.0, "reverb": 0.0}, 400.0)


def test_an_effect_is_too_slow_where_captures_would_break_up_with_it() -> None:
    assert COSTS.of("eq", 2) == 8.0
    assert not COSTS.too_slow("reverb", 2), "440 of 667 µs"
    assert Costs(48_000, 32, COSTS.alone_us, COSTS.channel_us, 430.0).too_slow("reverb", 2), "470 are more than 70 %"
    assert COSTS.words("eq", 2) == "takes about 8 µs of 667 (1.2 %), adds no latency"
    assert "400 are taken already" in COSTS.warning("A reverb", "reverb", 2)
    assert latency_of(Effects(Equaliser(), Compressor())) == 0


def test_costs_are_measured_on_this_machine_once_for_a_buffer() -> None:
    alone, channel = measuring.measured(48_000, 64)
    assert set(alone) == set(channel) == {"eq", "dyn", "reverb"}
    assert all(value >= 0.0 for value in (*alone.values(), *channel.values()))
    assert alone["reverb"] > 0.0
    assert measuring.measured(48_000, 64)[0] is alone
