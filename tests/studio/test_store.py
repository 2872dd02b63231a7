"""The file store and the names and manifests that leave the house."""

import csv
import io
import tempfile
import unittest
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from yardchalk.core.errors import YardError
from yardchalk.store.files import FileStore
from yardchalk.studio.manifest import Manifest, ManifestRow, manifest_csv
from yardchalk.studio.names import hidden, safe_name, stem_of
from yardchalk.studio.writing import write_new


class FileStoreTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.store = FileStore(f"file://{self.folder}/files")

    def test_content_is_kept_once_verified_and_mended(self) -> None:
        digest = self.store.put(b"a photo")
        self.assertEqual(self.store.put(b"a photo"), digest)
        (path,) = [p for p in self.folder.rglob("*") if p.is_file()]
        path.write_bytes(b"a phot")
        with self.assertRaises(YardError):
            self.store.get(digest)
        self.store.put(b"a photo")
        self.assertEqual(self.store.get(digest), b"a photo")
        for wrong in ("../secret", "A" * 64, ""):
            with self.assertRaises(ValueError):
                self.store.get(wrong)
        self.assertIsNone(self.store.get_derived("never put"))

    def test_a_taken_name_is_passed_over_and_nothing_is_left_aside(self) -> None:
        names = [write_new(self.folder / "out", "pot", ".jpg", bytes([i])).name for i in range(3)]
        self.assertEqual(names, ["pot.jpg", "pot-2.jpg", "pot-3.jpg"])
        self.assertEqual((self.folder / "out" / "pot.jpg").read_bytes(), b"\0")
        self.assertEqual(sorted(p.name for p in (self.folder / "out").iterdir()), sorted(names))


class NamesTest(unittest.TestCase):
    @given(st.text(min_size=1, max_size=200))
    def test_no_name_from_outside_is_a_path(self, name: str) -> None:
        safe = safe_name(name)
        self.assertTrue(0 < len(safe) <= 120)
        self.assertNotIn("/", safe)
        self.assertNotIn("\\", safe)
        self.assertFalse(safe.startswith("."))
        self.assertTrue(stem_of(name))

    def test_what_systems_drop_by_themselves_is_passed_over(self) -> None:
        self.assertTrue(all(map(hidden, ("a/.DS_Store", "__MACOSX/._a.jpg", "Thumbs.db"))))
        self.assertFalse(any(map(hidden, ("a/b.jpg", "./a.jpg", "../a.jpg"))))

    def test_a_spreadsheet_takes_no_name_for_a_formula(self) -> None:
        row = ManifestRow(
            file="=cmd.jpg", source="+x.jpg", source_sha256="0", result_sha256="0", bytes=1, run_sheet="white", run_sheet_version=1,
            listing_spec="square-2000", verdict="ready", findings=[],
        )  # fmt: skip
        text = manifest_csv(Manifest(lot="l", delivered_at="now", files=[row])).decode()
        (read,) = csv.DictReader(io.StringIO(text))
        self.assertEqual((read["file"], read["source"], read["bytes"]), ("'=cmd.jpg", "'+x.jpg", "1"))
