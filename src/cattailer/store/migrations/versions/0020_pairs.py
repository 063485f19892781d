"""A pair has a width and a balance"""

import sqlalchemy as sa
from alembic import op

revision = '0020'
down_revision = '0019'


def upgrade() -> None:
    for name, usual in (('width_percent', '100'), ('balance_db', '0')):
        op.add_column('tracks', sa.Column(name, sa.Float(), nullable=False, server_default=usual))
        op.alter_column('tracks', name, server_default=None)
