"""Guide notes; tracks that print their effects"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = '0009'
down_revision = '0008'


def upgrade() -> None:
    op.add_column('sessions', sa.Column('guides', pg.JSONB(), nullable=False, server_default='[]'))
    op.add_column('tracks', sa.Column('prints', sa.Boolean(), nullable=False, server_default='false'))
    op.add_column('takes', sa.Column('printed', sa.Boolean(), nullable=False, server_default='false'))
