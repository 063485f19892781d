"""At which revision of a session its takes changed last, so that what sounds is worked out no oftener than needed"""

import sqlalchemy as sa
from alembic import op

revision = '0007'
down_revision = '0006'


def upgrade() -> None:
    op.add_column('sessions', sa.Column('takes_revision', sa.Integer(), nullable=False, server_default='1'))
    op.execute('UPDATE sessions SET takes_revision = revision')
    op.create_index('ix_takes_media_id', 'takes', ['media_id'])
