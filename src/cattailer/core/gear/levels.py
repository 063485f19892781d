"""The gain structure from the sound at a microphone to the converter's word.

source SPL → microphone sensitivity → dBu → preamp gain and pad → dBFS. Noise joins as powers.
"""

import math

from cattailer.core.units import DBU_REFERENCE_V, add_powers, decibels


def spl_at(distance_m: float, spl_at_1m: float) -> float:
    """dB SPL of a small source at ``distance_m`` in the free field (1/r law).

    Closer than 5 cm the source is no longer small, so the law stops there.
    """
    return spl_at_1m - 20.0 * math.log10(max(distance_m, 0.05))


def microphone_dbu(spl: float, sensitivity_mv_per_pa: float) -> float:
    """dBu at the socket for ``spl`` dB SPL at the microphone (94 dB SPL is 1 Pa)."""
    pascal = 10.0 ** ((spl - 94.0) / 20.0)
    return decibels(pascal * sensitivity_mv_per_pa / 1000.0 / DBU_REFERENCE_V)


def dbfs(dbu: float, gain_db: float, full_scale_dbu: float, pad_db: float = 0.0) -> float:
    """Level at the converter; ``full_scale_dbu`` is the dBu that reads 0 dBFS at 0 dB gain."""
    return dbu - pad_db + gain_db - full_scale_dbu


def noise_dbfs(
    self_noise_spl: float | None,
    sensitivity_mv_per_pa: float,
    ein_dbu: float,
    gain_db: float,
    full_scale_dbu: float,
    converter_dbfs: float,
) -> float:
    """Noise floor of one input in dBFS: microphone, preamp and converter, summed as powers.

    ``self_noise_spl`` is the microphone's equivalent SPL, or None where no microphone is plugged.
    """
    parts = [dbfs(ein_dbu, gain_db, full_scale_dbu), converter_dbfs]
    if self_noise_spl is not None:
        dbu = microphone_dbu(self_noise_spl, sensitivity_mv_per_pa)
        parts.append(dbfs(dbu, gain_db, full_scale_dbu))
    return add_powers(*parts)


def loading_loss_db(source_ohm: float, input_ohm: float) -> float:
    """What a source loses into an input: the voltage divider of the two impedances, in dB (positive)."""
    return -20.0 * math.log10(input_ohm / (input_ohm + source_ohm))


def loading_corner_hz(source_henry: float, source_ohm: float, input_ohm: float) -> float:
    """Above this a magnetic pickup's own inductance against the input takes the top away (-3 dB)."""
    return (source_ohm + input_ohm) / (2.0 * math.pi * source_henry)


def closeness_db(distance_m: float, hz: float) -> float:
    """Bass build-up of a cardioid close to a small source, against the same far away.

    The pressure-gradient half grows by sqrt(1 + 1/(kr)²) (Beranek, "Acoustics", ch. 5), in quadrature
    with the pressure half.
    """
    kr = 2.0 * math.pi * hz * max(distance_m, 0.01) / 343.0
    return 20.0 * math.log10(math.hypot(1.0, 0.5 / kr))
