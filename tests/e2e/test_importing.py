"""Sound files through the page, over a wire that breaks."""

from pathlib import Path
from urllib.parse import urlsplit

import numpy as np
import soundfile
from playwright.sync_api import Page, Route, expect

from tests.helpers.studio import Studio, new_session, told
from tests.helpers.wire import wire_to

RATE = 48000


def test_files_are_imported_over_a_wire_that_breaks(page: Page, other: Page, studio: Studio, tmp_path: Path) -> None:
    noise = np.random.default_rng(1).uniform(-0.2, 0.2, (RATE * 40, 6))
    soundfile.write(tmp_path / "choir.wav", noise, RATE, "PCM_24")
    with soundfile.SoundFile(tmp_path / "rain.mp3", "w", 44100, 2, format="MP3", bitrate_mode="VARIABLE") as mp3:
        mp3.write(noise[: 44100 * 20, :2])
    (tmp_path / "half.wav").write_bytes((tmp_path / "choir.wav").read_bytes()[: RATE * 6 * 3 * 5])
    (tmp_path / "letter.docx").write_bytes(b"x" * 100)
    address = new_session(page, studio, "Rain")
    other.goto(f"{address}/imports/")
    with wire_to(urlsplit(studio.url).port or 0) as wire:
        page.goto(f"{wire.url}{urlsplit(address).path}/capture")
        told(page)
        page.get_by_role("link", name="Import").click()
        told(page)
        wire.up_bytes_per_s = 12e6
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name="Choose files").press("Enter")
        chooser.value.set_files([tmp_path / name for name in ("choir.wav", "rain.mp3", "letter.docx")])
        expect(page.locator("#message")).to_contain_text("letter.docx is not a sound file")
        page.wait_for_function("Number(document.querySelector('[data-file-state=arriving] progress')?.value) >= 90")
        wire.away = True
        wire.cut()
        expect(page.locator("#away")).to_be_visible()
        assert not list((studio.home / "media").glob(".import-*")), "what broke off is gone"
        wire.away, wire.up_bytes_per_s = False, None
        page.get_by_role("button", name="Try choir.wav again").click()
        expect(page.locator("[data-file-state=here]")).to_have_count(2)
        expect(other.locator("[data-file-state=here]")).to_have_count(2)
        page.set_input_files("#import-choose", tmp_path / "half.wav")
        expect(page.get_by_text("half.wav promises 40.0 s, but 5.0 s are there.")).to_be_visible()
        page.get_by_label("Use what is there of half.wav").press("Space")
        expect(page.locator("[data-file-state=here]")).to_have_count(3)
        page.keyboard.press("Space")
        expect(page.locator("[data-file-state=asks]")).to_have_count(1)
        page.get_by_role("button", name="Remove half.wav").click()
        held: list[Route] = []
        page.route("**/imports/files*", lambda route: held.append(route))  # what is chosen while the list is fetched counts too
        with page.expect_request("**/imports/files*"):
            page.evaluate("htmx.trigger('#import-files', 'files-changed')")
        page.get_by_label("Tracks for choir.wav").select_option("pairs")
        for each in held:
            each.continue_(url=each.request.url.partition("?")[0])
        page.unroute("**/imports/files*")
        page.get_by_label("Bar, beat or time").fill("0:02")
        page.get_by_role("button", name="Import 2 files").click()
        expect(page.locator("[data-file-state=done]")).to_have_count(2)
        expect(page.locator("[data-file-state=done]").nth(1)).to_contain_text("44.1 kHz converted to 48")
        page.get_by_role("link", name="Sheet").click()
        told(page)
        for name in ("choir 1+2", "choir 3+4", "choir 5+6", "rain"):
            expect(page.locator(f"#rows input[value='{name}']")).to_be_visible()
    written = sorted((studio.home / "media").glob("Rain*/run-*/*.wav"))
    assert len(written) == 4
    for n, path in enumerate(p for p in written if "choir" in p.name):
        got, _ = soundfile.read(path)
        assert np.abs(got - noise[:, 2 * n : 2 * n + 2]).max() < 2**-22
