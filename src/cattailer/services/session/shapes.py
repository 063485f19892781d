"""Sessions from shapes, and shapes of sessions."""

from dataclasses import asdict

from sqlalchemy import orm

from cattailer.core.mix.cells import Cell
from cattailer.core.naming import safe_part
from cattailer.core.patch.ends import EVERYWHERE, end_of, group_end, mix_end, return_end, track_end
from cattailer.core.patch.shape import Shape
from cattailer.services.desk.desk import Desk
from cattailer.services.session.rows import INPUT_FIELDS, patch_of
from cattailer.store.models import Group, Input, Mix, Return, Route, Session, Track


def shape_of(session: Session) -> Shape:
    """The session without its takes."""
    return Shape(
        session.interface, session.rate_hz, session.period, session.bits, session.tempo, patch_of(session).bare(),
        session.click, session.name_pattern, (session.window_dbfs[0], session.window_dbfs[1]),
        {k: v for k, v in session.clicking.items() if k != "mixes"}, session.guides,
    )


def build(desk: Desk, db: orm.Session, title: str, shape: Shape, code: str = "") -> Session:
    """A new session in that shape, with a row for every socket of its interface and a main mix."""
    patch = shape.patch
    rows = {i.socket: i for i in patch.inputs}
    count = desk.profile_or_blank(shape.interface).inputs
    session = Session(
        title=title, folder=f"new-{id(object())}-{title}", interface=shape.interface, rate_hz=shape.rate_hz,
        period=shape.period, tracking_period=shape.period,
        mixing_period=min(desk.profile_or_blank(shape.interface).buffers or (1024,), key=lambda b: abs(b - 1024)),
        bits=shape.bits, tempo=shape.tempo, click=shape.click, code=code,
        name_pattern=shape.name_pattern, window_dbfs=list(shape.window_dbfs), clicking=shape.clicking,
        guides=shape.guides,
        inputs=[
            Input(socket=n, **({k: v for k, v in asdict(rows[n]).items() if k in INPUT_FIELDS} if n in rows else {}))
            for n in sorted({*range(1, count + 1), *rows})
        ],
    )
    db.add(session)
    groups = {
        g.key: Group(place=n, name=g.name, fader_db=g.fader_db, muted=g.muted, effects=g.effects.to_dict())
        for n, g in enumerate(patch.groups, 1)
    }
    returns = {
        r.key: Return(place=n, name=r.name, fader_db=r.fader_db, muted=r.muted, effects=r.effects.to_dict())
        for n, r in enumerate(patch.returns, 1)
    }
    mixes = {
        m.key: Mix(
            place=n, name=m.name, kind=m.kind, outputs=list(m.outputs), fader_db=m.fader_db, after_fader=m.after_fader,
            forward_db=m.forward_db, limit_dbfs=m.limit_dbfs, limit_by=m.limit_by,
        )
        for n, m in enumerate(patch.mixes, 1)
    } or {mix_end(0): Mix(place=1, name="Main mix", kind="main", outputs=[1, 2])}
    session.groups, session.returns, session.mixes = list(groups.values()), list(returns.values()), list(mixes.values())
    db.flush()
    new = {key: group_end(g.id) for key, g in groups.items()} | {key: mix_end(m.id) for key, m in mixes.items()}
    new |= {**{end: end for end in EVERYWHERE}, **{key: return_end(r.id) for key, r in returns.items()}}
    ids: dict[int, int] = {}
    for place, t in enumerate(patch.tracks, 1):
        feeds = [f.replace(end_of(f), new[end_of(f)]) if end_of(f) in new else f for f in t.feeds]
        track = Track(
            place=place, name=t.name, feeds=feeds, fader_db=t.fader_db, pan=t.pan, colour=t.colour, icon=t.icon,
            note=t.note, window_dbfs=list(t.window), muted=t.muted, listen_path=t.listen.path,
            listen_when=t.listen.when, listen_point=t.listen.point, live_db=t.live_db, playback_db=t.playback_db,
            effects=t.effects.to_dict(), prints=t.prints, width_percent=t.width_percent, balance_db=t.balance_db,
        )
        session.tracks.append(track)
        db.flush()
        new[t.key], ids[t.id] = track_end(track.id), track.id
    for m in patch.mixes:
        mixes[m.key].own = [ids[t] for t in m.own if t in ids]
    cells = {c.route: c for c in patch.cells}
    ways = dict.fromkeys((*patch.routes, *(c.route for c in patch.cells if c.start in EVERYWHERE)))
    session.routes = [_route(cells.get(way) or Cell(*way), new) for way in ways if way[0] in new and way[1] in new]
    session.folder = f"{safe_part(title, 40)}-{session.id}"
    db.flush()
    return session


def _route(cell: Cell, new: dict[str, str]) -> Route:
    """``new`` has the keys of the new session, by those of the shape."""
    kept = {k: v for k, v in asdict(cell).items() if k not in ("start", "target")}
    return Route(start=new[cell.start], target=new[cell.target], **kept)
