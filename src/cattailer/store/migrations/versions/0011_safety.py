"""Where a session's media go, what its ruler counts, sessions put away; preamps of takes, second copies"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = '0011'
down_revision = '0010'


def upgrade() -> None:
    added = {
        'sessions': ('media_root', 'copy_root', 'fallback_root', 'kept'), 'runs': ('copied',), 'takes': ('preamp',),
    }
    for table, names in added.items():
        for name in names:
            op.add_column(table, sa.Column(name, sa.String(), nullable=False, server_default=''))
    op.add_column('sessions', sa.Column('ruler', sa.String(), nullable=False, server_default='bars'))
    op.add_column('takes', sa.Column('clips_at', pg.ARRAY(sa.BigInteger()), nullable=False, server_default='{}'))
