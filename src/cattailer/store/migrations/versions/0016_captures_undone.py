"""A capture is a step of the history: which one it was"""

import sqlalchemy as sa
from alembic import op

revision = '0016'
down_revision = '0015'


def upgrade() -> None:
    op.add_column('history', sa.Column('roll', sa.String(), nullable=False, server_default=''))
    op.alter_column('history', 'roll', server_default=None)
