"""Since when a plan is the same but for what sounds of takes"""

import sqlalchemy as sa
from alembic import op

revision = '0013'
down_revision = '0012'


def upgrade() -> None:
    op.add_column('sessions', sa.Column('plan_revision', sa.Integer(), nullable=False, server_default='1'))
    op.execute('UPDATE sessions SET plan_revision = revision')
