"""The shell of every stage page."""

from flask import render_template

from cattailer.core.stages import STAGES
from cattailer.services.running.frame import Frame


def render(stage: str, frame: Frame, view: str = "", again: bool = False, **shown: object) -> str:
    """A stage's page, or with ``again`` only what a refresh fetches: rows, Deck and stage line.

    ``view`` is the page within the stage, where it has several; ``shown`` is what its templates need beside the frame.
    """
    template = f"{stage}/refresh.html" if again else f"{stage}/stage.html"
    return render_template(
        template, frame=frame, deck=frame.deck, stage=stage, stages=STAGES, view=view, **shown
    )
