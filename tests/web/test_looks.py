"""Contrast of the theme's colours where they meet (WCAG 2.2: 4.5 to 1 for text, 3 to 1 for marks)."""

import re
from pathlib import Path

import pytest

from cattailer.web import app

SHEET = Path(app.__file__).parent / "styles" / "app.css"


def tokens(theme: str) -> dict[str, str]:
    text = SHEET.read_text()
    block = re.search(r':root\[data-theme="night"\] \{(.*?)\}' if theme == "night" else r":root \{(.*?)\}", text, re.S)
    assert block
    return dict(re.findall(r"--([\w-]+): (#[0-9A-Fa-f]{6})", block[1]))


def luminance(colour: str) -> float:
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    linear = [p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast(a: str, b: str) -> float:
    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("theme", ["day", "night"])
def test_text_can_be_read(theme: str) -> None:
    colours = tokens(theme)
    for ink in ("ink", "soft", "water", "reed", "ochre", "vermilion"):
        for paper in ("paper", "raised", "band"):
            assert contrast(colours[ink], colours[paper]) >= 4.5, (ink, paper)
    for strong in ("vermilion", "ochre", "cattail"):
        assert contrast(colours["on-strong"], colours[strong]) >= 4.5, strong
    for mark in ("soft", "vermilion", "water"):
        assert contrast(colours[mark], colours["lane"]) >= 3, mark
