from django.db import migrations, models


def fill(apps, _):
    for trip in apps.get_model("trips", "Trip").objects.all():
        trip.mood = f"calm {trip.pk}"
        trip.save(update_fields=["mood"])


class Migration(migrations.Migration):
    dependencies = [("trips", "0001_initial")]
    operations = [
        migrations.AddField("Trip", "mood", models.CharField(max_length=40, null=True)),
        migrations.RunPython(fill),
    ]
