"""Timing: measured round trips, and a buffer each for tracking and mixing"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0004'
down_revision = '0003'


def upgrade() -> None:
    op.add_column('sessions', sa.Column('mixing_period', sa.Integer(), nullable=False, server_default=sa.text("1024")))
    op.add_column('sessions', sa.Column('mixing', sa.Boolean(), nullable=False, server_default=sa.text("false")))
    op.add_column('sessions', sa.Column('tracking_period', sa.Integer(), nullable=False, server_default=sa.text("128")))
    op.add_column('sessions', sa.Column(
        'clicking', postgresql.JSONB(astext_type=sa.Text()), nullable=False, server_default=sa.text("'{}'")))
    op.execute("UPDATE sessions SET tracking_period = period")
    for name in ('mixing_period', 'mixing', 'tracking_period', 'clicking'):
        op.alter_column('sessions', name, server_default=None)
    op.create_table(
        'round_trips',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('interface', sa.String(), nullable=False),
        sa.Column('rate_hz', sa.Integer(), nullable=False),
        sa.Column('period', sa.Integer(), nullable=False),
        sa.Column('way', sa.String(), nullable=False),
        sa.Column('measured_samples', sa.Float(), nullable=False),
        sa.Column('spread_samples', sa.Float(), nullable=False),
        sa.Column('confidence', sa.Float(), nullable=False),
        sa.Column('inverted', sa.Boolean(), nullable=False),
        sa.Column('claimed_samples', sa.Integer(), nullable=False),
        sa.Column('used', sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_round_trips')),
    )
    op.create_index(op.f('ix_round_trips_interface'), 'round_trips', ['interface'])
