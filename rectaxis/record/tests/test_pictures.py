"""Photos in the store: whole or not there."""

from pathlib import Path
from tempfile import TemporaryDirectory
from unittest.mock import patch

from django.core.files.base import ContentFile
from django.core.files.storage import default_storage
from django.test import SimpleTestCase, override_settings

from rectaxis.demo.extras import drawn_photo
from rectaxis.record.pictures import keep_picture, path_of, written_anew
from rectaxis.record.storage import WholeFiles

STORES = {"default": {"BACKEND": "rectaxis.record.storage.WholeFiles"},
          "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"}}  # fmt: skip


class Store(SimpleTestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        self.enterContext(override_settings(MEDIA_ROOT=str(self.folder), STORAGES=STORES))
        self.picture = written_anew(drawn_photo())
        self.path = self.folder / path_of(self.picture.digest)

    def files(self):
        return [path for path in self.folder.rglob("*") if path.is_file()]

    def test_a_crash_while_a_photo_is_written_leaves_no_half_of_it(self):
        for broken in ("os.fsync", "pathlib.Path.replace"):
            with patch(broken, side_effect=OSError("power went")), self.assertRaises(OSError):
                keep_picture(self.picture)
            self.assertEqual(self.files(), [], broken)
        keep_picture(self.picture)
        self.assertEqual(self.path.read_bytes(), self.picture.data)

    def test_a_half_written_photo_of_an_earlier_crash_is_made_good_by_the_next_upload(self):
        for half in (b"", self.picture.data[:500]):
            self.path.parent.mkdir(parents=True, exist_ok=True)
            self.path.write_bytes(half)
            keep_picture(self.picture)
            self.assertEqual(self.path.read_bytes(), self.picture.data)
        self.assertEqual(len(self.files()), 1)

    def test_a_whole_one_is_not_written_again(self):
        keep_picture(self.picture)
        with patch.object(WholeFiles, "_save", side_effect=AssertionError("written again")):
            keep_picture(self.picture)

    def test_names_stay_within_the_store(self):
        with self.assertRaises(Exception):  # noqa: B017 - Django's own refusal
            default_storage.save("../outside.jpg", ContentFile(b"x"))
        self.assertFalse((self.folder.parent / "outside.jpg").exists())
