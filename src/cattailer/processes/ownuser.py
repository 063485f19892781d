"""Started as root, Cattailer works as a user of its own: what answers the network must not own the machine.

By ``sudo`` that is whoever called it; otherwise the system user ``cattailer``, which is made. Its home is handed over
to it: only what Cattailer made there itself, and no link is followed. """

import os
import pwd
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

from cattailer.core.errors import Refusal
from cattailer.processes import home as homes
from cattailer.processes.home import STATE

NAME = "cattailer"
OURS = ("db", "media", "profiles", "logs", "keys", "cache", "media.id", "serve.lock", ".engine.lock")
"""What Cattailer makes in its home."""


def settle(say: Callable[[str], None]) -> None:
    """Not as root any more, from here on. Raises Refusal where that cannot be."""
    if os.geteuid() != 0:
        return
    called_by = homes.called_by()
    user = pwd.getpwnam(called_by) if called_by else _system_user(say)
    home = _home_of(user)
    check_reach(user, [Path(__file__), Path(os.path.realpath("/proc/self/exe"))])
    if home is not None:
        _hand_over(home, user)
        check_reach(user, [home])
    os.initgroups(user.pw_name, user.pw_gid)
    os.setgid(user.pw_gid)
    os.setuid(user.pw_uid)
    os.environ |= {"HOME": user.pw_dir, "USER": user.pw_name, "LOGNAME": user.pw_name}
    os.environ.setdefault("NUMBA_CACHE_DIR", str(homes.find().root / "cache"))
    os.environ.pop("XDG_STATE_HOME", None)
    os.environ.pop("XDG_CACHE_HOME", None)
    say(f"Started as root; works as the user {user.pw_name}, in {homes.find().root}")


def _system_user(say: Callable[[str], None]) -> pwd.struct_passwd:
    """Raises Refusal."""
    try:
        return pwd.getpwnam(NAME)
    except KeyError:
        pass
    program = shutil.which("useradd", path="/usr/sbin:/sbin:/usr/bin")
    command = [
        program or "useradd", "--system", "--user-group", "--no-create-home", "--home-dir", str(STATE), "--shell",
        "/usr/sbin/nologin", NAME,
    ]
    made = subprocess.run(command, capture_output=True, text=True, check=False) if program else None
    try:
        user = pwd.getpwnam(NAME)
    except KeyError:
        why = made.stderr.strip() if made else "there is no useradd"
        raise Refusal(
            f"Started as root, Cattailer needs a user of its own, which cannot be made ({why}). Start it as yourself."
        ) from None
    say(f"Made the system user {NAME}, for what answers the network.")
    return user


def _home_of(user: pwd.struct_passwd) -> Path | None:
    """Where that user keeps Cattailer's home; None where it makes it by itself. Raises Refusal where root has one
    already that nobody else can reach."""
    if os.environ.get("CATTAILER_HOME"):
        return homes.find().root
    if user.pw_name != NAME:
        return None
    before = homes.find().root
    if (before / "media.id").exists() and not STATE.exists():
        raise Refusal(
            f"A studio that root made is in {before}, where the user {NAME} cannot reach it. Nothing was changed. "
            f"Move it once, then start again:\n  mv {before} {STATE}"
        )
    os.environ["CATTAILER_HOME"] = str(STATE)
    return STATE


def check_reach(user: pwd.struct_passwd, paths: list[Path]) -> None:
    """Raises Refusal for what that user cannot get to."""
    for path in paths:
        for folder in [*reversed(path.parents), path]:
            if not _may(user, folder, 0o4 if folder.is_file() else 0o1):
                raise Refusal(
                    f"Started as root, Cattailer works as the user {user.pw_name}, who cannot get to {path}: "
                    f"{folder} is closed to others. Put it where others can read it (and CATTAILER_HOME too), or start "
                    "it as yourself. In a container in which nothing else lives, --as-root lets it stay root."
                )


def _may(user: pwd.struct_passwd, path: Path, right: int) -> bool:
    """Whether that user may read (4) or enter (1) it."""
    found = path.stat()
    if found.st_uid == user.pw_uid:
        return bool(found.st_mode & right << 6)
    if found.st_gid in os.getgrouplist(user.pw_name, user.pw_gid):
        return bool(found.st_mode & right << 3)
    return bool(found.st_mode & right)


def _hand_over(home: Path, user: pwd.struct_passwd) -> None:
    """Raises Refusal for a folder that is no home of Cattailer's, or cannot be made."""
    try:
        home.mkdir(mode=0o700, parents=True, exist_ok=True)
    except OSError as why:
        raise homes.cannot_be_written(home, why) from why
    found = home.lstat()
    if home.is_symlink() or not home.is_dir():
        raise Refusal(f"CATTAILER_HOME is {home}, which is no folder. Choose another; nothing was changed.")
    within = {path.name for path in home.iterdir()}
    if found.st_uid not in (0, user.pw_uid) or within - {*OURS, ".probe"}:
        if found.st_uid == user.pw_uid:
            return
        raise Refusal(
            f"{home} holds other things than Cattailer's, so it is not handed over to the user {user.pw_name}. Set "
            "CATTAILER_HOME to a folder of its own; nothing was changed."
        )
    os.chown(home, user.pw_uid, user.pw_gid, follow_symlinks=False)
    for name in within & set(OURS):
        _own(home / name, user)


def _own(path: Path, user: pwd.struct_passwd) -> None:
    """With all that is in it. Nothing is followed anywhere else."""
    os.chown(path, user.pw_uid, user.pw_gid, follow_symlinks=False)
    if path.is_symlink() or not path.is_dir():
        return
    for _, folders, files, handle in os.fwalk(path, follow_symlinks=False):
        for name in (*folders, *files):
            os.chown(name, user.pw_uid, user.pw_gid, dir_fd=handle, follow_symlinks=False)
