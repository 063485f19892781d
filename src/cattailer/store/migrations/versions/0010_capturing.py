"""How a session captures; passes, ratings and checks of runs; the bin; marks"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = '0010'
down_revision = '0009'


def _text(table: str, name: str, default: str = '') -> None:
    op.add_column(table, sa.Column(name, sa.String(), nullable=False, server_default=default))


def _flag(table: str, name: str) -> None:
    op.add_column(table, sa.Column(name, sa.Boolean(), nullable=False, server_default='false'))


def upgrade() -> None:
    op.add_column('sessions', sa.Column('capturing', pg.JSONB(), nullable=False, server_default='{}'))
    _flag('tracks', 'locked')
    for name in ('roll', 'over', 'rating', 'verified'):
        _text('runs', name)
    op.add_column('runs', sa.Column('waved', pg.ARRAY(sa.Text()), nullable=False, server_default='{}'))
    op.add_column('runs', sa.Column('pass_number', sa.Integer(), nullable=False, server_default='1'))
    op.execute("UPDATE runs SET roll = uuid, verified = 'earlier'")
    op.create_index('ix_runs_roll', 'runs', ['roll'])
    op.add_column('takes', sa.Column('lead_out_id', sa.Integer(), sa.ForeignKey('media.id', ondelete='SET NULL')))
    _flag('takes', 'binned')
    op.add_column('takes', sa.Column('binned_by', sa.Integer()))
    op.add_column('takes', sa.Column('cuts', pg.JSONB(), nullable=False, server_default='[]'))
    op.create_table(
        'marks',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('session_id', sa.Integer(), sa.ForeignKey('sessions.id', ondelete='CASCADE'), nullable=False),
        sa.Column('at', sa.BigInteger(), nullable=False),
        sa.Column('rate_hz', sa.Integer(), nullable=False),
        sa.Column('kind', sa.String(), nullable=False),
        sa.Column('text', sa.String(), nullable=False),
        sa.Column('author', sa.String(), nullable=False),
        sa.Column('run', sa.String(), nullable=False),
        sa.Column('made_at', sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index('ix_marks_session_id', 'marks', ['session_id'])
    op.create_index('ix_marks_run', 'marks', ['run'])
