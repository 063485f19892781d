"""Where Cattailer answers: also at an IPv6 address, whatever proxy is set; and nobody else reads its folders."""

import shutil
import signal
import socket
import stat
import subprocess
import urllib.request
from pathlib import Path

import pytest

from cattailer.core.errors import Refusal
from cattailer.processes import home, network
from cattailer.processes.network import Wanted
from cattailer.processes.postgres import MOST_LOGGED_BYTES, Postgres
from tests.helpers.studio import ROOT, environment, free_port, home_of_its_own


def has_ipv6() -> bool:
    try:
        with socket.socket(socket.AF_INET6) as probe:
            probe.bind(("::1", 0))
    except OSError:
        return False
    return True


def test_it_starts_behind_a_proxy_at_any_address_and_keeps_its_folders_to_itself() -> None:
    host, port, kept = "::1" if has_ipv6() else "127.0.0.1", free_port(), home_of_its_own()
    env = {**environment(kept), "http_proxy": "http://127.0.0.1:9", "no_proxy": ""}
    command = [str(ROOT / "cattailer"), "demo", "--host", host, "--port", str(port), "--fast-database"]
    with subprocess.Popen(command, env=env, stdout=subprocess.PIPE, text=True, start_new_session=True) as studio:
        try:
            assert studio.stdout is not None
            ready = next(line for line in studio.stdout if "ready at" in line)
            url = ready.split("ready at ")[1].split()[0]
            assert url == (f"http://[::1]:{port}" if host == "::1" else f"http://127.0.0.1:{port}")
            straight = urllib.request.build_opener(urllib.request.ProxyHandler({}))
            assert straight.open(f"{url}/alive", timeout=10).read() == b"alive"
            for path in (kept, kept / "media", kept / "logs", kept / "profiles", kept / "media.id", kept / "keys", *kept.glob("*/*")):
                assert not path.stat().st_mode & (stat.S_IRWXG | stat.S_IRWXO), path
        finally:
            studio.send_signal(signal.SIGINT)
            studio.wait(30)
    shutil.rmtree(kept)


def test_an_address_that_is_not_here_is_told_at_once(tmp_path: Path) -> None:
    with pytest.raises(Refusal, match=r"Port \d+ on 203\.0\.113\.7 cannot be used"):
        network.prepare(Wanted("203.0.113.7", free_port(), free_port()), tmp_path / "keys")
    with pytest.raises(Refusal, match="is no address of this machine"):
        network.prepare(Wanted("nowhere.invalid"), tmp_path / "keys")


def test_a_home_that_others_could_read_is_closed_and_a_long_log_makes_way(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("CATTAILER_HOME", str(tmp_path / "home"))
    (tmp_path / "home").mkdir(mode=0o755)
    kept = home.prepare()
    assert stat.S_IMODE(kept.root.stat().st_mode) == 0o700
    log = kept.logs / "postgres.log"
    log.write_bytes(b"x" * (MOST_LOGGED_BYTES + 1))
    server = Postgres(kept.database, log, durable=False)
    server.start()
    server.stop()
    assert log.stat().st_size < MOST_LOGGED_BYTES
    assert (kept.logs / "postgres.log.1").stat().st_size > MOST_LOGGED_BYTES
