"""The stand-in's room without an engine."""

import numpy as np

from cattailer.liveroom.room import Room
from cattailer.media import profile_toml
from cattailer.services.session import demo

PROFILE = profile_toml.shipped()["marshgate-16"]
PREAMPS = demo.plan(False).preamps


def room(**modes: str) -> Room:
    made = Room(PROFILE, 48000, demo.tempo())
    made.set_preamps(PREAMPS, 0)
    made.start()
    for name in made.players:
        made.ask(name, modes.get(name.replace(" ", "_"), modes.get("everyone", "perform")), 0)
    return made


def listen(made: Room, samples: int, block: int = 1024, start: int = 0) -> np.ndarray:
    return np.concatenate([made.read(at, at + block).copy() for at in range(start, start + samples, block)], axis=1)


def rms_db(x: np.ndarray) -> float:
    return float(10 * np.log10((x.astype(float) ** 2).mean() + 1e-20))
