"""Imports sound files of every kind that can be written here, whole, streamed, hung together, cut short and damaged, and
compares what became of each with what went in: right length and level, or a sentence.

usage: python bench/random_imports.py [FILES] [SEED]; needs ffmpeg
"""

import subprocess
import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import numpy as np
import soundfile
from common import tell
from numpy.typing import NDArray

from cattailer.core.errors import Refusal
from cattailer.media.soundfiles import Unkept, is_sound, opened

KINDS: dict[str, list[str]] = {
    "wav": [], "24.wav": ["-c:a", "pcm_s24le"], "float.wav": ["-c:a", "pcm_f32le"], "u8.wav": ["-c:a", "pcm_u8"],
    "alaw.wav": ["-c:a", "pcm_alaw"], "adpcm.wav": ["-c:a", "adpcm_ima_wav"], "rf64.wav": ["-rf64", "always"],
    "w64": [], "aiff": [], "float.aiff": ["-c:a", "pcm_f32be"], "caf": [], "alac.caf": ["-c:a", "alac"], "flac": [],
    "24.flac": ["-sample_fmt", "s32"], "ogg": ["-c:a", "libvorbis"], "flac.oga": ["-c:a", "flac"], "opus": [],
    "cbr.mp3": ["-b:a", "128k"], "vbr.mp3": ["-q:a", "4"], "abr.mp3": ["-abr", "1", "-b:a", "96k"],
    "bare.mp3": ["-q:a", "3", "-write_xing", "0", "-id3v2_version", "0"], "plain.mp3": ["-c:a", "libshine"],
}
FORMATS = {"wav": "wav", "aiff": "aiff", "caf": "caf", "flac": "flac", "ogg": "ogg", "oga": "ogg", "opus": "opus", "mp3": "mp3", "w64": "w64"}
LOSSY = ("ogg", "opus", "mp3", "alaw.wav", "adpcm.wav", "u8.wav")
DAMAGES = ("whole", "whole", "streamed", "cut", "cut", "damaged", "twice")
RATES = (22050, 32000, 44100, 48000)


def sound_of(random: np.random.Generator, rate: int, channels: int, seconds: float) -> NDArray[np.float64]:
    """Tones that swell, so that bit rates vary; every channel has a level of its own."""
    at = np.arange(round(rate * seconds)) / rate
    levels = 0.5 * 0.7 ** np.arange(channels)
    tones = np.stack([np.sin(2 * np.pi * (220 + 90 * n) * at) for n in range(channels)], axis=1)
    swell = np.clip(np.sin(2 * np.pi * at / seconds * random.integers(1, 4)), 0.01, 1.0)
    return np.asarray(tones * levels * np.where(at < 1.0, 0.001, swell)[:, None])


def written(folder: Path, kind: str, sound: NDArray[np.float64], rate: int, streamed: bool) -> Path:
    source, target = folder / "source.wav", folder / f"file.{kind}"
    soundfile.write(source, sound, rate, "PCM_24")
    ending = kind.rsplit(".", 1)[-1]
    where = ["-f", FORMATS[ending], "-"] if streamed else [str(target)]
    done = subprocess.run(["ffmpeg", "-y", "-v", "error", "-i", source, *KINDS[kind], *where], capture_output=True, check=True)
    if streamed:
        target.write_bytes(done.stdout)
    return target


def outcome(path: Path, partly: bool) -> tuple[str, NDArray[np.float32] | None, int]:
    try:
        if not is_sound(path.read_bytes()[:16]):
            return "no sound", None, 0
        with opened(path, partly=partly) as sound:
            return "read", np.concatenate([b.copy() for b in sound.blocks()], axis=1), sound.rate_hz
    except Unkept as why:
        return why.message, None, 0
    except Refusal as why:
        return f"refused: {why.message}", None, 0


def wrong(kind: str, got: NDArray[np.float32], rate: int, sound: NDArray[np.float64], whole: bool) -> str:
    """Of what was read: its level always, its length where nothing was taken away or damaged."""
    lossy = kind.endswith(LOSSY)
    if whole and abs(got.shape[1] - len(sound)) > (0.12 * rate if lossy else 0):
        return f"{got.shape[1]} samples for {len(sound)}"
    if got.shape[0] != sound.shape[1]:
        return f"{got.shape[0]} channels"
    count = min(got.shape[1], len(sound))
    a, b = np.sqrt(np.mean(got[:, :count] ** 2, axis=1)), np.sqrt(np.mean(sound[:count] ** 2, axis=0))
    apart = float(np.abs(20 * np.log10((a + 1e-6) / (b + 1e-6))).max())
    return f"{apart:.2f} dB" if apart > (1.5 if lossy else 0.01) else ""


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    random = np.random.default_rng(int(sys.argv[2]) if len(sys.argv) > 2 else 1)
    faults, said, read = [], 0, 0
    names = list(KINDS)
    with tempfile.TemporaryDirectory() as folder:
        for n in range(count):
            kind, damage = names[n % len(names)], DAMAGES[int(random.integers(len(DAMAGES)))]
            few = kind.endswith(("mp3", "adpcm.wav"))
            # Coders that know where a channel is heard move those of other numbers about.
            placed = kind.endswith(("ogg", "opus", "oga", "caf", "flac"))
            few = few or kind.endswith(("ogg", "alac.caf"))  # they cut the lows' channel, or put eight into seven
            channels = int(random.choice([1, 2] if few else [1, 2, 6, 8] if placed else range(1, 9)))
            rate = 48000 if kind == "opus" else int(random.choice(RATES))
            sound = sound_of(random, rate, channels, float(random.uniform(3.0, 12.0)))
            if damage == "streamed" and kind == "alac.caf":
                damage = "whole"  # it cannot be streamed
            path = written(Path(folder), kind, sound, rate, damage == "streamed")
            data, where = path.read_bytes(), float(random.uniform(0.3, 0.9))
            at = round(len(data) * where)
            if damage == "cut":
                path.write_bytes(data[:at])
            elif damage == "damaged":
                path.write_bytes(data[:at] + bytes(200) + data[at + 200 :])
            elif damage == "twice":
                path.write_bytes(data + data)
            twice = damage == "twice" and kind.endswith(("mp3", "ogg", "oga", "opus"))
            sound = np.concatenate([sound, sound]) if twice else sound
            words, got, rate_hz = outcome(path, False)
            whole = damage in ("whole", "streamed") or twice
            what = f"{n}: {kind}, {channels} channels, {rate} Hz, {damage}"
            if got is None:
                said += 1
                if whole:
                    faults.append(f"{what}: {words}")
                words, got, rate_hz = outcome(path, True)
                if got is None and not words.startswith("refused"):
                    faults.append(f"{what}: still {words}")
            else:
                read += 1
                cut = damage == "cut" and not kind.endswith("bare.mp3") and got.shape[1] < 0.95 * len(sound)
                if cut:
                    faults.append(f"{what}: cut short without a word")
            if damage == "damaged" and kind.endswith((*LOSSY, "oga", "flac")):
                got = None  # a frame that is left out is silent, or moves what follows
            if got is not None and rate_hz == rate and (fault := wrong(kind, got, rate, sound, whole)):
                faults.append(f"{what}: {fault}")
    tell(files=count, read_as_they_are=read, said=said, faults=faults)


if __name__ == "__main__":
    main()
