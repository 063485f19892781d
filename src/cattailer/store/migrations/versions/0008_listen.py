"""What ears get: levels of routes, returns, listening, effects, limits"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = '0008'
down_revision = '0007'


def _add(table: str, *columns: sa.Column[Any]) -> None:
    for column in columns:
        op.add_column(table, column)


def _db(name: str) -> sa.Column[Any]:
    return sa.Column(name, sa.Float(), nullable=False, server_default='0')


def _flag(name: str, default: str = 'false') -> sa.Column[Any]:
    return sa.Column(name, sa.Boolean(), nullable=False, server_default=default)


def _text(name: str, default: str = '') -> sa.Column[Any]:
    return sa.Column(name, sa.String(), nullable=False, server_default=default)


def _effects() -> sa.Column[Any]:
    return sa.Column('effects', pg.JSONB(), nullable=False, server_default='{}')


def upgrade() -> None:
    op.create_table(
        'returns',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('session_id', sa.Integer(), sa.ForeignKey('sessions.id', ondelete='CASCADE'), nullable=False),
        sa.Column('place', sa.Integer(), nullable=False),
        sa.Column('name', sa.String(), nullable=False),
        _db('fader_db'), _flag('muted'), _effects(),
    )
    op.create_index('ix_returns_session_id', 'returns', ['session_id'])
    _add('sessions', _text('alone'))
    _add('tracks', _flag('muted'), _flag('soloed'), _text('listen_path', 'through'), _text('listen_when', 'auto'),
         _text('listen_point', 'channel'), _db('live_db'), _db('playback_db'), _effects())
    _add('groups', _flag('muted'), _flag('soloed'), _effects())
    _add('mixes', _flag('after_fader', 'true'), _db('forward_db'),
         sa.Column('own', pg.ARRAY(sa.Integer()), nullable=False, server_default='{}'), sa.Column('limit_dbfs', sa.Float()))
    _add('routes', _db('level_db'), sa.Column('pan', sa.Float()), _flag('muted'), _text('path'), _text('when'), _text('point'))
