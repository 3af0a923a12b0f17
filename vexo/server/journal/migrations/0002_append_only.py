from django.db import migrations

_REFUSE = """
CREATE TRIGGER journal_no_{verb} BEFORE {VERB} ON journal_entry
BEGIN SELECT RAISE(ABORT, 'the journal is only ever added to'); END;
"""


class Migration(migrations.Migration):
    dependencies = [("journal", "0001_initial")]
    operations = [
        migrations.RunSQL(_REFUSE.format(verb=verb, VERB=verb.upper()), f"DROP TRIGGER journal_no_{verb}")
        for verb in ("update", "delete")
    ]
