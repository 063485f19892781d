"""A range is kept as it was given: as bars and beats, or as times"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import ARRAY

revision = '0017'
down_revision = '0016'


def upgrade() -> None:
    op.add_column('sessions', sa.Column('range_given', ARRAY(sa.Text()), nullable=False, server_default='{}'))
    op.alter_column('sessions', 'range_given', server_default=None)
