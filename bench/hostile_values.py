"""Values that nobody in their right mind types, plain ones between them, and the database table by table."""

import random

import sqlalchemy as sa

from cattailer.store.base import Base
from cattailer.store.database import Database

HOSTILE = [
    "", " ", "0", "-1", "1.5", "NaN", "inf", "-inf", "1e400", "2147483647", "2147483648", "9" * 30, "9" * 5000, "٣", "0x10",
    "\x00", "a\x00b", "\ufffe", "\ufdd0", "\U0001fffe", "\u202e", "😀" * 50, "x" * 19_999, "x" * 30_000, "true", "null", "[]", "{}",
    "[" * 3000, "{\"a\":" * 500, "1,2,3", ",,,", "../../etc/passwd", "/dev/full", "' OR 1=1 --", "{{7*7}}", "<script>x</script>",
    "=1+1", "%s%n", "100000", "1000000000", "1.1.1.1", "1 | 2", "-0", "+5 dB", "−3", "a=" + "[" * 2000, "a = " + "1" * 6000,
]
PLAIN = [
    "1", "2", "3", "4", "8", "12", "track:1", "mix:1", "mix:2", "group:1", "in:1", "true", "false", "on", "main", "cue",
    "bars", "time", "Fiddle", "now", "sound", "48000", "44100", "128", "512", "-6", "0.5", "good", "all", "120", "off",
]


def value(rng: random.Random) -> str:
    return rng.choice(HOSTILE if rng.random() < 0.5 else PLAIN)


def image(database: Database) -> dict[str, str]:
    """Every table as one number; without when devices were last seen, which is no work of theirs."""
    with database.engine.connect() as connection:
        return {
            table.name: str(connection.scalar(
                sa.text(f"SELECT md5(coalesce(string_agg(t::text, '|' ORDER BY t::text), '')) FROM {table.name} t")
            ))
            for table in Base.metadata.sorted_tables if table.name != "device_keys"
        }


def changed(before: dict[str, str], now: dict[str, str]) -> list[str]:
    """Which tables are not as they were."""
    return [name for name in now if now[name] != before.get(name)]
