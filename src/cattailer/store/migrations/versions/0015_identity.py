"""Sessions have an identity of their own (the demo's is known by its folder this once), and the set-up of their room"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0015'
down_revision = '0014'


def upgrade() -> None:
    op.add_column('sessions', sa.Column('identity', sa.String(), nullable=True))
    op.execute("UPDATE sessions SET identity = gen_random_uuid()::text")
    op.execute("UPDATE sessions SET identity = 'demo-lamplighters-ferry' WHERE folder = 'the-lamplighters-ferry'")
    op.alter_column('sessions', 'identity', nullable=False)
    op.add_column('sessions', sa.Column('room', postgresql.JSONB(), nullable=False, server_default='[]'))
    op.alter_column('sessions', 'room', server_default=None)
    op.create_unique_constraint('uq_sessions_identity', 'sessions', ['identity'])
