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
from cattailer.core.standin import MODES, Loopback, RoomState
from cattailer.core.time.timeline import TempoMap
from cattailer.engine.driver import Process, Timeline
from cattailer.liveroom.busy import MOODS, BusyComputer
from cattailer.liveroom.clock import Clock
from cattailer.liveroom.converters import quantise
from cattailer.liveroom.ears import Ears
from cattailer.liveroom.room import Room
from cattailer.liveroom.stage import BARE_HENRY, BARE_OHM, Plugged

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
        self.hums: dict[int, float | None] = {}
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

    def set_through(self, sockets: frozenset[int]) -> None:
        self._asked.append(lambda now: self.place.hear(sockets, 1000.0 * self.round_trip_samples / self.rate_hz, now))

    def command(self, name: str, arguments: dict[str, Any]) -> None:
        """The stand-in's own panel. Raises Refusal for what it does not know."""
        known = {
            "ask": self._ask, "swap": self._swap, "knock": self._knock, "hum": self._hum, "loud": self._loud,
            "turn": self._turn, "rig": self._rig, "loop": self._loop, "claim": self._claim, "busy": self._be_busy,
        }
        if name not in known:
            raise Refusal(f"The live room knows no command {name!r}.")
        known[name](arguments)

    def _ask(self, arguments: dict[str, Any]) -> None:
        player, mode = str(arguments.get("player")), str(arguments.get("mode"))
        if player not in self.place.players:
            raise Refusal(f"No player here is called {player!r}.", 404)
        if mode not in MODES:
            raise Refusal(f"Players can {', '.join(MODES)}; not {mode!r}.")
        self._asked.append(lambda now: self.place.ask(player, mode, now))

    def _swap(self, arguments: dict[str, Any]) -> None:
        one, other = (self.profile.socket(int(arguments[k])).number for k in ("one", "other"))
        self._asked.append(lambda now: self.place.swap(one, other, now))

    def _hum(self, arguments: dict[str, Any]) -> None:
        socket, dbu = self.profile.socket(int(arguments["socket"])).number, arguments.get("dbu")
        level = None if dbu is None else max(-100.0, min(20.0, float(dbu)))
        self.hums[socket] = level
        self._asked.append(lambda now: self.place.hum(socket, level, now))

    def _loud(self, arguments: dict[str, Any]) -> None:
        player, db = str(arguments.get("player")), float(arguments["db"])
        if player not in self.place.players:
            raise Refusal(f"No player here is called {player!r}.", 404)
        if not -40.0 <= db <= 40.0:
            raise Refusal("A player can play between 40 dB softer and 40 dB louder; nothing was changed.")
        self._asked.append(lambda now: self.place.loud(player, db, now))

    def _turn(self, arguments: dict[str, Any]) -> None:
        socket, gain = self.profile.socket(int(arguments["socket"])), float(arguments["gain_db"])
        if socket.remote or not socket.preamp:
            raise Refusal(f"Socket {socket.number} has no knob to turn; set its gain in its row.")
        gain = self.profile.check_gain(gain)
        self._asked.append(lambda now: self.place.turn(socket.number, gain, now))

    def _rig(self, arguments: dict[str, Any]) -> None:
        """The screen before a microphone, or the DI behind a pickup."""
        name, what, on = str(arguments.get("name")), str(arguments.get("what")), bool(arguments.get("on"))
        if name not in {plug.name for plug in self.place.plugged.values()}:
            raise Refusal(f"Nothing here is called {name!r}.", 404)
        bare = {"source_ohm": BARE_OHM, "source_henry": BARE_HENRY}
        changes: dict[str, Any] = {"screen": on} if what == "screen" else (
            {"source_ohm": Plugged.source_ohm, "source_henry": Plugged.source_henry} if on else bare
        )
        self._asked.append(lambda now: self.place.rig(name, now, **changes))

    def _knock(self, arguments: dict[str, Any]) -> None:
        name = str(arguments.get("name"))
        if name not in {plug.name for plug in self.place.plugged.values()}:
            raise Refusal(f"Nothing here is called {name!r}.", 404)
        self._asked.append(lambda now: self.place.knock(name, now))

    def room(self) -> RoomState:
        players = self.place.players
        return RoomState(
            {name: p.mode for name, p in players.items()}, {name: p.loud_db for name, p in players.items()},
            {socket: plug.name for socket, plug in sorted(self.place.plugged.items())},
            {socket: dbu for socket, dbu in self.hums.items() if dbu is not None}, dict(self.place.knobs),
            [p.name for p in self.place.plugged.values() if p.source_henry or not p.screen],
            [
                Loopback(b.output + 1, b.input + 1, "cable" if b.gain == 1.0 else "headphone") for b in self._loopbacks
            ],
            self._unreported, self._busy.name,
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
        if self._loopbacks:
            inputs = self._through_loops(inputs, lost)
        said = process(inputs, self._outputs, start, lost)
        rolling, position, seed, entry = said
        before = self._heard
        expected = before.position + period + lost if before.rolling else position
        changed = (rolling, seed, entry) != (before.rolling, before.passes, before.entry)
        if changed or (rolling and position != expected):
            # A loop begins again in the middle of a block; players hear it where it did.
            back = position - entry if 0 < position - entry < period else 0
            self.place.timeline(start + self.round_trip_samples - back, rolling, position - back, seed, entry)
        self._heard = said
        if self.listener is not None:
            self.listener(self.ears.sounds(inputs, self._outputs, self.round_trip_samples))
        if self._loopbacks:
            self._played[:, :-period] = self._played[:, period:]
            self._played[:, -period:] = self._outputs
        self.sample += period

    @property
    def round_trip_samples(self) -> int:
        """The true one."""
        return max(self.period, self.latency.round_trip_samples + self._unreported)

    def _through_loops(self, inputs: Floats, lost: int) -> Floats:
        """What was played one round trip ago arrives again; nothing was played while samples were lost."""
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
        return joined

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
