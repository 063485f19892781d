"""The room: sources at their seats, microphones, the barn, and the words at the interface.

Time is the engine's sample count: ``read(start, stop)`` gives what arrives in [start, stop). What
is rendered ahead is thrown away from the moment on at which a player or the timeline changes.
"""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from cattailer.core.gear.interface import Profile
from cattailer.core.gear.levels import microphone_dbu
from cattailer.core.plan import Preamps
from cattailer.core.standin import HeardAt
from cattailer.core.time.timeline import TempoMap
from cattailer.core.units import amplitude
from cattailer.liveroom import stage, tune
from cattailer.liveroom.barn import PARTITION, Barn
from cattailer.liveroom.converters import Converters
from cattailer.liveroom.players import Hearing, Player, stretches_for

Floats = NDArray[np.float32]
_SIZE = 5 * PARTITION + 464  # no power of two: rows must not fall on the same cache lines
_PAST = PARTITION + 2048
_APART = 331
_KNOCK_SPL = 94.0


class Room:
    def __init__(self, profile: Profile, rate_hz: int, tempo: TempoMap, seed: int = 1) -> None:
        self._converters = Converters(profile, rate_hz)
        self._barn = Barn(rate_hz)
        self._seed = seed
        self._rolling = False
        self._tempo = tempo
        with ThreadPoolExecutor(2) as pool:
            made = pool.map(lambda name: Player(name, self._sounds_of(name), rate_hz, tempo), tune.PARTS)
            self.players = dict(zip(tune.PARTS, made, strict=True))
        self._profile, self._rate = profile, rate_hz
        self.plugged = self.at_first
        self._preamps: Preamps | None = None
        self._taps: list[tuple[int, str]] = []
        self._knocks = _knocks(rate_hz)
        self._hums: dict[int, float] = {}
        self._mains_period = rate_hz // 50
        self._mains = _mains(rate_hz)
        self._count = len(stage.SOURCES)
        # The barn's tail stands below the sources, as one more of them.
        self._table = np.zeros((self._count + 1, _SIZE), np.float32)
        self._sources, self._tail = self._table[: self._count], self._table[self._count]
        self._words = np.zeros((profile.inputs, _SIZE), np.float32)
        self._arriving = np.zeros((len(self._table), PARTITION + 112), np.float32)
        self._plug()
        self._base = -_PAST
        self._done = 0
        self._tail_done = 0

    @staticmethod
    def _sounds_of(player: str) -> tuple[tuple[int, str], ...]:
        """A player's rows among the sources, and the instrument for each."""
        return tuple((n, s) for n, s in enumerate(stage.SOURCES) if s == player or s.startswith(f"{player}-"))

    @property
    def line_gain(self) -> Floats:
        """What a full-scale output becomes at each input, and ``gain`` 0 dBu."""
        return self._converters.line_gain

    @property
    def gain(self) -> Floats:
        return self._converters.gain[:, 0]

    def start(self) -> None:
        """Everybody sits down and begins what they were asked for."""
        for player in self.players.values():
            player.begin(*stretches_for(player.mode, 0, False, 0, self._seed))

    def _plug(self) -> None:
        """Works out what each socket hears."""
        paths = stage.paths(self.plugged, self._profile.inputs, self._rate)
        self._pressure = paths.source_pressure
        rows = np.flatnonzero(paths.gain.any(axis=1)).tolist()
        humming = max(self._hums, default=0)
        self._heard = [(row, *_arrivals(paths, row)) for row in rows]
        self._volts = np.zeros((max(max(rows, default=-1) + 1, humming), PARTITION + 112), np.float32)
        self._deaf = [row for row in range(len(self._volts)) if row not in rows]

    def set_preamps(self, preamps: Preamps, now: int) -> None:
        self._preamps = preamps
        self._converters.set_preamps(preamps, self.plugged)
        self._forget(now)

    @property
    def at_first(self) -> dict[int, stage.Plugged]:
        """What is plugged in before anybody changes it."""
        return {plug.socket: plug for plug in stage.PLUGGED if plug.socket <= self._profile.inputs}

    def plug(self, plugged: dict[int, stage.Plugged], now: int) -> None:
        """Pulls every cable, and plugs these in."""
        self.plugged = plugged
        self._plug()
        self._set_again(now)

    def swap(self, one: int, other: int, now: int) -> None:
        """Exchanges the cables of two sockets, either of which may be empty."""
        turned = {one: other, other: one}
        self.plugged = {turned.get(socket, socket): plug for socket, plug in self.plugged.items()}
        self._plug()
        self._set_again(now)

    def hum(self, socket: int, dbu: float | None, now: int) -> None:
        """Mains hum at a socket, as a bad cable brings it; None takes it away."""
        if dbu is None:
            self._hums.pop(socket, None)
        else:
            self._hums[socket] = dbu
        self._plug()
        self._forget(now)

    def loud(self, player: str, db: float, now: int) -> None:
        """A player plays louder (or softer) by that much than they would, from now on."""
        self.players[player].loud_db = db
        self._forget(now)

    def turn(self, socket: int, gain_db: float, now: int) -> None:
        """A hand turns the knob of a preamp that cannot be set from elsewhere."""
        self._converters.knobs[socket] = gain_db
        self._set_again(now)

    def rig(self, name: str, now: int, **changes: object) -> None:
        """Something about a microphone or pickup changes: its screen, or its DI."""
        self.plugged = {s: replace(p, **changes) if p.name == name else p for s, p in self.plugged.items()}  # type: ignore[arg-type]
        self._plug()
        self._set_again(now)

    @property
    def knobs(self) -> dict[int, float]:
        return dict(self._converters.knobs)

    def _set_again(self, now: int) -> None:
        if self._preamps is not None:
            self._converters.set_preamps(self._preamps, self.plugged)
        self._forget(now)

    def knock(self, name: str, now: int) -> None:
        """Somebody knocks on a microphone or pickup, wherever its cable goes."""
        self._taps = [t for t in self._taps if t[0] > now - 10 * self._rate] + [(now, name)]
        self._forget(now)

    def hear(self, heard: tuple[HeardAt, ...], worn: dict[str, int], late_ms: float, now: int) -> None:
        """Who plays into a socket that is heard by way of the engine hears themselves so late: in the headphones that
        they wear (``worn``: by player, the first output), or, without any, wherever it comes out."""
        of_player: dict[str, set[int]] = {}
        for socket, plug in self.plugged.items():
            of_player.setdefault(plug.player, set()).add(socket)
        for name, player in self.players.items():
            player.hearing = _hearing(of_player.get(name, set()), heard, worn.get(name), late_ms)
        self._forget(now)

    def set_tempo(self, tempo: TempoMap, now: int) -> None:
        if tempo == self._tempo:
            return
        self._tempo = tempo
        for player in self.players.values():
            player.set_tempo(tempo)
        self._forget(now)

    def ask(self, name: str, mode: str, now: int) -> None:
        """Asks a player to rest, check, perform or follow, from ``now`` on."""
        player = self.players[name]
        player.mode = mode
        if mode != "follow" or not self._rolling:
            player.begin(*stretches_for(mode, now, False, 0, self._seed + now))
        else:
            at = self._timeline_position + now - self._timeline_since
            player.begin(*stretches_for(mode, now, True, at, self._timeline_seed, self._timeline_entry))
        self._forget(now)

    def timeline(self, since: int, rolling: bool, position: int, seed: int, entry: int = 0) -> None:
        """From ``since`` on the players hear the timeline do this; followers go with it, from ``entry`` on."""
        self._rolling = rolling
        self._timeline_since, self._timeline_position = since, position
        self._timeline_seed, self._timeline_entry = seed, entry
        for player in self.players.values():
            if player.mode == "follow":
                player.begin(*stretches_for("follow", since, rolling, position, seed if rolling else since, entry))
        self._forget(since)

    def _forget(self, since: int) -> None:
        if since < self._done and self._converters.filters:
            # Filters remember, so rendering goes back to where their state was kept.
            since = since // PARTITION * PARTITION
            self._converters.go_back(since)
        self._done = min(self._done, since)

    def read(self, start: int, stop: int) -> Floats:
        """Words at the converters, shape (inputs, stop-start); a view, good until the next call.

        Time never runs backwards; a stretch that nobody read (a dropout) is rendered all the same.
        """
        self._now = start
        while self._done < stop:
            self._render(self._done, min((self._done // PARTITION + 1) * PARTITION, self._done + PARTITION))
        return self._words[:, start - self._base : stop - self._base]

    def _render(self, start: int, stop: int) -> None:
        if stop - self._base > _SIZE:
            self._shift(start)
        a, b = start - self._base, stop - self._base
        sources = self._sources
        sources[:, a:b] = 0.0
        for player in self.players.values():
            player.add_to(sources, a, start, stop)
        if start % PARTITION == 0 and start >= self._tail_done:
            bus = self._pressure @ sources[:, a - PARTITION : a]
            self._tail[a : a + PARTITION] = self._barn.answer(bus)
            self._tail_done = start + PARTITION
        count = stop - start
        volts = self._volts[:, :count]
        volts[self._deaf] = 0.0
        for row, gains, heard in self._heard:
            for n, (source, delay) in enumerate(heard):
                self._arriving[n, :count] = self._table[source, a - delay : b - delay]
            np.matmul(gains, self._arriving[: len(heard), :count], out=volts[row])
        self._add_taps(volts, start, stop)
        for socket, dbu in self._hums.items():
            at = start % self._mains_period
            volts[socket - 1] += self._mains[at : at + count] * np.float32(amplitude(dbu))
        self._converters.words(volts, start, self._words[:, a:b])
        self._done = stop

    def _add_taps(self, volts: Floats, start: int, stop: int) -> None:
        for at, name in self._taps:
            a, b = max(start, at), min(stop, at + len(self._knocks))
            for socket, plug in self.plugged.items():
                if plug.name == name and a < b:
                    mic = plug.microphone
                    dbu = microphone_dbu(_KNOCK_SPL, mic.sensitivity_mv_per_pa) if mic else plug.pickup_dbu
                    knock = self._knocks[a - at : b - at] * np.float32(amplitude(dbu))
                    volts[socket - 1, a - start : b - start] += knock

    def _shift(self, start: int) -> None:
        """Makes room at the end; keeps what delays and the caller may still reach back to."""
        low = min(start, self._now // PARTITION * PARTITION) - _PAST - self._base
        for table in (self._table, self._words):
            table[:, : _SIZE - low] = table[:, low:].copy()
        self._base += low


def _hearing(sockets: set[int], heard: tuple[HeardAt, ...], output: int | None, late_ms: float) -> Hearing:
    if output is None:
        return Hearing(late_ms if any(sockets & h.through for h in heard) else 0.0)
    own = next((h for h in heard if h.outputs[:1] == (output,)), HeardAt((), frozenset()))
    through, direct = bool(sockets & own.through), bool(sockets & own.direct)
    return Hearing(late_ms if through else 0.0, bool(sockets) and not (through or direct), not own.click)


def _mains(rate_hz: int) -> Floats:
    """Hum at 50 Hz with its harmonics, RMS of a sine of peak 1; long enough for a render and a period."""
    t = np.arange(PARTITION + 112 + rate_hz // 50) / (rate_hz // 50)
    wave = sum(a * np.sin(2 * np.pi * k * t) for k, a in ((1, 1.0), (2, 0.35), (3, 0.6), (5, 0.3), (7, 0.15)))
    return np.asarray(wave / np.sqrt(2 * np.mean(np.square(wave))), np.float32)


def _knocks(rate_hz: int) -> Floats:
    """Three dull knocks."""
    t = np.arange(round(1.0 * rate_hz)) / rate_hz
    one = np.sin(2 * np.pi * 180.0 * t) * np.exp(-t / 0.03)
    at = [0, round(0.3 * rate_hz), round(0.6 * rate_hz)]
    out = np.zeros(len(t), np.float32)
    for k in at:
        out[k:] += one[: len(one) - k].astype(np.float32)
    return out


def _arrivals(paths: stage.Paths, row: int) -> tuple[Floats, list[tuple[int, int]]]:
    """What one input hears: gains, and (table row, delay) for each. Neighbours hear the tail apart."""
    sources = np.flatnonzero(paths.gain[row]).tolist()
    gains = paths.gain[row][sources]
    heard = [(s, int(paths.delay[row, s])) for s in sources]
    if paths.diffuse[row]:
        gains = np.append(gains, paths.diffuse[row])
        heard.append((paths.gain.shape[1], row % 4 * _APART))
    return gains, heard
