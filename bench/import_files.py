"""A WAV of 200 MB, a three-minute MP3 with a variable bit rate and a file of six channels, through the Import page in Chromium:
throttled, broken off at 90 %, sent again, imported. What was written is compared with what was sent.

usage: python bench/import_files.py [MEGABYTES-A-SECOND]
"""

import re
import sys
import tempfile
import time
from pathlib import Path
from urllib.parse import urlsplit

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import numpy as np
import soundfile
from common import tell
from playwright.sync_api import sync_playwright
from tests.helpers.started import running_studio
from tests.helpers.studio import CHROMIUM, new_session
from tests.helpers.wire import wire_to

RATE = 48000
READY = "count => Number(document.getElementById('import-files')?.dataset.ready) === count"


def make(folder: Path) -> dict[str, Path]:
    files = {name: folder / name for name in ("Long rain.wav", "Old tape.mp3", "Choir.wav")}
    random = np.random.default_rng(1)
    for name, seconds, channels in (("Long rain.wav", 730, 2), ("Choir.wav", 120, 6)):
        with soundfile.SoundFile(files[name], "w", RATE, channels, "PCM_24") as file:
            for _ in range(seconds):
                file.write(random.uniform(-0.3, 0.3, (RATE, channels)))
    with soundfile.SoundFile(files["Old tape.mp3"], "w", 44100, 2, format="MP3", bitrate_mode="VARIABLE") as file:
        for n in range(180):
            file.write(random.uniform(-0.3, 0.3, (44100, 2)) * (0.2 + 0.8 * (n % 7 > 2)))
    return files


def main() -> None:
    speed = float(sys.argv[1]) * 1e6 if len(sys.argv) > 1 else 25e6
    with tempfile.TemporaryDirectory() as folder, running_studio() as studio:
        files, home = make(Path(folder)), studio.home
        with sync_playwright() as playwright, wire_to(int(studio.url.rsplit(":", 1)[1])) as wire:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
            page = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True).new_page()
            path = urlsplit(new_session(page, studio, "Rain")).path
            page.goto(f"{wire.url}{path}/imports/")
            page.wait_for_function("window.cattailerStats?.frames > 3")
            wire.up_bytes_per_s = speed
            page.set_input_files("#import-choose", [str(f) for f in files.values()])
            page.wait_for_function(
                "Number(document.querySelector('[data-file-state=arriving] progress')?.value) >= 90", timeout=300_000
            )
            ages = page.evaluate("cattailerStats.ages.slice(-300)")
            wire.away = True
            wire.cut()
            time.sleep(2)
            left = len(list((home / "media").glob(".import-*")))
            wire.away = False
            page.get_by_role("button", name="Try Long rain.wav again").click(timeout=60_000)
            began = time.monotonic()
            page.wait_for_function(READY, arg=3, timeout=300_000)
            sent_s, began = time.monotonic() - began, time.monotonic()
            page.get_by_label("Tracks for Choir.wav").select_option("pairs")
            page.get_by_role("button", name="Import 3 files").click()
            page.wait_for_function("document.querySelectorAll('[data-file-state=done]').length === 3", timeout=300_000)
            imported_s = time.monotonic() - began
            browser.close()
        written = sorted((home / "media").glob("Rain*/run-*/*.wav"))
        rain = next(p for p in written if "Long-rain" in p.name)
        same = all(np.array_equal(a, b) for a, b in zip(
            soundfile.blocks(rain, RATE), soundfile.blocks(files["Long rain.wav"], RATE), strict=True
        ))
        tape = soundfile.info(next(p for p in written if "Old-tape" in p.name))
        tell(
            megabytes={name: round(f.stat().st_size / 1e6, 1) for name, f in files.items()}, left_behind=left,
            sent_again_s=round(sent_s, 1), imported_s=round(imported_s, 1), tracks=len(written), long_rain_is_equal=same,
            old_tape_s=round(tape.frames / tape.samplerate, 2), frame_age_ms_p95=round(sorted(ages)[int(0.95 * len(ages))], 1),
            choir=[re.sub(r".*Choir-", "", p.stem) for p in written if "Choir" in p.name],
        )


if __name__ == "__main__":
    main()
