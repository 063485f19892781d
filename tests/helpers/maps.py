"""Tempo maps for hypothesis."""

from fractions import Fraction

from hypothesis import strategies as st

from cattailer.core.time.timeline import Meter, Tempo, TempoMap


@st.composite
def maps(draw: st.DrawFn) -> TempoMap:
    rate = draw(st.sampled_from([44100, 48000, 96000]))
    quarters = sorted(draw(st.sets(st.integers(1, 400), max_size=4)))
    tempi = [Tempo(Fraction(q), Fraction(draw(st.integers(20, 3000)), 10)) for q in [0, *quarters]]
    bars = sorted(draw(st.sets(st.integers(2, 60), max_size=3)))
    meters = [Meter(b, draw(st.integers(1, 13)), draw(st.sampled_from([2, 4, 8, 16]))) for b in [1, *bars]]
    tempi = [t if 10 <= t.bpm <= 400 else Tempo(t.quarter, Fraction(100)) for t in tempi]
    tempi = [Tempo(t.quarter, t.bpm, draw(st.booleans())) for t in tempi]
    return TempoMap(rate, tuple(tempi), tuple(meters), draw(st.sampled_from([0, 0, 12_345, 2_000_000])))
