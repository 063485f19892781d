"""Started as root: what is handed over to a user of its own, and what is refused."""

import os
import pwd
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest

from cattailer.core.errors import Refusal
from cattailer.processes import home as homes
from cattailer.processes import ownuser
from tests.helpers.studio import home_of_its_own

pytestmark = pytest.mark.skipif(os.geteuid() != 0, reason="only root hands anything over")


@pytest.fixture
def home(monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    made = home_of_its_own()
    monkeypatch.setenv("CATTAILER_HOME", str(made))
    monkeypatch.delenv("SUDO_USER", raising=False)
    yield made
    shutil.rmtree(made)


@pytest.fixture
def user() -> pwd.struct_passwd:
    return ownuser._system_user(lambda _: None)


def test_everything_of_ours_is_handed_over_and_no_link_is_followed(home: Path, user: pwd.struct_passwd) -> None:
    elsewhere = home_of_its_own()
    (elsewhere / "secret").write_text("x")
    (home / "media" / "Song").mkdir(parents=True)
    (home / "media" / "Song" / "a.wav").write_text("x")
    (home / "media" / "out").symlink_to(elsewhere)
    (home / "logs").symlink_to(elsewhere)
    ownuser._hand_over(home, user)
    for path in (home, home / "media", home / "media" / "Song", home / "media" / "Song" / "a.wav", home / "logs"):
        assert path.lstat().st_uid == user.pw_uid, path
    for path in (elsewhere, elsewhere / "secret"):
        assert path.stat().st_uid == 0, path
    shutil.rmtree(elsewhere)


def test_a_folder_that_holds_other_things_is_nobody_elses(home: Path, user: pwd.struct_passwd) -> None:
    (home / "thesis.txt").write_text("x")
    with pytest.raises(Refusal, match="holds other things"):
        ownuser._hand_over(home, user)
    assert home.stat().st_uid == 0
    (home / "link").symlink_to("/")
    with pytest.raises(Refusal, match="no folder"):
        ownuser._hand_over(home / "link", user)
    with pytest.raises(Refusal, match="cannot be written"):
        ownuser._hand_over(Path("/proc/nowhere"), user)


def test_what_it_could_not_get_to_is_told(home: Path, user: pwd.struct_passwd) -> None:
    (home / "in").mkdir()
    (home / "file").write_text("x")
    for closed, path in ((home, home / "in"), (home / "file", home / "file")):
        closed.chmod(0o700)
        with pytest.raises(Refusal, match=f"{closed} is closed to others"):
            ownuser.check_reach(user, [path])
        closed.chmod(0o755)
        ownuser.check_reach(user, [path])


def test_a_studio_that_root_made_is_not_passed_over(
    home: Path, user: pwd.struct_passwd, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.delenv("CATTAILER_HOME")
    monkeypatch.setenv("XDG_STATE_HOME", str(home))
    monkeypatch.setattr(homes, "STATE", home / "own")
    monkeypatch.setattr(ownuser, "STATE", home / "own")
    (home / "cattailer").mkdir()
    (home / "cattailer" / "media.id").write_text("x")
    with pytest.raises(Refusal, match="Move it once") as why:
        ownuser._home_of(user)
    assert f"mv {home}/cattailer {home}/own" in why.value.message
    (home / "cattailer").rename(home / "own")
    assert ownuser._home_of(user) == home / "own"
