"""How often a step was begun, and the size of what came of it."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0002_files_and_intakes")]

    operations = [
        migrations.AddField(
            "job",
            "tries",
            models.PositiveIntegerField(default=0, help_text="How often a process began this step of it"),
        ),
        migrations.AddField("job", "size", models.BigIntegerField(default=0, help_text="Bytes of the file")),
    ]
