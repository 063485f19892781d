"""Makes the spoken numbers of the count-in: Debian's espeak-ng speaks, the silence around is cut off.

Run by hand (``apt-get install espeak-ng``); what it makes is committed in ``src/cattailer/engine/voice``.
"""

import subprocess
import tempfile
from pathlib import Path

import numpy as np
import soundfile

from cattailer.engine.sources.spoken import FOLDER, WORDS

SILENT_DB = -34.0
FADE_S = 0.006


def main() -> None:
    FOLDER.mkdir(exist_ok=True)
    for number, word in enumerate(WORDS, 1):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "word.wav"
            subprocess.run(["espeak-ng", "-v", "en-gb", "-s", "230", "-p", "38", "-w", str(path), word], check=True)
            sound, rate = soundfile.read(path)
        loud = np.flatnonzero(np.abs(sound) > np.abs(sound).max() * 10 ** (SILENT_DB / 20))
        kept = sound[loud[0] : loud[-1] + 1]
        fade = round(FADE_S * rate)
        kept[-fade:] *= np.linspace(1.0, 0.0, fade)
        soundfile.write(FOLDER / f"{number}.flac", kept / np.abs(kept).max() * 0.9, rate, subtype="PCM_16")
        print(f"{word}: {1000 * len(kept) / rate:.0f} ms")


if __name__ == "__main__":
    main()
