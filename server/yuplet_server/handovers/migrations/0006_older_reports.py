"""Reports from before there were recipes say all that is asked of them now."""

from typing import Any

from django.db import migrations


def complete(apps: Any, schema_editor: Any) -> None:
    for hand_over in apps.get_model("handovers", "HandOver").objects.exclude(report=None):
        report = hand_over.report
        proof = report["proof"]
        if "warnings" in report and "comparisons" in proof:
            continue
        report["files"] = [{"kept": False, **file} for file in report["files"]]
        hand_over.report = {"warnings": [], "gone": [], **report, "proof": {"comparisons": _compared(proof), **proof}}
        hand_over.save(update_fields=["report"])


def _compared(proof: dict[str, Any]) -> list[dict[str, Any]]:
    """The one comparison that there was: by the places, in which nothing may differ."""
    if proof["differing_pixels"] is None:
        return []
    return [
        {
            "ok": proof["differing_pixels"] == 0,
            "way": "places",
            "scale": 1.0,
            "pixels": proof["pixels"],
            "differing_pixels": proof["differing_pixels"],
            "largest": proof["max_difference"],
            # Not measured then; where nothing differs it is this.
            "mean": 0.0,
            "allowed_largest": 0.0,
            "allowed_mean": 0.0,
            "worst": proof["worst"],
        }
    ]


class Migration(migrations.Migration):
    dependencies = [("handovers", "0005_instep_seen_stamp")]

    operations = [migrations.RunPython(complete, migrations.RunPython.noop)]
