"""What was ordered by browsers' clocks is ordered by the server's sequence; answers are kept by code, not by their words."""

from django.db import migrations

ADDED = ("entry", "move", "seal", "event", "photo", "mark")
TOGETHER = " UNION ALL ".join(f"SELECT id, job_id FROM jobs_{name}" for name in ADDED)

TYRES = {"both shoulders": "both-shoulders"}
PARTS = {"worn, can be measured": "worn", "unsafe: stop": "unsafe", "could not be done": "not-done"}
ASKED = {"the maker does not ask": "not-asked", "as the maker asks": "as-asked", "could not be done": "not-done"}
CHECKED = {"as it should": "passed", "not as it should": "failed", "not checked": "not-checked"}
RESETS = {"nothing to reset": "nothing", "reset done": "done", "left to the maker's procedure": "left"}
CODES = {
    "^arrive/reason$": {
        "pulls to the left": "pulls-left", "pulls to the right": "pulls-right", "wears a tyre": "wears-a-tyre",
        "steering wheel off centre": "wheel-off-centre", "runs crabwise": "runs-crabwise", "after a repair": "after-repair",
    },
    "^look/tyre/.*/wear$": TYRES,
    "^look/part/[0-9]+/[a-z]+$": PARTS,
    "^look/(ride|load)$": ASKED,
    "^rig/check/[0-9]+$": CHECKED,
    "^rig/ground$": {"tilt measured": "tilted", "not checked": "not-checked"},
    "^roll/locked$": {"by a level across the spokes": "level", "by eye": "eye"},
    "^before/runout/.*/trued$": {"knobs turned": "turned"},
    "^judge/finding/": {"I agree": "agreed", "I do not": "disagreed", "to be looked at": "look"},
    "^prove/torque$": {"nothing was loosened": "nothing-loosened"},
    "^prove/road-test$": {
        "runs straight, wheel straight": "straight", "runs straight, wheel off centre": "off-centre",
        "drifts left": "drifts-left", "drifts right": "drifts-right", "not driven": "not-driven",
    },
    "^prove/felt$": {"pull under braking": "pull-braking"},
    "^prove/(sensors|assistance)$": RESETS,
}
"""The codes of words, by the slots (a regular expression) in which they were kept."""


def number_everything(apps, schema_editor):
    """Give everything its place. Keys were made in time, and the order that they gave was the one that counted."""
    with schema_editor.connection.cursor() as cursor:
        cursor.execute(
            f"CREATE TEMPORARY TABLE places ON COMMIT DROP AS SELECT id, job_id, row_number() OVER (PARTITION BY job_id ORDER BY id)"
            f" AS place FROM ({TOGETHER}) AS together"
        )
        for name in ADDED:
            cursor.execute(f"UPDATE jobs_{name} AS t SET sequence = p.place FROM places AS p WHERE p.id = t.id AND p.job_id = t.job_id")
        cursor.execute(
            "UPDATE jobs_job AS j SET added = p.most FROM (SELECT job_id, max(place) AS most FROM places GROUP BY job_id) AS p"
            " WHERE p.job_id = j.id"
        )


def words_become_codes(apps, schema_editor):
    with schema_editor.connection.cursor() as cursor:
        for slots, codes in CODES.items():
            for words, code in codes.items():
                cursor.execute("UPDATE jobs_entry SET typed = %s WHERE slot ~ %s AND typed = %s", [code, slots, words])


def sentences_of_every_style(apps, schema_editor):
    """Sentences were kept in the style of whoever sealed: they stand for both, as they were read then."""
    for seal in apps.get_model("jobs", "Seal").objects.iterator():
        if isinstance(seal.sentences, list):
            seal.sentences = {"deg": seal.sentences, "dms": seal.sentences}
            seal.save(update_fields=["sentences"])


class Migration(migrations.Migration):
    dependencies = [("jobs", "0005_places")]

    operations = [
        migrations.RunPython(number_everything, migrations.RunPython.noop),
        migrations.RunPython(words_become_codes, migrations.RunPython.noop),
        migrations.RunPython(sentences_of_every_style, migrations.RunPython.noop),
    ]
