"""Letting a device in, knowing it again, and putting it out."""

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from threading import Barrier, Thread

import pytest
import sqlalchemy as sa

from cattailer.core.access.roles import Device, Role
from cattailer.core.errors import NotFound, Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.guests import MOST_OFFERS, Guests
from cattailer.store.access import DeviceKey, PairingCode

pytestmark = pytest.mark.without_engine

pytestmark = pytest.mark.without_engine
PHONE = "192.168.1.7"


@pytest.fixture
def guests(desk: Desk) -> Iterator[Guests]:
    yield Guests(desk, "secret")


def come(guests: Guests, said: str, openly: bool = False, address: str = PHONE) -> tuple[Device, str]:
    return guests.come_in(said, "", address, openly)


def test_a_code_is_good_once_and_its_device_is_known_again(desk: Desk, guests: Guests) -> None:
    offer = guests.offer(Role.ASSISTANT, "Lena’s tablet", "Cue band")
    assert guests.is_good(offer.link)
    device, text = come(guests, f"{offer.code[:3]} {offer.code[3:]}")
    assert (device.name, device.role, device.mix, device.address) == ("Lena’s tablet", Role.ASSISTANT, "", PHONE)
    assert not guests.is_good(offer.link)
    found = guests.who(text, PHONE)
    assert found is not None
    assert found.id == device.id
    for said in (offer.code, offer.link):
        with pytest.raises(Refusal, match="not good"):
            come(guests, said)
    again = Guests(desk, "secret")
    assert again.who(text, PHONE) is None, "nothing was read yet"
    again.refresh()
    assert again.who(text, PHONE) is not None, "after a restart"


def test_the_link_is_good_once_too(guests: Guests) -> None:
    offer = guests.offer(Role.ENGINEER)
    assert come(guests, offer.link)[0].role is Role.ENGINEER
    with pytest.raises(Refusal, match="not good"):
        come(guests, offer.code)


def test_after_two_minutes_a_code_is_not_good_any_more(desk: Desk, guests: Guests) -> None:
    offer = guests.offer(Role.ENGINEER)
    with desk.database.transaction() as db:
        db.execute(sa.update(PairingCode).values(made_at=datetime.now(UTC) - timedelta(seconds=121)))
    with pytest.raises(Refusal, match="not good"):
        come(guests, offer.code)


def test_of_two_who_use_a_code_at_once_one_comes_in(desk: Desk, guests: Guests) -> None:
    for _ in range(5):
        offer, ready, came = guests.offer(Role.ENGINEER), Barrier(2), list[Device]()

        def use(code: str = offer.code, ready: Barrier = ready, came: list[Device] = came) -> None:
            ready.wait()
            try:
                came.append(come(Guests(desk, "secret"), code)[0])
            except Refusal:
                return

        both = [Thread(target=use) for _ in range(2)]
        for each in both:
            each.start()
        for each in both:
            each.join()
        assert len(came) == 1


def test_what_is_said_openly_lets_players_in_only_and_spoils_other_codes(guests: Guests) -> None:
    player = guests.offer(Role.PLAYER, "", "Cue band")
    assert come(guests, player.code, openly=True)[0].mix == "Cue band"
    engineer = guests.offer(Role.ENGINEER)
    with pytest.raises(Refusal, match="HTTPS only"):
        come(guests, engineer.code, openly=True)
    with pytest.raises(Refusal, match="not good"):
        come(guests, engineer.code)


def test_tries_are_limited_and_a_link_is_not_counted(guests: Guests) -> None:
    offer = guests.offer(Role.ENGINEER)
    wrong = "000000" if offer.code != "000000" else "000001"
    for _ in range(5):
        with pytest.raises(Refusal, match="not good"):
            come(guests, wrong)
    with pytest.raises(Refusal, match="Too many codes") as why:
        come(guests, offer.code)
    assert why.value.status == 429
    assert come(guests, offer.link)[0].role is Role.ENGINEER, "nobody can guess that"


def test_secrets_are_nowhere_in_the_database(desk: Desk, guests: Guests) -> None:
    offer = guests.offer(Role.ENGINEER)
    _, text = come(guests, guests.offer(Role.ENGINEER).code)
    with desk.database.engine.connect() as connection:
        kept = str([*connection.execute(sa.select(DeviceKey)), *connection.execute(sa.select(PairingCode))])
    assert not any(secret in kept for secret in (offer.code, offer.link, text))


def test_whoever_is_put_out_is_out_at_once_here_and_elsewhere(desk: Desk, guests: Guests) -> None:
    out, other = list[int](), Guests(desk, "secret")
    other.gone = out.append
    device, text = come(guests, guests.offer(Role.ENGINEER).code)
    other.refresh()
    assert other.who(text, PHONE) is not None
    guests.put_out(device.id)
    assert guests.who(text, PHONE) is None
    other.refresh()
    assert (other.who(text, PHONE), out) == (None, [device.id])
    with pytest.raises(NotFound):
        guests.put_out(device.id)


@pytest.mark.parametrize("text", ["", "x", "WzEsIngiXQ.x", "é", "[1]", "a" * 5000])
def test_what_nobody_signed_is_nobodys(guests: Guests, text: str) -> None:
    come(guests, guests.offer(Role.ENGINEER).code)
    assert guests.who(text, PHONE) is None


def test_a_pass_that_another_studio_signed_is_nobodys(desk: Desk, guests: Guests) -> None:
    _, text = come(guests, guests.offer(Role.ENGINEER).code)
    other = Guests(desk, "another secret")
    other.refresh()
    assert other.who(text, PHONE) is None


def test_the_shared_key_lets_browsers_in_as_often_as_they_like(desk: Desk, tmp_path: Path) -> None:
    file = tmp_path / "shared.key"
    file.write_text("0123456789abcdef0123456789abcdef\n")
    guests = Guests(desk, "secret", file)
    assert {come(guests, file.read_text())[0].role for _ in range(2)} == {Role.ENGINEER}
    file.unlink()
    with pytest.raises(Refusal, match="not good"):
        come(guests, "0123456789abcdef0123456789abcdef")
    with pytest.raises(Refusal, match="not good"):
        come(guests, "")


def test_what_cannot_be_offered_is_told(guests: Guests) -> None:
    with pytest.raises(Refusal, match="choose which"):
        guests.offer(Role.PLAYER)
    with pytest.raises(Refusal, match="80 is the most"):
        guests.offer(Role.ENGINEER, "x" * 81)
    with pytest.raises(Refusal, match="engineer or an assistant"):
        guests.make_key(Role.PLAYER, "")
    for _ in range(MOST_OFFERS):
        guests.offer(Role.ENGINEER)
    with pytest.raises(Refusal, match="good already"):
        guests.offer(Role.ENGINEER)
