"""Pictures of what templates hold."""

from cattailer.core.flowpicture import Picture, draw
from cattailer.core.routing import flow
from cattailer.services import templates
from cattailer.services.desk import Desk


def of_templates(desk: Desk) -> dict[str, Picture]:
    """The signal flow of every template, by key."""
    return {
        card.key: draw(flow(card.shape.patch, desk.profile_or_blank(card.shape.interface)), 300.0)
        for card in templates.cards(desk)
    }
