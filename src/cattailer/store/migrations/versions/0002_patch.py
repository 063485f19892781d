"""The patch: feeds, groups, mixes, routes, templates; history that can be undone"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0002'
down_revision = '0001'


def upgrade() -> None:
    text, no = sa.Text(), sa.text("false")
    empty = sa.text("''")
    none = sa.text("'{}'")
    op.add_column('sessions', sa.Column('code', sa.String(), nullable=False, server_default=empty))
    op.add_column('sessions', sa.Column(
        'name_pattern', sa.String(), nullable=False, server_default="{session}_{track}_run{run}"))
    op.add_column('sessions', sa.Column('away_inputs', postgresql.ARRAY(sa.Integer()), nullable=False, server_default=none))
    op.add_column('sessions', sa.Column('away_outputs', postgresql.ARRAY(sa.Integer()), nullable=False, server_default=none))
    op.add_column('sessions', sa.Column('accepted', postgresql.ARRAY(text), nullable=False, server_default=none))
    for name in ('label', 'technique', 'distance', 'aim'):
        op.add_column('inputs', sa.Column(name, sa.String(), nullable=False, server_default=empty))
    for name in ('pad', 'low_cut', 'polarity', 'instrument', 'checked'):
        op.add_column('inputs', sa.Column(name, sa.Boolean(), nullable=False, server_default=no))
    op.execute("UPDATE inputs SET pad = pad_db > 0, label = source")
    op.drop_column('inputs', 'pad_db')
    op.add_column('tracks', sa.Column('feeds', postgresql.ARRAY(text), nullable=False, server_default=none))
    op.execute("UPDATE tracks SET feeds = ARRAY(SELECT 'in:' || s FROM unnest(sockets) WITH ORDINALITY AS u(s, n) ORDER BY n)")
    op.execute("UPDATE tracks SET feeds = ARRAY[''] WHERE feeds = '{}'")
    op.drop_column('tracks', 'sockets')
    for name in ('colour', 'icon', 'note'):
        op.add_column('tracks', sa.Column(name, sa.String(), nullable=False, server_default=empty))
    for name in ('groups', 'mixes'):
        more = [
            sa.Column('kind', sa.String(), nullable=False),
            sa.Column('outputs', postgresql.ARRAY(sa.Integer()), nullable=False),
        ] if name == 'mixes' else []
        op.create_table(
            name,
            sa.Column('id', sa.Integer(), nullable=False),
            sa.Column('session_id', sa.Integer(), nullable=False),
            sa.Column('place', sa.Integer(), nullable=False),
            sa.Column('name', sa.String(), nullable=False),
            *more,
            sa.Column('fader_db', sa.Float(), nullable=False),
            sa.ForeignKeyConstraint(['session_id'], ['sessions.id'], name=op.f(f'fk_{name}_session_id'), ondelete='CASCADE'),
            sa.PrimaryKeyConstraint('id', name=op.f(f'pk_{name}')),
        )
        op.create_index(op.f(f'ix_{name}_session_id'), name, ['session_id'])
    op.create_table(
        'routes',
        sa.Column('session_id', sa.Integer(), nullable=False),
        sa.Column('start', sa.String(), nullable=False),
        sa.Column('target', sa.String(), nullable=False),
        sa.ForeignKeyConstraint(['session_id'], ['sessions.id'], name=op.f('fk_routes_session_id'), ondelete='CASCADE'),
        sa.PrimaryKeyConstraint('session_id', 'start', 'target', name=op.f('pk_routes')),
    )
    op.create_table(
        'templates',
        sa.Column('id', sa.Integer(), nullable=False),
        sa.Column('name', sa.String(), nullable=False),
        sa.Column('shape', postgresql.JSONB(astext_type=text), nullable=False),
        sa.Column('created_at', sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint('id', name=op.f('pk_templates')),
        sa.UniqueConstraint('name', name=op.f('uq_templates_name')),
    )
    op.create_table(
        'settings',
        sa.Column('name', sa.String(), nullable=False),
        sa.Column('value', postgresql.JSONB(astext_type=text), nullable=False),
        sa.PrimaryKeyConstraint('name', name=op.f('pk_settings')),
    )
    # Until now everything went to the main mix at outputs 1+2.
    op.execute("INSERT INTO mixes (session_id, place, name, kind, outputs, fader_db) "
               "SELECT id, 1, 'Main mix', 'main', '{1,2}', -6 FROM sessions")
    op.execute("INSERT INTO routes (session_id, start, target) SELECT t.session_id, 'track:' || t.id, 'mix:' || m.id "
               "FROM tracks t JOIN mixes m ON m.session_id = t.session_id")
    # What was entered before cannot be undone: its images had another form.
    op.add_column('history', sa.Column('state', sa.String(), nullable=False, server_default='fixed'))
    for table, names in {
        'sessions': ('code', 'name_pattern', 'away_inputs', 'away_outputs', 'accepted'),
        'inputs': ('label', 'technique', 'distance', 'aim', 'pad', 'low_cut', 'polarity', 'instrument', 'checked'),
        'tracks': ('feeds', 'colour', 'icon', 'note'), 'history': ('state',),
    }.items():
        for name in names:
            op.alter_column(table, name, server_default=None)
