"""What is counted in is kept before takes; media converted from others; the click is silent in stretches"""

import sqlalchemy as sa
from alembic import op

revision = '0005'
down_revision = '0004'


def upgrade() -> None:
    op.add_column('takes', sa.Column('head_id', sa.Integer(), nullable=True))
    op.add_column('takes', sa.Column('head_open', sa.Integer(), nullable=False, server_default=sa.text("0")))
    op.alter_column('takes', 'head_open', server_default=None)
    op.create_foreign_key(op.f('fk_takes_head_id'), 'takes', 'media', ['head_id'], ['id'], ondelete='SET NULL')
    for name in ('period', 'round_trip_samples', 'claimed_samples'):
        op.add_column('runs', sa.Column(name, sa.Integer(), nullable=False, server_default=sa.text("0")))
        op.alter_column('runs', name, server_default=None)
    for name in ('range_start', 'range_stop'):
        op.add_column('sessions', sa.Column(name, sa.BigInteger(), nullable=False, server_default=sa.text("0")))
        op.alter_column('sessions', name, server_default=None)
    op.add_column('sessions', sa.Column('looping', sa.Boolean(), nullable=False, server_default=sa.text("false")))
    op.alter_column('sessions', 'looping', server_default=None)
    op.add_column('media', sa.Column('original_id', sa.Integer(), nullable=True))
    op.create_index(op.f('ix_media_original_id'), 'media', ['original_id'])
    op.create_foreign_key(
        op.f('fk_media_original_id'), 'media', 'media', ['original_id'], ['id'], ondelete='CASCADE')
    op.execute(
        "UPDATE sessions SET clicking = clicking - 'stops_at_bar' || CASE WHEN (clicking->>'stops_at_bar')::int > 0 "
        "THEN jsonb_build_object('silences', jsonb_build_array(jsonb_build_array(clicking->'stops_at_bar', 0))) "
        "ELSE '{}'::jsonb END WHERE clicking ? 'stops_at_bar'"
    )
