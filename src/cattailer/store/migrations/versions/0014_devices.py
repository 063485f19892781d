"""Devices that have a key, and codes that let one in"""

import sqlalchemy as sa
from alembic import op

revision = '0014'
down_revision = '0013'


def upgrade() -> None:
    op.create_table(
        'device_keys',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('name', sa.String(), nullable=False),
        sa.Column('role', sa.String(), nullable=False),
        sa.Column('mix', sa.String(), nullable=False),
        sa.Column('secret_hash', sa.String(), nullable=False),
        sa.Column('address', sa.String(), nullable=False),
        sa.Column('made_at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('seen_at', sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint('id', name='pk_device_keys'),
    )
    op.create_table(
        'pairing_codes',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('role', sa.String(), nullable=False),
        sa.Column('mix', sa.String(), nullable=False),
        sa.Column('name', sa.String(), nullable=False),
        sa.Column('code_hash', sa.String(), nullable=False),
        sa.Column('link_hash', sa.String(), nullable=False),
        sa.Column('made_at', sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint('id', name='pk_pairing_codes'),
    )
    op.create_index('ix_pairing_codes_code_hash', 'pairing_codes', ['code_hash'])
    op.create_index('ix_pairing_codes_link_hash', 'pairing_codes', ['link_hash'])
