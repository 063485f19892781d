"""Levels: target windows, soft limit, sound checks, and what each take was captured from"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0003'
down_revision = '0002'


def upgrade() -> None:
    floats = postgresql.ARRAY(sa.Float())
    op.add_column('sessions', sa.Column('window_dbfs', floats, nullable=False, server_default=sa.text("'{-18,-12}'")))
    op.add_column('sessions', sa.Column('reference_hz', sa.Float(), nullable=False, server_default=sa.text("440")))
    op.add_column('tracks', sa.Column('window_dbfs', floats, nullable=False, server_default=sa.text("'{}'")))
    op.add_column('inputs', sa.Column('soft_limit', sa.Boolean(), nullable=False, server_default=sa.text("false")))
    op.add_column('runs', sa.Column('note', sa.String(), nullable=False, server_default=sa.text("''")))
    op.add_column('takes', sa.Column('source', sa.String(), nullable=False, server_default=sa.text("''")))
    op.add_column('takes', sa.Column('gain_db', sa.Float(), nullable=True))
    op.create_table(
        'checks',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('session_id', sa.Integer(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('phase', sa.String(), nullable=False),
        sa.Column('seconds', sa.Float(), nullable=False),
        sa.Column('rows', postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.ForeignKeyConstraint(['session_id'], ['sessions.id'], name=op.f('fk_checks_session_id'), ondelete='CASCADE'),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_checks')),
    )
    op.create_index(op.f('ix_checks_session_id'), 'checks', ['session_id'])
    for table, names in {
        'sessions': ('window_dbfs', 'reference_hz'), 'tracks': ('window_dbfs',), 'inputs': ('soft_limit',),
        'takes': ('source',), 'runs': ('note',),
    }.items():
        for name in names:
            op.alter_column(table, name, server_default=None)
