"""Guide notes; tracks that print their effects; how loud a click leaked into a take"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql as pg

revision = '0009'
down_revision = '0008'


def upgrade() -> None:
    op.add_column('sessions', sa.Column('guides', pg.JSONB(), nullable=False, server_default='[]'))
    op.add_column('tracks', sa.Column('prints', sa.Boolean(), nullable=False, server_default='false'))
    op.add_column('takes', sa.Column('click_dbfs', sa.Float()))
    op.execute('UPDATE takes SET click_dbfs = -200')
    op.create_index('ix_takes_unheard', 'takes', ['id'], postgresql_where=sa.text('click_dbfs IS NULL'))
    op.add_column('takes', sa.Column('printed', sa.Boolean(), nullable=False, server_default='false'))
