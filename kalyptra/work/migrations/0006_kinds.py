"""An order is one typed value; what is found is kept in rows of its own, as it comes."""

import django.db.models.deletion
from django.db import migrations, models


def to_orders(apps, schema_editor):
    Follow, Found = apps.get_model("work", "Follow"), apps.get_model("work", "Found")
    for row in Follow.objects.all():
        order = {"what": row.what, "start": row.start, "end": row.end}
        if row.what in ("outlines", "mattes", "people", "feet", "matte-file"):
            order["subject"] = row.subject
        if row.what in ("outlines", "mattes"):
            order["on_loss"] = row.on_loss or "carry-on"
        if row.what == "outlines":
            order["outlines"] = row.outlines
        if row.what == "people":
            order["spot"] = row.spot
        if row.what.endswith("-file"):
            order |= {"title": row.title, "channel": row.channel or "luma"}
        if row.what == "map-file":
            order["source"] = row.subject
        row.order = order
        row.save(update_fields=["order"])
        if row.state in ("queued", "running"):
            for name, values in row.steps.items():
                Found.objects.create(follow=row, name=name, values=values)


class Migration(migrations.Migration):
    dependencies = [("work", "0005_lifecycle")]

    operations = [
        migrations.AddField("follow", "order", models.JSONField(default=dict)),
        migrations.AddField("follow", "newest", models.JSONField(null=True)),
        migrations.AlterField("follow", "start", models.PositiveIntegerField(default=0)),
        migrations.AlterField("follow", "end", models.PositiveIntegerField(default=0)),
        migrations.CreateModel(
            name="Found",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("name", models.CharField(max_length=16)),
                ("values", models.JSONField()),
                (
                    "follow",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="found", to="work.follow"
                    ),
                ),
            ],
            options={"ordering": ("pk",)},
        ),
        migrations.RunPython(to_orders, migrations.RunPython.noop),
    ]
