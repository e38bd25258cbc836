"""A part of what work found is called a finding."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("work", "0007_kinds_alone")]

    operations = [
        migrations.RenameModel("Found", "Finding"),
        migrations.AlterField(
            "finding",
            "follow",
            models.ForeignKey("work.follow", on_delete=django.db.models.deletion.CASCADE, related_name="findings"),
        ),
    ]
