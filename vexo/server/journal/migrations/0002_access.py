from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("journal", "0001_initial")]
    operations = [
        # Not by AddField, which makes the table anew here, and so would leave it without its triggers.
        migrations.RunSQL(
            "ALTER TABLE journal_entry ADD COLUMN way varchar(120) NOT NULL DEFAULT ''",
            "ALTER TABLE journal_entry DROP COLUMN way",
            state_operations=[
                migrations.AddField("entry", "way", models.CharField(blank=True, default="", max_length=120))
            ],
        )
    ]
