"""Versions become differences; a table of what names which file; sizes of files."""

from pathlib import Path

import django.db.models.deletion
import django.utils.timezone
from django.conf import settings
from django.db import migrations, models

from limus.document.difference import applied, difference


def _files(document):
    out, stack = set(), [document]
    while stack:
        value = stack.pop()
        if isinstance(value, str):
            if value.startswith(("objects/", "strokes/", "pictures/")):
                out.add(value)
        elif isinstance(value, dict):
            stack.extend(value.values())
        elif isinstance(value, list):
            stack.extend(value)
    return out


def _stamps(path):
    import json

    try:
        return _files(json.loads((Path(settings.DATA_DIR) / path).read_bytes()).get("brush", {}))
    except (OSError, ValueError, AttributeError):
        return set()


def _size(path):
    place = Path(settings.DATA_DIR) / path
    pieces = Path(path).parts
    if len(pieces) >= 3 and pieces[0] in ("objects", "pictures"):
        place = Path(settings.DATA_DIR) / pieces[0] / pieces[1]
    try:
        if place.is_dir():
            return sum(f.stat().st_size for f in place.rglob("*") if f.is_file())
        return place.stat().st_size
    except OSError:
        return 0


def forward(apps, schema_editor):
    """Each version against its parent; every file that any of them names."""
    WorkObject, SceneVersion = apps.get_model("projects", "WorkObject"), apps.get_model("projects", "SceneVersion")
    FileUse, OwnBase, SourceFile = (apps.get_model("projects", name) for name in ("FileUse", "OwnBase", "SourceFile"))
    for item in WorkObject.objects.all():
        used = set()
        for version in SceneVersion.objects.filter(object=item).order_by("id"):
            parent = {} if version.parent_id is None else SceneVersion.objects.only("whole").get(pk=version.parent_id).whole
            there, back = difference(parent, version.whole)
            if applied(parent, there) != version.whole or applied(version.whole, back) != parent:
                there, back = [["set", [], version.whole]], [["set", [], parent]]
            version.change, version.back = there, back
            version.save(update_fields=["change", "back"])
            used |= _files(version.whole)
        used |= {stamp for path in used if path.startswith("strokes/") for stamp in _stamps(path)}
        FileUse.objects.bulk_create([FileUse(path=p, object=item) for p in sorted(used)], batch_size=500)
        if item.head_id is not None:
            item.document = SceneVersion.objects.get(pk=item.head_id).whole
            item.save(update_fields=["document"])
    for base in OwnBase.objects.all():
        FileUse.objects.bulk_create([FileUse(path=p, base=base) for p in sorted(_files(base.document))])
    for row in SourceFile.objects.all():
        row.size = _size(row.path)
        row.save(update_fields=["size"])


class Migration(migrations.Migration):
    dependencies = [("projects", "0004_treatments")]

    operations = [
        migrations.RenameField("sceneversion", "document", "whole"),
        migrations.AddField("sceneversion", "change", models.JSONField(default=list, help_text="Steps from the document of the parent, see difference.py")),
        migrations.AddField("sceneversion", "back", models.JSONField(default=list)),
        migrations.AddField("workobject", "document", models.JSONField(default=dict, help_text="The scene at head, whole")),
        migrations.AddField("sourcefile", "size", models.BigIntegerField(default=0, help_text="Bytes, with what belongs to it")),
        migrations.AddField("facts", "created", models.DateTimeField(auto_now_add=True, default=django.utils.timezone.now), preserve_default=False),
        migrations.CreateModel(
            name="FileUse",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("path", models.CharField(db_index=True, max_length=300)),
                ("base", models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name="uses", to="projects.ownbase")),
                ("object", models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name="uses", to="projects.workobject")),
            ],
            options={
                "ordering": ["id"],
                "constraints": [
                    models.UniqueConstraint(fields=("object", "path"), name="one_use_per_object"),
                    models.UniqueConstraint(fields=("base", "path"), name="one_use_per_base"),
                ],
            },
        ),
        migrations.CreateModel(
            name="KeptFile",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("name", models.CharField(db_index=True, max_length=120)),
                ("used", models.DateTimeField()),
                ("object", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="kept", to="projects.workobject")),
            ],
            options={
                "ordering": ["id"],
                "constraints": [models.UniqueConstraint(fields=("object", "name"), name="one_row_per_kept_file")],
            },
        ),
        migrations.RunPython(forward, migrations.RunPython.noop),
        migrations.RemoveField("sceneversion", "whole"),
    ]
