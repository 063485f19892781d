"""Lines of pages by every role, to every kind of session, with messages of all kinds: each is answered or closed, the
others go on, and whoever may move nothing changes nothing."""

import json
import random
import time
from collections import Counter
from typing import Any

from hostile_values import changed, image, value
from tests.helpers.served import at_a_port
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import ClientConnection, connect

from cattailer.core.access.roles import Role
from cattailer.services.desk.desk import Desk
from cattailer.web.front.gate import COOKIE, Policy
from cattailer.web.live.line import MOST_SAID

AT_ONCE, PATIENCE_S = 20, 8.0
READERS = ("assistant", "nobody")
WRITTEN_S = 1.0
"""What a page that is gone had moved is written down by then."""
NUMBERS: list[Any] = [0, 1, 2, 4, -1, 1.5, 1e308, -1e308, 2**31, 2**63, 10**400, float("nan"), float("inf"), True, None, "1", [], {}]
ENDS = ["track:1", "track:7", "group:1", "mix:1", "return:1", "in:1", "track:", "track:-1", "track:99999999999999999999", "", "x", "\x00"]
WHATS = ["fader_db", "level_db", "pan", "muted", "gain_db", "", "__class__", "x" * 41]
FIELDS = ["listen", "tune", "levels", "move", "step", "settle", "keys", "meters", "ack", "extra"]


def message(rng: random.Random) -> str | bytes:
    """A wish, nearly a wish, or no wish at all."""
    kind = rng.randrange(10)
    if kind == 0:
        return value(rng)
    if kind == 1:
        return rng.randbytes(rng.choice([0, 1, 100, 4000]))
    if kind == 2:
        return rng.choice(["[", "{", "null", "[]", "1", '"x"', "{}", '{"move": ' + "[" * 900, '{"listen": 1e999}', "\ud7ff", "\x00"])
    if kind == 3:  # nothing is wrong with this one but who says it
        return json.dumps({"move": [[f"track:{rng.randrange(1, 9)}", "", "fader_db", rng.randrange(-40, 6)]], "settle": True})
    if kind < 6:
        moves = [[rng.choice(ENDS), rng.choice(["", "mix:1", "mix:2", "mix:9", "x"]), rng.choice(WHATS), rng.choice(NUMBERS)]
                 for _ in range(rng.choice([0, 1, 3, 64, 65]))]
        return json.dumps({"move": moves, **({"settle": True} if rng.random() < 0.5 else {})})[:4000]
    return json.dumps({
        field: rng.choice([*NUMBERS, value(rng)[:200], [60], [60, 61, 128], [[1]]]) for field in rng.sample(FIELDS, rng.randrange(1, 4))
    })[:4000]


def goes_on(line: ClientConnection) -> bool:
    """Whether it still answers; what it tells meanwhile is read, so nothing waits."""
    answered, until = line.ping(), time.monotonic() + PATIENCE_S
    while not answered.is_set() and time.monotonic() < until:
        try:
            line.recv(timeout=0.05)
        except TimeoutError:
            continue
    return answered.is_set()


def speak(port: int, session: str, who: str, key: str, batch: list[str | bytes]) -> tuple[str, str]:
    """How the line ended, and what was wrong with that, or nothing."""
    headers = {"Cookie": f"{COOKIE}={key}"}
    try:
        with connect(f"ws://127.0.0.1:{port}/s/{session}/live", additional_headers=headers) as line:
            for text in batch:
                line.send(text)
            wrong = "" if goes_on(line) else "no answer"
    except InvalidStatus as refused:
        status = refused.response.status_code
        return str(status), f"{status}" if status >= 500 else ""
    except ConnectionClosed as closed:
        code = closed.rcvd.code if closed.rcvd else 0
        # What is too long is not read to its end, so the reason may be lost on the way.
        too_long = any(len(text) > MOST_SAID for text in batch)
        return f"closed {code}", f"closed {code}" if code in (1006, 1011) or (code == 0 and not too_long) else ""
    return "answered", wrong or ("" if key else "came in without a key")


def lines(desk: Desk, count: int, rng: random.Random) -> dict[str, Any]:
    """``count`` messages. A good line is open all the time, and answers after each hostile one."""
    wrong: list[str] = []
    ends: Counter[str] = Counter()
    said, read_before = 0, False
    with at_a_port(desk, Policy(shared=True)) as (served, port):
        keys = {role.value: served.key(role, "Cue band" if role is Role.PLAYER else "") for role in Role} | {"nobody": ""}
        engineer = {"Cookie": f"{COOKIE}={keys[Role.ENGINEER.value]}"}
        with connect(f"ws://127.0.0.1:{port}/s/1/live", additional_headers=engineer) as good:
            while said < count:
                who = rng.choice(list(keys)) if rng.random() < 0.5 else Role.ASSISTANT.value
                session = rng.choice([*"111112", "0", "-1", "999", "9" * 25, "x", "%00", "1/../2"])
                batch = [message(rng) for _ in range(rng.randrange(1, AT_ONCE))]
                said += len(batch)
                what = f"{who} at {session}: {batch!r:.300}"
                reads = who in READERS
                if reads and not read_before:
                    time.sleep(WRITTEN_S)
                before, read_before = image(desk.database) if reads else {}, reads
                end, why = speak(port, session, who, keys[who], batch)
                ends[end] += 1
                wrong += [f"{why}: {what}"] if why else []
                if reads:
                    time.sleep(WRITTEN_S / 10)
                    tables = changed(before, image(desk.database))
                    wrong += [f"{tables} changed: {what}"] if tables else []
                if not goes_on(good):
                    wrong.append(f"another line went silent after {what}")
                    break
    return {"messages": said, "ends": dict(sorted(ends.items())), "wrong": wrong[:20]}
