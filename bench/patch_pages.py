"""A session of 64 tracks: how long pages, edits and their fragments take; how soon another page shows an edit.

usage: python bench/patch_pages.py URL [TIMES]     (a running ./cattailer demo; makes a session called Bench)
"""

import sys
import time
import urllib.parse
import urllib.request
from functools import partial

from common import spread, tell, timed
from playwright.sync_api import sync_playwright

from cattailer.media import profile_toml

CHROMIUM = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"]
VIEWS = ("sockets", "list", "tracks", "routes", "check", "interface")


def large_profile() -> bytes:
    """The Marshgate 16 with 64 sockets and 64 outputs."""
    text = (profile_toml.SHIPPED / "marshgate-16.toml").read_text()
    head = text.partition("[[sockets]]")[0].replace("Marshgate 16", "Bench 64").replace("outputs = 12", "outputs = 64")
    return (head + '[[sockets]]\nnumbers = [1, 64]\nphantom = "own"\nconnector = "XLR"\npad_db = 20.0\nlow_cut_hz = 80.0\npolarity = true\n').encode()


def post(address: str, **fields: object) -> bytes:
    data = urllib.parse.urlencode(fields).encode()
    return bytes(urllib.request.urlopen(urllib.request.Request(address, data, {"HX-Request": "true"})).read())


def upload(address: str, name: str, data: bytes) -> None:
    edge = "bench-edge"
    head = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'.encode()
    body = head + data + f"\r\n--{edge}--\r\n".encode()
    urllib.request.urlopen(urllib.request.Request(address, body, {"Content-Type": f"multipart/form-data; boundary={edge}"}))


def main() -> None:
    url = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8080"
    times = int(sys.argv[2]) if len(sys.argv) > 2 else 30
    upload(f"{url}/s/1/patch/profile", "bench-64.toml", large_profile())
    made = urllib.request.urlopen(urllib.request.Request(
        f"{url}/sessions", urllib.parse.urlencode({"title": "Bench", "interface": "bench-64"}).encode()))
    session = url + made.headers["HX-Redirect"].rstrip("/")
    post(f"{session}/enter")
    patch = f"{session}/patch"
    post(f"{patch}/tracks", count=64, feed="in:1")

    def get(path: str) -> bytes:
        return bytes(urllib.request.urlopen(urllib.request.Request(path, headers={"HX-Request": "true"})).read())

    def get_again(path: str, _: int) -> bytes:
        return get(path)

    first = get(f"{patch}/tracks").decode()
    tracks = [int(part.split('"')[0]) for part in first.split('data-track-row="')[1:]]
    pages = {view: timed(times, partial(get_again, f"{patch}/{view}")) for view in VIEWS}
    pages["grid"] = timed(times, lambda _: get(f"{patch}/routes?grid=true"))
    fragments = {view: timed(times, partial(get_again, f"{patch}/{view}/rows")) for view in VIEWS}
    fragments["grid"] = timed(times, lambda _: get(f"{patch}/routes/rows?grid=true"))
    edits = timed(times, lambda n: post(f"{session}/tracks/{tracks[n % 64]}/name", name=f"Bench {n}"))

    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        pair = [browser.new_page(viewport={"width": 1280, "height": 800}) for _ in range(2)]
        for page in pair:
            page.goto(f"{patch}/tracks")
            page.wait_for_timeout(1500)
        reached = []
        for n in range(min(times, 15)):
            began = time.perf_counter()
            post(f"{session}/tracks/{tracks[0]}/name", name=f"Reached {n}")
            pair[1].wait_for_function("name => document.querySelector('#rows input.down')?.value === name", arg=f"Reached {n}", polling=10)
            reached.append(1000 * (time.perf_counter() - began))
        browser.close()
    tell(what="64 tracks on 64 sockets, ms", tracks=len(tracks), page=pages, fragment=fragments, edit=edits,
         reaches_another_page=spread(reached))


if __name__ == "__main__":
    main()
