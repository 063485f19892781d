"""What was counted in before a take is its lead-in, in columns and in the history too"""

from alembic import op

revision = '0006'
down_revision = '0005'


def upgrade() -> None:
    op.alter_column('takes', 'head_id', new_column_name='lead_in_id')
    op.alter_column('takes', 'head_open', new_column_name='lead_in_samples')
    op.execute('ALTER TABLE takes RENAME CONSTRAINT fk_takes_head_id TO fk_takes_lead_in_id')
    for image in ('before', 'after'):
        op.execute(
            f"UPDATE history SET {image} = replace(replace({image}::text, '\"head_id\":', '\"lead_in_id\":'), "
            f"'\"head_open\":', '\"lead_in_samples\":')::jsonb WHERE {image}::text LIKE '%\"head\\_%'"
        )
