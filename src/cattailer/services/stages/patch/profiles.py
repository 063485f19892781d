"""Profiles of people's own interfaces."""

import re
from pathlib import Path

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.gear.interface import Profile
from cattailer.media import profile_toml
from cattailer.services.desk.desk import Desk


def keep_profile(desk: Desk, filename: str, data: bytes) -> Profile:
    """An uploaded profile, checked and kept beside the others. Raises Refusal with line and key."""
    if desk.profiles_folder is None:
        raise NotNow("Profiles cannot be kept on this machine. Nothing was changed.")
    if len(data) > profile_toml.MOST_BYTES:
        raise Refusal("A profile is a short text file (64 kB is the most). Nothing was kept.", 413)
    key = re.sub(r"[^a-z0-9]+", "-", Path(filename).stem.lower()).strip("-")[:40]
    if not profile_toml.KEY.fullmatch(key):
        raise Refusal("Give the file a name of letters and digits, such as my-interface.toml. Nothing was kept.")
    if key in profile_toml.shipped():
        raise NotNow("A profile of that name comes with Cattailer; give the file another name. Nothing was kept.")
    try:
        text = data.decode("utf-8-sig")
        profile = profile_toml.parse(text, key)
    except UnicodeDecodeError as why:
        raise Refusal("The file is not UTF-8 text. Nothing was kept.") from why
    except profile_toml.ProfileError as why:
        raise Refusal(f"{why} Nothing was kept.") from why
    desk.profiles_folder.mkdir(parents=True, exist_ok=True)
    fresh = desk.profiles_folder / f".{key}.new"
    fresh.write_text(text, "utf-8")
    fresh.replace(desk.profiles_folder / f"{key}.toml")
    return profile
