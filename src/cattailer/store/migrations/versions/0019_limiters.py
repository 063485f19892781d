"""A mix's limiter says how it looks for peaks"""

import sqlalchemy as sa
from alembic import op

revision = '0019'
down_revision = '0018'


def upgrade() -> None:
    op.add_column('mixes', sa.Column('limit_by', sa.String(), nullable=False, server_default='true peak'))
    op.alter_column('mixes', 'limit_by', server_default=None)
