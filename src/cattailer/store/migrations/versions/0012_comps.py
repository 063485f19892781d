"""Comps, phrases and what people think of a take in a phrase"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = '0012'
down_revision = '0011'


def _ref(name: str, table: str) -> sa.Column[int]:
    return sa.Column(name, sa.Integer(), sa.ForeignKey(f'{table}.id', ondelete='CASCADE'), nullable=False)


def upgrade() -> None:
    op.create_table(
        'comps', sa.Column('id', sa.Integer(), primary_key=True), _ref('session_id', 'sessions'),
        _ref('track_id', 'tracks'), sa.Column('name', sa.String(), nullable=False),
        sa.Column('rate_hz', sa.Integer(), nullable=False), sa.Column('pieces', pg.JSONB(), nullable=False),
        sa.Column('roll', sa.String(), nullable=False), sa.Column('over_id', sa.Integer()),
        sa.Column('ticks', pg.ARRAY(sa.BigInteger()), nullable=False, server_default='{}'),
        sa.Column('made_at', sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        'phrases', sa.Column('id', sa.Integer(), primary_key=True), _ref('session_id', 'sessions'),
        sa.Column('start', sa.BigInteger(), nullable=False), sa.Column('stop', sa.BigInteger(), nullable=False),
        sa.Column('rate_hz', sa.Integer(), nullable=False), sa.Column('name', sa.String(), nullable=False),
    )
    op.create_table(
        'cell_marks', sa.Column('id', sa.Integer(), primary_key=True), _ref('session_id', 'sessions'),
        _ref('take_id', 'takes'), sa.Column('phrase', sa.Integer(), nullable=False),
        sa.Column('rating', sa.String(), nullable=False), sa.Column('note', sa.String(), nullable=False),
    )
    for table, column in (
        ('comps', 'session_id'), ('comps', 'track_id'), ('phrases', 'session_id'), ('cell_marks', 'session_id'),
        ('cell_marks', 'take_id'),
    ):
        op.create_index(f'ix_{table}_{column}', table, [column])
    op.create_index('ix_history_session_id_revision', 'history', ['session_id', 'revision'])
    op.create_index('ix_history_undone', 'history', ['session_id'], postgresql_where=sa.text("state = 'undone'"))
    op.add_column('tracks', sa.Column('comp_id', sa.Integer()))
    op.add_column('tracks', sa.Column('comp_before', sa.Integer()))
    op.add_column('tracks', sa.Column('together', sa.Integer()))
    for name in ('folded', 'goes_on'):
        op.add_column('runs', sa.Column(name, sa.Boolean(), nullable=False, server_default='false'))
    op.add_column('takes', sa.Column('moved_samples', sa.Integer(), nullable=False, server_default='0'))
    op.add_column('sessions', sa.Column('hearing', pg.JSONB(), nullable=False, server_default='{}'))
    op.add_column('sessions', sa.Column('spans_revision', sa.Integer(), nullable=False, server_default='1'))
