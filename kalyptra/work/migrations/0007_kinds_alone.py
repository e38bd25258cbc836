"""What orders of before had in fields of their own."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("work", "0006_kinds")]

    operations = [
        migrations.RemoveField("follow", name)
        for name in ("outlines", "on_loss", "spot", "title", "channel", "steps")
    ]
