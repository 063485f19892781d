"""The stand-in as a driver: the engine cannot tell it from an interface, but for the panel that it has beside."""

from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from cattailer.core.errors import Refusal
from cattailer.core.gear.interface import Profile
from cattailer.core.gear.latency import Latency
from cattailer.core.plan import Preamps
from cattailer.core.standin import HeardAt, Loopback, RoomState
from cattailer.core.time.timeline import TempoMap
from cattailer.engine.driver import Process, Timeline
from cattailer.liveroom.busy import MOODS, BusyComputer
from cattailer.liveroom.clock import Clock
from cattailer.liveroom.converters import quantise
from cattailer.liveroom.ears import Ears
from cattailer.liveroom.headphones import Headphones
from cattailer.liveroom.panel import Panel, standing
from cattailer.liveroom.room import Room

Floats = NDArray[np.float32]


MOST_UNREPORTED = 4096


@dataclass(frozen=True)
class Wire:
    """What an output plays arrives at an input again: by cable, or from a headphone held to a microphone."""

    output: int
    input: int
    gain: float = 1.0


class LiveRoom:
    """A made-up interface in a made-up room. ``cables`` are (output, input) pairs, counted from 0.

    ``latency`` is what its driver says; the true round trip may be longer by what it keeps quiet about.
    """

    def __init__(
        self, profile: Profile, rate_hz: int, period: int, clock: Clock, tempo: TempoMap,
        cables: tuple[tuple[int, int], ...] = (), seed: int = 1,
    ) -> None:
        profile.check_rate(rate_hz)
        profile.check_period(period)
        self.profile = profile
        self.rate_hz = rate_hz
        self.period = period
        self.clock = clock
        self.place = Room(profile, rate_hz, tempo, seed)
        self.place.start()
        self.latency: Latency = profile.latency(period)
        self._asked: deque[Callable[[int], None]] = deque()
        self._panel = Panel(self.place, profile, self._asked.append)
        self._said: tuple[HeardAt, ...] = ()
        self._headphones: Headphones | None = None
        self._wanted: dict[str, int] = {}
        """What players were asked to wear last, as printed; 0 is nothing."""
        self._unreported = round(profile.unreported * rate_hz / 48000)
        self._outputs = np.zeros((profile.outputs, period), np.float32)
        self._loopbacks = [Wire(o, i) for o, i in cables]
        held = self.latency.round_trip_samples + MOST_UNREPORTED + period
        self._played = np.zeros((profile.outputs, held), np.float32)
        self._heard = Timeline(False, 0, 0, 0)
        self.sample = 0
        self.ears = Ears(profile.inputs, profile.outputs, rate_hz, profile.direct_samples)
        self.listener: Callable[[Floats], None] | None = None
        """Gets what comes out of all output sockets, block after block: (outputs, samples)."""
        self._seed = seed
        self._busy = BusyComputer("off", seed, rate_hz, 0)

    def set_preamps(self, preamps: Preamps) -> None:
        self._asked.append(lambda now: self.place.set_preamps(preamps, now))

    def set_direct(self, gains: Floats) -> None:
        self.ears.set_direct(gains)

    def set_tempo(self, tempo: TempoMap) -> None:
        self._asked.append(lambda now: self.place.set_tempo(tempo, now))

    def set_heard(self, heard: tuple[HeardAt, ...]) -> None:
        def hear(now: int) -> None:
            self._said = heard
            self._listen(now)

        self._asked.append(hear)

    def _listen(self, now: int) -> None:
        late_ms = 1000.0 * self.round_trip_samples / self.rate_hz
        self.place.hear(self._said, self.worn, late_ms, now)

    @property
    def worn(self) -> dict[str, int]:
        """By player, the first output of their headphones, counted from 0."""
        return self._headphones.worn if self._headphones is not None else {}

    def command(self, name: str, arguments: dict[str, Any]) -> None:
        """The stand-in's own panel. Raises Refusal for what it does not know."""
        known = {
            **self._panel.commands, "loop": self._loop, "claim": self._claim, "busy": self._be_busy, "wear": self._wear,
        }
        if name not in known:
            raise Refusal(f"The live room knows no command {name!r}.")
        known[name](arguments)

    def room(self) -> RoomState:
        players = self.place.players
        return RoomState(
            {name: p.mode for name, p in players.items()}, {name: p.loud_db for name, p in players.items()},
            {socket: plug.name for socket, plug in sorted(self.place.plugged.items())},
            {socket: dbu for socket, dbu in self._panel.hums.items() if dbu is not None}, dict(self.place.knobs),
            [p.name for p in self.place.plugged.values() if p.source_henry or not p.screen],
            [
                Loopback(b.output + 1, b.input + 1, "cable" if b.gain == 1.0 else "headphone") for b in self._loopbacks
            ],
            self._unreported, self._busy.name, standing(self.place.plugged),
            {player: output + 1 for player, output in self.worn.items()},
        )

    def run(self, process: Process, going: Callable[[], bool]) -> None:
        self.clock.start(self.rate_hz, self.period, self.sample)
        while going():
            lost = self.clock.wait(self.sample + self.period) + self._busy.lost(self.sample, self.period)
            self.sample += lost
            while self._asked:
                self._asked.popleft()(self.sample)
            self._block(process, lost)

    def _block(self, process: Process, lost: int) -> None:
        start, period = self.sample, self.period
        inputs = self.place.read(start, start + period)
        if self._loopbacks or self._headphones is not None:
            inputs = self._arriving(inputs, lost)
        said = process(inputs, self._outputs, start, lost)
        rolling, position, seed, entry, late = said
        before = self._heard
        expected = before.position + period + lost if before.rolling else position
        changed = (rolling, seed, entry) != (before.rolling, before.passes, before.entry)
        if changed or (rolling and position != expected):
            # A loop begins again in the middle of a block; players hear it where it did.
            back = position - entry if 0 < position - entry < period else 0
            self.place.timeline(start + self.round_trip_samples + late - back, rolling, position - back, seed, entry)
        self._heard = said
        if self.listener is not None:
            self.listener(self.ears.sounds(inputs, self._outputs, self.round_trip_samples))
        if self._loopbacks:
            self._played[:, :-period] = self._played[:, period:]
            self._played[:, -period:] = self._outputs
        if self._headphones is not None:
            self._headphones.played(self._outputs)
        self.sample += period

    @property
    def round_trip_samples(self) -> int:
        """The true one."""
        return max(self.period, self.latency.round_trip_samples + self._unreported)

    def _arriving(self, inputs: Floats, lost: int) -> Floats:
        """What was played one round trip ago arrives again, by cable or from headphones; nothing was played while
        samples were lost."""
        held, period = self._played.shape[1], self.period
        if lost:
            gone = min(lost, held)
            self._played[:, : held - gone] = self._played[:, gone:].copy()
            self._played[:, held - gone :] = 0.0
        joined = inputs.copy()
        for back in self._loopbacks:
            at = held - self.round_trip_samples
            gain = self.place.line_gain[back.input] * np.float32(back.gain)
            arriving = self._played[back.output, at : at + period] * gain
            if back.gain < 1.0:
                arriving += inputs[back.input]
            quantise(arriving, joined[back.input])
        if self._headphones is not None:
            if self._headphones.plugged is not self.place.plugged:
                self._headphones = self._put_on(self.worn)
            if lost:
                self._headphones.lost(lost)
            for row in self._headphones.add_to(joined, self.place.gain, self.round_trip_samples):
                quantise(joined[row].copy(), joined[row])
        return joined

    def _put_on(self, worn: dict[str, int]) -> Headphones:
        held = self.latency.round_trip_samples + MOST_UNREPORTED + self.period
        return Headphones(worn, self.place.plugged, self.profile.inputs, self.rate_hz, held)

    def _wear(self, arguments: dict[str, Any]) -> None:
        """Players put on headphones that are plugged into two outputs (printed numbers, the first of the two) or take
        them off (0): ``worn``, by player. Who is not named keeps what they have."""
        wanted = {**self._wanted, **dict(arguments.get("worn") or {})}
        for player, output in wanted.items():
            if player not in self.place.players:
                raise Refusal(f"No player here is called {player!r}.", 404)
            if not isinstance(output, int) or not 0 <= output < self.profile.outputs:
                raise Refusal(f"{self.profile.name} has no outputs {output} and the next for headphones.")
        self._wanted = wanted
        worn = {player: output - 1 for player, output in wanted.items() if output}

        def wear(now: int) -> None:
            self._headphones = self._put_on(worn) if worn else None
            self._listen(now)

        self._asked.append(wear)

    def _loop(self, arguments: dict[str, Any]) -> None:
        """Plugs a cable from an output to an input (printed numbers), or holds a headphone to a microphone."""
        output, socket = int(arguments["output"]), self.profile.socket(int(arguments["socket"])).number
        if not 1 <= output <= self.profile.outputs:
            raise Refusal(f"{self.profile.name} has no output {output}.")
        kept = [back for back in self._loopbacks if back.input != socket - 1]
        way = str(arguments.get("way", ""))
        if way == "cable":
            kept.append(Wire(output - 1, socket - 1))
        elif way == "headphone":
            kept.append(Wire(output - 1, socket - 1, 0.02))
        self._asked.append(lambda _: setattr(self, "_loopbacks", kept))

    def _be_busy(self, arguments: dict[str, Any]) -> None:
        """Something else holds the computer up now and then."""
        mood = str(arguments.get("mood"))
        if mood not in MOODS:
            raise Refusal(f"The computer can be busy {', '.join(MOODS)}; not {mood!r}.")
        self._asked.append(lambda now: setattr(self, "_busy", BusyComputer(mood, self._seed, self.rate_hz, now)))

    def _claim(self, arguments: dict[str, Any]) -> None:
        """The driver leaves this many samples out of the round trip that it claims."""
        samples = int(arguments["samples"])
        if not -1000 <= samples <= 2000:
            raise Refusal("A driver can be wrong by −1000 to 2000 samples here; nothing was changed.")
        self._asked.append(lambda _: setattr(self, "_unreported", samples))
