from pathlib import Path

from django.db import migrations, models

import vexo.server.trips.migrations as own

NEWEST = max(path.stem for path in Path(own.__path__[0]).glob("0*.py"))
"""The newest migration that Vexo has: this one comes after it."""


def fill(apps, _):
    for trip in apps.get_model("trips", "Trip").objects.all():
        trip.mood = f"calm {trip.pk}"
        trip.save(update_fields=["mood"])


class Migration(migrations.Migration):
    dependencies = [("trips", NEWEST)]
    operations = [
        migrations.AddField("Trip", "mood", models.CharField(max_length=40, null=True)),
        migrations.RunPython(fill),
    ]
