from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("library", "0006_looks")]

    operations = [migrations.RenameModel(old_name="KeptLook", new_name="SavedLook")]
