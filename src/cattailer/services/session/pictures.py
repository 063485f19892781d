"""Pictures of what templates hold."""

from cattailer.core.patch.flowpicture import Picture, draw
from cattailer.core.patch.routing import flow
from cattailer.services.desk.desk import Desk
from cattailer.services.session import templates


def of_templates(desk: Desk) -> dict[str, Picture]:
    """The signal flow of every template, by key."""
    return {
        card.key: draw(flow(card.shape.patch, desk.profile_or_blank(card.shape.interface)), 300.0)
        for card in templates.cards(desk)
    }
