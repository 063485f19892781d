"""The commands of the Deck, arming, levels and the run log, for scripts and other controllers."""

import json
from collections.abc import Callable
from dataclasses import asdict, dataclass
from typing import Any

from flask import Blueprint, Response, request
from pydantic import BaseModel

from cattailer.core.errors import Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.running import arming, remote, transport
from cattailer.web.api import models
from cattailer.web.forms import desk

PREFIX = "/api/1"
blueprint = Blueprint("api", __name__, url_prefix=PREFIX)


@dataclass(frozen=True)
class Command:
    """``asks`` is read from the query of a GET and from the JSON of a POST."""

    name: str
    method: str
    asks: type[BaseModel]
    answers: type[BaseModel]
    says: str
    does: Callable[[Desk, Any], BaseModel]

    @property
    def path(self) -> str:
        return f"{PREFIX}/{self.name}"


def _state(desk: Desk, _: models.Nothing) -> models.State:
    f = remote.frame(desk)
    return models.State(
        session=f["session"], title=f["title"], state=f["state"], rate_hz=f["rate"], position_samples=f["position"],
        ring_sample=f["sample"], clock=f["clock"], bar=f["bar"], beat=f["beat"], run=f["run"], take=f["take"],
        dropouts=f["dropouts"],
    )


def _levels(desk: Desk, _: models.Nothing) -> models.Levels:
    m = remote.frame(desk)["inputs"]
    rows = zip(m["peak"], m["max"], m["rms"], m["clips"], m["zone"], strict=True)
    return models.Levels(levels=[
        models.Level(socket=n, peak_dbfs=peak, held_dbfs=held, rms_dbfs=rms, clips=clips, zone=zone)
        for n, (peak, held, rms, clips, zone) in enumerate(rows, 1)
    ])


def _tracks(desk: Desk, _: models.Nothing) -> models.Tracks:
    return models.Tracks(tracks=[models.Track(**asdict(t)) for t in remote.tracks(desk)])


def _runs(desk: Desk, asked: models.Most) -> models.Runs:
    return models.Runs(runs=[
        models.Run(
            number=r.number, began_at=r.began_at.isoformat(), start_samples=r.start, samples=r.samples,
            rate_hz=r.rate_hz, dropouts=len(r.dropouts), rating=r.rating, message=r.message, recovered=r.recovered,
        )
        for r in remote.runs(desk, asked.most)
    ])


def _roll(desk: Desk, _: models.Nothing) -> models.Done:
    return models.Done(state=transport.roll(desk, remote.open_one(desk)).state)


def _capture(desk: Desk, asked: models.Pressed) -> models.Done:
    return models.Done(state=transport.capture(desk, remote.open_one(desk), pressed=asked.pressed).state)


def _stop(desk: Desk, asked: models.Pressed) -> models.Done:
    return models.Done(state=transport.stop(desk, remote.open_one(desk), asked.pressed).status.state)


def _punch_out(desk: Desk, asked: models.Pressed) -> models.Done:
    return models.Done(state=transport.punch_out(desk, remote.open_one(desk), asked.pressed).state)


def _again(desk: Desk, asked: models.Pressed) -> models.Done:
    return models.Done(state=transport.again(desk, remote.open_one(desk), asked.pressed).state)


def _keep(desk: Desk, _: models.Nothing) -> models.Done:
    return models.Done(state=transport.keep_heard(desk, remote.open_one(desk)).state)


def _locate(desk: Desk, asked: models.Where) -> models.Done:
    if (asked.bar is None) == (asked.position_samples is None):
        raise Refusal("Say bar or position_samples, one of the two. Nothing was done.")
    session = remote.open_one(desk)
    if asked.bar is not None:
        return models.Done(state=transport.go_to_bar(desk, session, asked.bar).state)
    return models.Done(state=transport.locate(desk, session, asked.position_samples or 0).state)


def _pedal(desk: Desk, asked: models.Pedal) -> models.Done:
    return models.Done(state=remote.toggle(desk, asked.capture))


def _arm(desk: Desk, asked: models.Arm) -> models.Tracks:
    session = remote.open_one(desk)
    if asked.tracks:
        arming.arm_some(desk, session, asked.tracks, asked.armed)
    else:
        arming.arm_all(desk, session, asked.armed)
    return _tracks(desk, models.Nothing())


def _mark(desk: Desk, asked: models.Mark) -> models.Words:
    return models.Words(said=remote.mark(desk, asked.kind, asked.text, asked.author))


NO, PRESSED = models.Nothing, models.Pressed
COMMANDS = (
    Command("state", "GET", NO, models.State, "Where the transport of the open session is.", _state),
    Command("levels", "GET", NO, models.Levels, "What comes in at every input now.", _levels),
    Command("tracks", "GET", NO, models.Tracks, "The tracks, from the top.", _tracks),
    Command("runs", "GET", models.Most, models.Runs, "What was captured, the newest first.", _runs),
    Command("roll", "POST", NO, models.Done, "The timeline moves.", _roll),
    Command("capture", "POST", PRESSED, models.Done, "Captures the armed tracks, as Capture is set.", _capture),
    Command("stop", "POST", PRESSED, models.Done, "Stops whatever goes on; what was captured is kept.", _stop),
    Command("punch-out", "POST", PRESSED, models.Done, "What is captured ends; the timeline rolls on.", _punch_out),
    Command("again", "POST", PRESSED, models.Done, "Ends what is captured, goes back, captures once more.", _again),
    Command("keep-heard", "POST", NO, models.Done, "Makes takes of what came in during the last half minute.", _keep),
    Command("locate", "POST", models.Where, models.Done, "Goes somewhere on the timeline.", _locate),
    Command("pedal", "POST", models.Pedal, models.Done, "Starts what is stopped, and stops what goes on.", _pedal),
    Command("arm", "POST", models.Arm, models.Tracks, "Arms tracks, or takes them off.", _arm),
    Command("mark", "POST", models.Mark, models.Words, "A marker, note or mishap where the timeline is.", _mark),
)


def _view(command: Command) -> Callable[[], Response]:
    def view() -> Response:
        if command.method == "GET":
            asked = command.asks.model_validate(request.args.to_dict())
        else:
            asked = command.asks.model_validate_json(request.get_data() or b"{}")
        return Response(command.does(desk(), asked).model_dump_json(), content_type="application/json")

    return view


for _each in COMMANDS:
    blueprint.add_url_rule(f"/{_each.name}", _each.name.replace("-", "_"), _view(_each), methods=[_each.method])


def refused(message: str, status: int) -> Response:
    """What cannot be done, as this API says it."""
    return Response(json.dumps({"refused": message}), status, content_type="application/json")
