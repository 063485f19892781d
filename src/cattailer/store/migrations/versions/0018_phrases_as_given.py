"""The ends of a phrase are kept as they were typed, as those of the range are"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import ARRAY

revision = '0018'
down_revision = '0017'


def upgrade() -> None:
    op.add_column('phrases', sa.Column('given', ARRAY(sa.Text()), nullable=False, server_default='{}'))
    op.alter_column('phrases', 'given', server_default=None)
