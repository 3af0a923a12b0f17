"""What guards do is a setting of an application; the limit of emptied columns becomes one of them."""

from django.db import migrations, models

_USUAL = 10


def _to_guards(apps, schema_editor):
    for application in apps.get_model("applications", "Application").objects.exclude(emptied_limit=_USUAL):
        application.guards = {"field-emptied": {"limits": {"share": str(application.emptied_limit)}}}
        application.save(update_fields=["guards"])


class Migration(migrations.Migration):

    dependencies = [
        ('applications', '0001_initial'),
    ]

    operations = [
        migrations.AddField(
            model_name='application',
            name='guards',
            field=models.JSONField(default=dict),
        ),
        migrations.RunPython(_to_guards, migrations.RunPython.noop),
        migrations.RemoveField(
            model_name='application',
            name='emptied_limit',
        ),
    ]
